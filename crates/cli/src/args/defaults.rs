//! Options whose default is set in the settings file.

use clap::builder::{ArgPredicate, OsStr, Resettable};
use clap::{Arg, ArgAction, Command};

/// An option, by its long name, and its value.
pub(crate) type OptionDefault = (&'static str, String);

/// The command with these defaults, wherever it has such an option that accepts the value.
pub(super) fn with_defaults(command: Command, defaults: &[OptionDefault]) -> Command {
    let has_file = command.get_arguments().any(|arg| arg.get_id() == "output");
    let command = command.mut_args(|arg| with_default(arg, has_file, defaults));
    command.mut_subcommands(|command| with_defaults(command, defaults))
}

fn with_default(arg: Arg, has_file: bool, defaults: &[OptionDefault]) -> Arg {
    let own = defaults.iter().find(|(name, _)| arg.get_long() == Some(*name));
    let Some((name, value)) = own.filter(|(_, value)| accepts(&arg, value)) else { return arg };
    // The extension of a file says more about its format.
    let arg = match *name {
        "format" if has_file => {
            arg.default_value_if("output", ArgPredicate::IsPresent, Resettable::<OsStr>::Reset)
        }
        _ => arg,
    };
    arg.default_value(value.clone())
}

/// Commands have formats of their own.
fn accepts(arg: &Arg, value: &str) -> bool {
    let possible = arg.get_possible_values();
    let is_flag = matches!(arg.get_action(), ArgAction::SetTrue);
    is_flag || possible.is_empty() || possible.iter().any(|name| name.matches(value, false))
}
