//! Writes a new settings file, with every key, its default and a description.

use std::fmt::Write as _;

use super::keys::{Key, keys};

/// The text of a new file, with a section for a site if one is given.
pub(crate) fn text(site: Option<(&str, &str)>) -> String {
    let mut out = String::from(
        "# Settings of rummage. Every key is listed with its default, or with an example if it\n\
         # has none. Uncomment the keys that you change.\n\
         #\n\
         # [defaults] applies to every site; [site.NAME] overrides it for one site. Both are overridden by\n\
         # the environment (RUMMAGE_TIMEOUT=5s) and the command line (--timeout 5s).\n\
         # rummage settings NAME shows what is in force, and the source of each. In keys, - and _\n\
         # are the same.\n\
         \n[defaults]\n",
    );
    for key in keys().iter().filter(|key| key.name != "start") {
        write_key(&mut out, key);
    }
    let (name, start) = match site {
        Some((name, start)) => (name, format!("start = {}", quoted(start))),
        None => ("example", "start = \"https://www.example.test/\"".to_owned()),
    };
    let comment = if site.is_some() { "" } else { "# " };
    let _ = write!(
        out,
        "\n# A site: rummage crawl {name} starts at this URL. The keys from above are allowed here.\n\
         {comment}[site.{name}]\n{comment}{start}\n\
         \n# Responses that URLs are expected to give: an intended 410 is sound.\n\
         # [[site.{name}.expect]]\n# target = \"/shop/1998/*\"\n# status = 410\n"
    );
    out
}

fn write_key(out: &mut String, key: &Key) {
    let example = if key.is_default { "" } else { " (no default; this is an example)" };
    for line in wrapped(&format!("{}.{example}", key.about), 88) {
        let _ = write!(out, "\n# {line}");
    }
    let _ = write!(out, "\n# {} = {}\n", key.name, key.example);
}

/// Quotes a string for TOML, which reads what JSON escapes.
fn quoted(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

/// Wraps a text to lines of at most this many characters, where words allow.
fn wrapped(text: &str, most: usize) -> Vec<String> {
    let mut lines = vec![String::new()];
    for word in text.split_whitespace() {
        let last = lines.last_mut().expect("there is always a line");
        if last.is_empty() {
            last.push_str(word);
        } else if last.chars().count() + 1 + word.chars().count() <= most {
            last.push(' ');
            last.push_str(word);
        } else {
            lines.push(word.to_owned());
        }
    }
    lines
}
