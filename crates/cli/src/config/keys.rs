//! Every key of the settings file, with its preset and a sentence.
//!
//! Most keys are options of `rummage crawl` too; their sentences are those of its help.

use clap::{Args, Command};

use super::{due, watching};
use crate::args::Asking;

/// One key.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Key {
    pub(crate) name: String,
    /// Its preset as TOML, or where there is none an example.
    pub(crate) example: &'static str,
    /// Whether the example is the preset.
    pub(crate) is_preset: bool,
    /// What it does.
    pub(crate) about: String,
}

/// The presets of the options; `Err` is an example of what has none.
const ASKING: &[(&str, Result<&str, &str>)] = &[
    ("as", Err("\"https://www.example.test/\"")),
    ("tidy-paths", Ok("false")),
    ("externals", Ok("\"check\"")),
    ("depth", Err("5")),
    ("max-pages", Err("5000")),
    ("within", Err("[\"/docs/\"]")),
    ("exclude", Err("[\"/calendar/*\"]")),
    ("include", Err("[\"/calendar/2026/*\"]")),
    ("ask-elements", Err("[\"a\", \"img\"]")),
    ("robots", Ok("\"obey\"")),
    ("sitemap", Ok("\"auto\"")),
    ("query", Ok("\"keep\"")),
    ("max-size", Ok("\"10M\"")),
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
    ("proxy", Err("\"http://proxy.example.test:3128\"")),
    ("dns", Err("\"10.0.0.1:53\"")),
    ("connect", Err("[\"www.example.test=10.0.0.5:8443\"]")),
    ("ca-cert", Err("[\"authority.pem\"]")),
    ("allow-private", Ok("false")),
];

/// The keys that the command line has not.
const OWN: &[(&str, Result<&str, &str>, &str)] = &[
    (
        "start",
        Err("\"https://www.example.test/\""),
        "Where the site begins: a URL or a host name. rummage crawl NAME begins there",
    ),
    (
        "write",
        Err("[\"broken.csv\"]"),
        "Files to write after each run, beside this file: .csv, .json, .jsonl, .md or .txt",
    ),
    (
        "editor-link",
        Err("\"https://cms.example.test/edit{path}\""),
        "Where the editor of a page is: shown beside every place; {path} stands for the page's path",
    ),
    (
        "placeholders",
        Ok("\"doubtful\""),
        "What links that lead nowhere are (an empty href, # alone): doubtful, or broken",
    ),
];

/// The keys of tables.
pub(crate) const TABLES: &[&str] = &["expect"];

/// All keys but tables, in the order in which they are written.
pub(crate) fn keys() -> Vec<Key> {
    let own = OWN
        .iter()
        .chain(due::KEYS)
        .chain(watching::KEYS)
        .map(|(name, example, about)| key(name, *example, (*about).to_owned()));
    let command = Asking::augment_args(Command::new("keys"));
    let help = |name: &str| {
        let argument = command.get_arguments().find(|argument| argument.get_long() == Some(name));
        let help = argument.and_then(|argument| argument.get_help()).map(ToString::to_string);
        let help = help.unwrap_or_default();
        // The preset stands beside it.
        help.split(" [default").next().unwrap_or_default().replace(" (repeatable)", "")
    };
    let asking = ASKING.iter().map(|(name, example)| key(name, *example, help(name)));
    own.chain(asking).collect()
}

fn key(name: &str, example: Result<&'static str, &'static str>, about: String) -> Key {
    let (Ok(text) | Err(text)) = example;
    Key { name: name.to_owned(), example: text, is_preset: example.is_ok(), about }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use super::*;

    #[test]
    fn every_option_of_a_crawl_is_a_key_and_has_a_sentence() {
        let command = Asking::augment_args(Command::new("keys"));
        let options: BTreeSet<String> = command
            .get_arguments()
            .filter_map(|argument| argument.get_long().map(str::to_owned))
            .collect();
        let keys: BTreeSet<String> = ASKING.iter().map(|(name, _)| (*name).to_owned()).collect();
        assert_eq!(options, keys);
        assert!(super::keys().iter().all(|key| key.about.len() > 15), "{:#?}", super::keys());
    }
}
