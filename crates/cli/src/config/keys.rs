//! Every key of the settings file, with its default and a description.
//!
//! Most keys are also options of `rummage crawl`; their descriptions are those of its help.

use clap::{Args, Command};

use super::{due, everywhere, watching};
use crate::args::CheckOptions;

/// One key.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Key {
    pub(crate) name: String,
    /// Its default as TOML, or an example if it has none.
    pub(crate) example: &'static str,
    /// Whether the example is the default.
    pub(crate) is_default: bool,
    /// What it does.
    pub(crate) about: String,
}

/// The defaults of the options; `Err` is an example for an option without a default.
const OPTIONS: &[(&str, Result<&str, &str>)] = &[
    ("as", Err("\"https://www.example.test/\"")),
    ("tidy-paths", Ok("false")),
    ("externals", Ok("\"check\"")),
    ("depth", Err("5")),
    ("max-pages", Err("5000")),
    ("within", Err("[\"/docs/\"]")),
    ("exclude", Err("[\"/calendar/*\"]")),
    ("include", Err("[\"/calendar/2026/*\"]")),
    ("check-elements", Err("[\"a\", \"img\"]")),
    ("robots", Ok("\"obey\"")),
    ("sitemap", Ok("\"auto\"")),
    ("query", Ok("\"keep\"")),
    ("max-size", Ok("\"10M\"")),
    ("max-urls", Ok("500000")),
    ("max-links", Ok("100000")),
    ("concurrency", Ok("64")),
    ("per-host", Err("4")),
    ("rate", Err("\"2/s\"")),
    ("gentle", Ok("false")),
    ("fragments", Ok("\"internal\"")),
    ("hops", Ok("20")),
    ("timeout", Ok("\"20s\"")),
    ("attempts", Ok("3")),
    ("user-agent", Err("\"Mozilla/5.0 (compatible; our-checker)\"")),
    ("header", Err("[\"Authorization: env:SITE_TOKEN\"]")),
    ("user", Err("\"editor\"")),
    ("credentials-for", Err("[\"https://images.example.test\"]")),
    ("proxy", Err("\"http://proxy.example.test:3128\"")),
    ("dns", Err("\"10.0.0.1:53\"")),
    ("connect", Err("[\"www.example.test=10.0.0.5:8443\"]")),
    ("ca-cert", Err("[\"authority.pem\"]")),
    ("certificate-ends", Ok("\"21d\"")),
    ("allow-private", Ok("false")),
];

/// The keys that are not options of the command line.
const OWN: &[(&str, Result<&str, &str>, &str)] = &[
    (
        "start",
        Err("\"https://www.example.test/\""),
        "Start URL of the site, or its host name. rummage crawl NAME starts there",
    ),
    (
        "write",
        Err("[\"broken.csv\"]"),
        "Files to write after each run, in the folder of this file: .csv, .json, .jsonl, .md or .txt",
    ),
    (
        "editor-link",
        Err("\"https://cms.example.test/edit{path}\""),
        "URL of the editor for a page, shown with every occurrence; {path} is the page's path",
    ),
    (
        "placeholders",
        Ok("\"doubtful\""),
        "Verdict of placeholder links (an empty href, or # alone): doubtful or broken",
    ),
];

/// The keys that are tables.
pub(crate) const TABLES: &[&str] = &["expect"];

/// All keys except tables, in the order in which they are written.
pub(crate) fn keys() -> Vec<Key> {
    let own = OWN
        .iter()
        .chain(due::KEYS)
        .chain(watching::KEYS)
        .map(|(name, example, about)| key(name, *example, (*about).to_owned()));
    let command = CheckOptions::augment_args(Command::new("keys"));
    let help = |name: &str| {
        let argument = command.get_arguments().find(|argument| argument.get_long() == Some(name));
        let help = argument.and_then(|argument| argument.get_help()).map(ToString::to_string);
        let help = help.unwrap_or_default();
        // The default is shown separately.
        help.split(" [default").next().unwrap_or_default().replace(" (repeatable)", "")
    };
    let options = OPTIONS.iter().map(|(name, example)| key(name, *example, help(name)));
    let everywhere = everywhere::KEYS
        .iter()
        .map(|(name, example, about)| key(name, *example, (*about).to_owned()));
    own.chain(options).chain(everywhere).collect()
}

fn key(name: &str, example: Result<&'static str, &'static str>, about: String) -> Key {
    let (Ok(text) | Err(text)) = example;
    Key { name: name.to_owned(), example: text, is_default: example.is_ok(), about }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use super::*;

    #[test]
    fn every_option_of_a_crawl_is_a_key_with_a_description() {
        let command = CheckOptions::augment_args(Command::new("keys"));
        let options: BTreeSet<String> = command
            .get_arguments()
            .filter_map(|argument| argument.get_long().map(str::to_owned))
            .collect();
        let keys: BTreeSet<String> = OPTIONS.iter().map(|(name, _)| (*name).to_owned()).collect();
        assert_eq!(options, keys);
        assert!(super::keys().iter().all(|key| key.about.len() > 15), "{:#?}", super::keys());
    }
}
