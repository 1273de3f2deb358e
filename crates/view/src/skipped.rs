//! Which option, limit or rule kept a target from being checked, or a page from being parsed.

use rummage_core::crawl::{NotParsed, Note};
use rummage_core::url::pattern::Pattern;
use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{NoteRow, Outcome, RunInfo};
use serde_json::Value;

/// The rule, in one line; `None` if there is none, or if the cause says it.
pub(crate) fn rule(
    run: &RunInfo,
    notes: &[NoteRow],
    outcome: &Outcome,
    url: &str,
) -> Option<String> {
    let options: Value = serde_json::from_str(&run.options).unwrap_or_default();
    if let Some(reason) = outcome.not_parsed {
        return Some(format!("not parsed for links: {}", not_parsed(&options, reason)));
    }
    if outcome.verdict != Verdict::Skipped {
        return None;
    }
    match outcome.cause? {
        Cause::Excluded => excluded(&options, url),
        Cause::External => Some("by --externals note".to_owned()),
        Cause::Limit => Some(format!("by --max-pages {}", number(&options, "max-pages")?)),
        Cause::UrlLimit => Some(match number(&options, "max-urls") {
            Some(most) => format!("by --max-urls {most}"),
            None => "by --max-urls, which is 500000 by default".to_owned(),
        }),
        Cause::Trap => {
            let rule = notes.iter().find_map(|row| match &row.note {
                Note::Trap(stop) if Pattern::new(&stop.rule).matches(url) => Some(&stop.rule),
                _ => None,
            })?;
            Some(format!("by the pattern {rule}: --include '{rule}' checks it"))
        }
        _ => None,
    }
}

fn excluded(options: &Value, url: &str) -> Option<String> {
    let list = |key: &str| -> Vec<&str> {
        let values = options[key].as_array().map(Vec::as_slice).unwrap_or_default();
        values.iter().filter_map(Value::as_str).collect()
    };
    let own = list("exclude").into_iter().find(|pattern| Pattern::new(pattern).matches(url));
    if let Some(pattern) = own {
        return Some(format!("by --exclude '{pattern}'"));
    }
    if options["sitemap"] == "none" {
        return Some("by --sitemap none".to_owned());
    }
    let elements = list("check-elements");
    (!elements.is_empty()).then(|| format!("by --check-elements {}", elements.join(",")))
}

fn not_parsed(options: &Value, reason: NotParsed) -> String {
    match reason {
        NotParsed::Robots => "disallowed by robots.txt".to_owned(),
        NotParsed::Depth => match number(options, "depth") {
            Some(depth) => format!("deeper than --depth {depth}"),
            None => "deeper than --depth".to_owned(),
        },
        NotParsed::Within => {
            let values = options["within"].as_array().map(Vec::as_slice).unwrap_or_default();
            let prefixes: Vec<&str> = values.iter().filter_map(Value::as_str).collect();
            match prefixes.as_slice() {
                [] => "outside --within".to_owned(),
                some => format!("outside --within {}", some.join(", ")),
            }
        }
    }
}

fn number(options: &Value, key: &str) -> Option<u64> {
    options[key].as_u64()
}

#[cfg(test)]
mod tests {
    use rummage_core::crawl::traps::Stop;

    use super::*;
    use crate::testing::{outcome, run_info};

    fn of(options: &str, cause: Cause, url: &str) -> Option<String> {
        let run = RunInfo { options: options.to_owned(), ..run_info() };
        let stop = Stop { sample: String::new(), rule: "/maps/*".to_owned(), read: 9 };
        let notes = [NoteRow { url: String::new(), note: Note::Trap(stop) }];
        rule(&run, &notes, &outcome(Verdict::Skipped, Some(cause), None), url)
    }

    #[test]
    fn skipped_targets_name_their_rule() {
        let options = r#"{"exclude": ["/print/*", "*.pdf"], "max-pages": 40, "max-urls": 9}"#;
        for (cause, url, expected) in [
            (Cause::Excluded, "http://a.test/x.pdf", "by --exclude '*.pdf'"),
            (Cause::External, "http://b.test/", "by --externals note"),
            (Cause::Limit, "http://a.test/p", "by --max-pages 40"),
            (Cause::UrlLimit, "http://a.test/p", "by --max-urls 9"),
            (
                Cause::Trap,
                "http://a.test/maps/1",
                "by the pattern /maps/*: --include '/maps/*' checks it",
            ),
        ] {
            assert_eq!(of(options, cause, url).as_deref(), Some(expected), "{url}");
        }
        let by_default = of("{}", Cause::UrlLimit, "http://a.test/");
        assert_eq!(by_default.as_deref(), Some("by --max-urls, which is 500000 by default"));
        let elements = r#"{"check-elements": ["a", "img"]}"#;
        let by_elements = of(elements, Cause::Excluded, "http://b.test/");
        assert_eq!(by_elements.as_deref(), Some("by --check-elements a,img"));
        assert_eq!(of("{}", Cause::Trap, "http://a.test/other"), None);
        assert_eq!(of("no JSON", Cause::OtherScheme, "mailto:x@a.test"), None);
    }

    #[test]
    fn pages_that_were_not_parsed_name_the_reason() {
        let of = |options: &str, reason| {
            let run = RunInfo { options: options.to_owned(), ..run_info() };
            let sound = outcome(Verdict::Sound, None, Some(200));
            rule(&run, &[], &Outcome { not_parsed: Some(reason), ..sound }, "http://a.test/")
        };
        let depth = of(r#"{"depth": 2}"#, NotParsed::Depth);
        assert_eq!(depth.as_deref(), Some("not parsed for links: deeper than --depth 2"));
        let within = of(r#"{"within": ["/docs/", "/help/"]}"#, NotParsed::Within);
        let expected = "not parsed for links: outside --within /docs/, /help/";
        assert_eq!(within.as_deref(), Some(expected));
        let robots = of("{}", NotParsed::Robots);
        assert_eq!(robots.as_deref(), Some("not parsed for links: disallowed by robots.txt"));
    }
}
