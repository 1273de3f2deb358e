//! Numbers in the form people read.

use std::time::Duration;

/// A count with thousands separators: `12,345`.
#[must_use]
pub fn count(number: u64) -> String {
    let digits = number.to_string();
    let mut out = String::with_capacity(digits.len() + digits.len() / 3);
    for (at, digit) in digits.char_indices() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            out.push(',');
        }
        out.push(digit);
    }
    out
}

/// A count with a noun: `1 page`, `2 pages`.
#[must_use]
pub fn counted(number: u64, one: &str, many: &str) -> String {
    format!("{} {}", count(number), if number == 1 { one } else { many })
}

/// What a list leaves out, if anything: `and 12 more`.
pub(crate) fn rest(all: u64, shown: usize) -> Option<String> {
    let more = all.saturating_sub(shown as u64);
    (more > 0).then(|| format!("and {} more", count(more)))
}

/// The same with a noun: `and 1 more link`, `and 12 more links`.
pub(crate) fn rest_of(all: u64, shown: usize, one: &str, many: &str) -> Option<String> {
    let noun = if all.saturating_sub(shown as u64) == 1 { one } else { many };
    rest(all, shown).map(|rest| format!("{rest} {noun}"))
}

/// A duration in its two largest units: `230 ms`, `4.2 s`, `3 min 5 s`, `2 h 10 min`, `3 d 4 h`.
#[must_use]
pub fn duration(time: Duration) -> String {
    let seconds = time.as_secs();
    match seconds {
        0 if time.as_millis() == 0 => "under 1 ms".to_owned(),
        0 => format!("{} ms", time.as_millis()),
        1..10 => format!("{:.1} s", time.as_secs_f64()),
        10..60 => format!("{seconds} s"),
        60..3600 => two(seconds / 60, "min", seconds % 60, "s"),
        3600..172_800 => two(seconds / 3600, "h", seconds % 3600 / 60, "min"),
        _ => two(seconds / 86_400, "d", seconds % 86_400 / 3600, "h"),
    }
}

fn two(great: u64, unit: &str, small: u64, small_unit: &str) -> String {
    let great = count(great);
    if small == 0 {
        format!("{great} {unit}")
    } else {
        format!("{great} {unit} {small} {small_unit}")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_rest_of_a_list_is_counted_if_there_is_one() {
        assert_eq!([rest(0, 0), rest(5, 5), rest(4, 5)], [None, None, None]);
        assert_eq!(rest(6, 5).as_deref(), Some("and 1 more"));
        assert_eq!(rest(2_005, 5).as_deref(), Some("and 2,000 more"));
        assert_eq!(rest_of(5, 5, "link", "links"), None);
        assert_eq!(rest_of(6, 5, "link", "links").as_deref(), Some("and 1 more link"));
        assert_eq!(rest_of(7, 5, "link", "links").as_deref(), Some("and 2 more links"));
    }

    #[test]
    fn counts_have_thousands_separators() {
        for (number, text) in [(0, "0"), (999, "999"), (1000, "1,000"), (1_234_567, "1,234,567")] {
            assert_eq!(count(number), text);
        }
    }

    #[test]
    fn durations_have_suitable_units() {
        for (millis, text) in [
            (0, "under 1 ms"),
            (230, "230 ms"),
            (4240, "4.2 s"),
            (42_900, "42 s"),
            (185_000, "3 min 5 s"),
            (7_800_000, "2 h 10 min"),
            (120_000, "2 min"),
            (86_400_000, "24 h"),
        ] {
            assert_eq!(duration(Duration::from_millis(millis)), text);
        }
    }
}
