//! From the words typed to [`Args`]: shortcuts, and errors that name what was meant.

use std::ffi::{OsStr, OsString};
use std::path::Path;

use clap::builder::StyledStr;
use clap::error::{ContextKind, ContextValue, ErrorKind};
use clap::parser::ValueSource;
use clap::{ArgMatches, Command, Error, FromArgMatches};

use super::defaults::{OptionDefault, with_defaults};
use super::reason::first_line;
use super::{Args, OF_SITES, command};

/// Parses the command line, with these defaults of the settings file.
pub(crate) fn parse(defaults: &[OptionDefault]) -> Result<Args, Error> {
    let mut command = with_defaults(command(), defaults);
    let words = with_shortcuts(&command, std::env::args_os().collect());
    // Options of every command may come before it.
    let mut typed = words.iter().skip(1).filter_map(|word| word.to_str());
    let name = typed.find(|word| command.find_subcommand(word).is_some()).unwrap_or_default();
    let name = name.to_owned();
    let matches = command
        .try_get_matches_from_mut(words)
        .map_err(|error| explained(&mut command, &name, error))?;
    if let Some(empty) = empty_value(&command, &matches) {
        let what = format!("{empty} is empty: it would match everything, or nothing");
        let error = match command.find_subcommand_mut(&name) {
            Some(command) => command.error(ErrorKind::InvalidValue, what),
            None => command.error(ErrorKind::InvalidValue, what),
        };
        return Err(error);
    }
    if let Some(option) = meaningless(&matches) {
        let what = format!("--{option} means nothing for a list: its URLs belong to no site");
        let probe = command.find_subcommand_mut("probe").expect("it was just parsed");
        return Err(probe.error(ErrorKind::ArgumentConflict, what));
    }
    Args::from_arg_matches(&matches)
}

/// Parses the words of a command that the program itself has made, or what is wrong with them.
pub(crate) fn parse_words(words: &[String]) -> Result<Args, String> {
    let parsed = command().try_get_matches_from(words);
    let args = parsed.and_then(|matches| Args::from_arg_matches(&matches));
    args.map_err(|error| first_line(&error))
}

/// Checks the default of an option by the rules of `rummage findings`, which has all of them.
pub(crate) fn check_default(name: &str, value: &str) -> Result<(), String> {
    let words = match (name, value) {
        ("verbose", "true" | "false") => return Ok(()),
        ("verbose", _) => return Err("give true or false".to_owned()),
        _ => ["rummage".to_owned(), "findings".to_owned(), format!("--{name}={value}")],
    };
    command().try_get_matches_from(words).map(drop).map_err(|error| first_line(&error))
}

/// An option about a site that was given with a list.
fn meaningless(matches: &ArgMatches) -> Option<String> {
    let (_, of_probe) = matches.subcommand().filter(|(name, _)| *name == "probe")?;
    let given = |id: &&&str| of_probe.value_source(id) == Some(ValueSource::CommandLine);
    let id = OF_SITES.iter().find(given)?;
    Some(if *id == "at" { "as".to_owned() } else { id.replace('_', "-") })
}

/// `rummage www.example.test` is a crawl of it, and `rummage help crawl` is `rummage crawl --help`.
fn with_shortcuts(command: &Command, mut words: Vec<OsString>) -> Vec<OsString> {
    let Some(first) = words.get(1).and_then(|word| word.to_str()) else { return words };
    if command.find_subcommand(first).is_some() {
        return words;
    }
    if first == "help" {
        words.remove(1);
        words.push("--help".into());
    } else if is_start(first) {
        words.insert(1, "crawl".into());
    }
    words
}

/// Whether a word is a URL, a host or a folder, and no option or mistyped command.
fn is_start(word: &str) -> bool {
    let is_host = || {
        let host = word.split(['/', ':']).next().unwrap_or_default();
        host == "localhost" || (host.contains('.') && !host.starts_with('.'))
    };
    let is_path = || word.starts_with(['.', '/', '~']) || Path::new(word).is_dir();
    !word.starts_with('-') && (word.contains("://") || is_host() || is_path())
}

/// The first argument whose value is empty: often a variable of a script that is not set.
fn empty_value(command: &Command, matches: &ArgMatches) -> Option<String> {
    // A tab separates columns.
    let is_empty =
        |value: &OsStr| value.to_str().is_some_and(|text| text.trim_matches(' ').is_empty());
    let is_given =
        |id: &clap::Id| matches.value_source(id.as_str()) == Some(ValueSource::CommandLine);
    for id in matches.ids() {
        // Groups of options have no values of their own; other ids are of options of a command
        // below, which are looked at there.
        let Some(arg) = command.get_arguments().find(|arg| arg.get_id() == id) else { continue };
        if !is_given(id) {
            continue;
        }
        let mut values = matches.get_raw(id.as_str()).into_iter().flatten();
        if values.any(is_empty) {
            return Some(match arg.get_long() {
                Some(long) => format!("the value of --{long}"),
                None => arg.get_value_names().unwrap_or_default().join(" "),
            });
        }
    }
    let (name, matches) = matches.subcommand()?;
    empty_value(command.find_subcommand(name)?, matches)
}

