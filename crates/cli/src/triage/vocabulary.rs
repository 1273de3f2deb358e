//! The options of a selection, from the command line's own table.

use clap::{Arg, ArgAction};
use rummage_core::extract::elements::Element;
use rummage_core::findings::selection::Standing;
use rummage_core::verdict::{Cause, Verdict};
use rummage_triage::{OptionInfo, Vocabulary};

use crate::args;

/// All options under Selecting.
pub(crate) fn vocabulary() -> Vocabulary {
    let command = args::command();
    let Some(triage) = command.find_subcommand("triage") else { return Vocabulary::default() };
    let is_of_links =
        |arg: &&Arg| arg.get_help_heading() == Some("Selecting") && arg.get_id() != "run";
    Vocabulary { options: triage.get_arguments().filter(is_of_links).filter_map(option).collect() }
}

fn option(arg: &Arg) -> Option<OptionInfo> {
    let long = arg.get_long()?;
    let help = arg.get_help().map(ToString::to_string).unwrap_or_default();
    Some(OptionInfo {
        name: format!("--{long}"),
        help: help.split_whitespace().collect::<Vec<_>>().join(" "),
        takes_value: !matches!(arg.get_action(), ArgAction::SetTrue),
        values: values(long),
    })
}

/// The values of an option that has a list of them.
fn values(option: &str) -> Vec<String> {
    let owned = |names: &mut dyn Iterator<Item = &'static str>| names.map(str::to_owned).collect();
    match option {
        "verdict" => owned(&mut Verdict::ALL.iter().map(|verdict| verdict.as_str())),
        "cause" => owned(&mut Cause::ALL.iter().map(|cause| cause.as_str())),
        "scope" => owned(&mut ["internal", "external"].into_iter()),
        "standing" => {
            let shown = Standing::ALL.iter().filter(|standing| **standing != Standing::Healed);
            owned(&mut shown.map(|standing| standing.as_str()))
        }
        "element" => {
            let names = ["a", "area", "audio", "form", "iframe", "img", "link", "script", "video"];
            owned(&mut names.into_iter().filter(|name| Element::named(name).is_some()))
        }
        _ => Vec::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_value_that_is_offered_is_accepted() {
        let vocabulary = vocabulary();
        let mut offered = 0;
        for option in &vocabulary.options {
            assert!(!option.help.is_empty(), "{}", option.name);
            for value in &option.values {
                let words = ["rummage", "triage", &option.name, value].map(str::to_owned);
                assert!(args::parse_words(&words).is_ok(), "{words:?}");
                offered += 1;
            }
        }
        assert!(offered > 40, "{offered}");
        let names: Vec<&str> = vocabulary.options.iter().map(|one| one.name.as_str()).collect();
        assert!(names.contains(&"--verdict") && names.contains(&"--since"), "{names:?}");
        assert!(!names.contains(&"--store") && !names.contains(&"--run"), "{names:?}");
    }
}