/// Words that people try, and what does that here. Spelling alone would suggest something else.
const MEANT: &[(&[&str], &str)] = &[
    (&["max-depth", "level", "levels"], "--depth"),
    (&["ignore", "skip", "deny", "filter"], "--exclude"),
    (&["threads", "jobs", "parallel", "workers", "connections"], "--concurrency"),
    (&["json"], "--format jsonl"),
    (&["csv"], "--format csv"),
    (&["markdown"], "--format md"),
    (&["insecure", "no-verify"], "--ca-cert"),
    (&["out", "file", "save"], "-o"),
    (&["delay", "wait", "sleep", "throttle"], "--rate"),
    (&["retries", "retry", "max-retries"], "--attempts"),
    (&["redirects", "max-redirects"], "--hops"),
    (&["internal-only", "no-external", "only-internal"], "--externals note"),
    (&["external"], "--externals"),
    (&["agent", "useragent"], "--user-agent"),
    (&["username", "auth", "password"], "--user"),
    (&["headers"], "--header"),
    (&["no-robots", "ignore-robots"], "--robots ignore"),
    (&["anchors", "check-anchors"], "--fragments"),
    (&["limit-pages", "pages"], "--max-pages"),
    (&["silent"], "--quiet"),
    (&["debug"], "--verbose"),
    (&["no-color", "no-colour"], "--color never"),
    (&["colour"], "--color"),
    (&["continue"], "--resume"),
    (&["db", "database"], "--store"),
];

/// The same for commands.
const COMMANDS: &[(&[&str], &str)] = &[
    (&["scan", "check", "run", "start"], "crawl"),
    (&["list", "results", "show", "broken"], "findings"),
    (&["explain", "why", "where"], "trace"),
    (&["retry", "again", "refresh"], "recheck"),
    (&["diff", "changes"], "compare"),
    (&["ignore", "accept", "allow"], "waive"),
    (&["watch", "daemon", "monitor", "serve"], "patrol"),
    (&["config", "configure"], "settings"),
    (&["urls"], "probe"),
    (&["logs", "log"], "arrivals"),
    (&["cron"], "schedule"),
];

fn meant(word: &str, table: &[(&[&str], &'static str)]) -> Option<&'static str> {
    let word = word.trim_start_matches('-').split('=').next().unwrap_or_default();
    let row = table.iter().find(|(words, _)| words.contains(&word));
    row.map(|(_, here)| *here)
}

/// The same error with what was meant, and without the values of environment variables in its
/// usage.
fn explained(command: &mut Command, name: &str, mut error: Error) -> Error {
    let text = |error: &Error, kind| match error.get(kind) {
        Some(ContextValue::String(text)) => Some(text.clone()),
        _ => None,
    };
    let tip = match error.kind() {
        ErrorKind::UnknownArgument => text(&error, ContextKind::InvalidArg)
            .and_then(|word| meant(&word, MEANT))
            .map(|here| format!("use {here}")),
        ErrorKind::InvalidSubcommand => text(&error, ContextKind::InvalidSubcommand)
            .and_then(|word| meant(&word, COMMANDS))
            .map(|here| format!("use rummage {here}")),
        _ => None,
    };
    if let Some(tip) = tip {
        error.remove(ContextKind::SuggestedArg);
        error.remove(ContextKind::SuggestedSubcommand);
        error.insert(ContextKind::Suggested, ContextValue::StyledStrs(vec![StyledStr::from(tip)]));
    }
    if error.get(ContextKind::Usage).is_some()
        && let Some(command) = command.find_subcommand_mut(name)
    {
        error.insert(ContextKind::Usage, ContextValue::StyledStr(command.render_usage()));
    }
    error
}

#[cfg(test)]
mod tests {
    use super::*;

    fn words(typed: &[&str]) -> Vec<String> {
        let words = ["rummage"].iter().chain(typed).map(OsString::from).collect();
        let words = with_shortcuts(&command(), words).into_iter().skip(1);
        words.map(|word| word.into_string().expect("it is ASCII")).collect()
    }

    #[test]
    fn a_start_url_as_the_first_word_is_crawled() {
        for start in
            ["https://a.test/", "www.a.test", "a.test/docs/", "localhost:8000", "src", "./none"]
        {
            assert_eq!(words(&[start, "-q"]), ["crawl", start, "-q"]);
        }
        for other in [&["crawl", "a.test"][..], &["--version"], &["chekc"], &["-q", "a.test"], &[]]
        {
            assert_eq!(words(other), other);
        }
        assert_eq!(words(&["help", "crawl"]), ["crawl", "--help"]);
        assert_eq!(words(&["help"]), ["--help"]);
    }

    /// What is suggested exists, and what is typed does not.
    #[test]
    fn suggestions_are_options_and_commands() {
        let command = command();
        let crawl = command.find_subcommand("crawl").expect("it is a command");
        let longs: Vec<&str> = command
            .get_arguments()
            .chain(crawl.get_arguments())
            .filter_map(clap::Arg::get_long)
            .collect();
        for (typed, here) in MEANT {
            let name = here.split(' ').next().unwrap_or_default();
            assert!(name == "-o" || longs.contains(&name.trim_start_matches('-')), "{here}");
            for word in *typed {
                assert!(!longs.contains(word), "{word}");
            }
        }
        for (typed, here) in COMMANDS {
            assert!(command.find_subcommand(here).is_some(), "{here}");
            for word in *typed {
                assert!(command.find_subcommand(word).is_none(), "{word}");
            }
        }
        assert_eq!(meant("--max-depth=3", MEANT), Some("--depth"));
        assert_eq!(meant("--depth", MEANT), None);
    }
}
