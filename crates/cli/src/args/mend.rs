//! `rummage mend`.

use std::path::PathBuf;

use clap::{Args, Subcommand, ValueEnum};

use rummage_core::mend::plan::Action;
use url::Url;

use super::{CheckOptions, Selecting};
use crate::values::{nearest, one_of};

/// Fix broken links: propose repairs, apply them, make redirects, confirm that it worked
///
/// A plan is a text file of proposed repairs. Every URL in it was requested before it was
/// proposed. Nothing is changed unless you say so: look through the plan, edit it, see the changes
/// as a diff, then make them.
#[derive(Debug, Args)]
#[command(
    arg_required_else_help = true,
    after_help = "Examples:\n  rummage mend propose -o plan.toml\n  \
    rummage mend show plan.toml\n  \
    rummage mend apply plan.toml --files ./public --as https://www.example.test/\n  \
    rummage mend apply plan.toml --files ./public --as https://www.example.test/ --write\n  \
    rummage mend redirects plan.toml --for nginx -o redirects.conf\n  \
    rummage mend confirm plan.toml"
)]
pub(crate) struct MendArgs {
    #[command(subcommand)]
    pub(crate) command: MendCommand,
}

#[derive(Debug, Subcommand)]
pub(crate) enum MendCommand {
    Propose(Box<ProposeArgs>),
    Set(MendSetArgs),
    Show(MendShowArgs),
    Apply(Box<MendApplyArgs>),
    Undo(Box<MendUndoArgs>),
    Redirects(MendRedirectsArgs),
    Confirm(Box<MendConfirmArgs>),
}

/// Propose repairs for broken and moved links, each tried beforehand
///
/// Looks at the broken and moved targets of the last run, and for what each link most likely
/// meant: another form of the URL, a typing error, a page that was moved or renamed, another
/// anchor. Candidates are requested, and those that work are proposed with their evidence and a
/// confidence. Where many targets need the same change, one rule replaces many repairs.
///
/// Doubtful targets are looked at if their page says that it is missing, or if --verdict names
/// them.
///
/// Repairs with high and medium confidence have action = "replace"; those with low confidence have
/// action = "leave", so that nothing happens until you decide.
///
/// If the plan exists, its entries are kept as they are, and new ones are added.
///
/// Exit codes: 0, 2 invalid arguments, 3 not all candidates were tried.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage mend propose -o plan.toml\n  \
    rummage mend propose --host old.example.test -o move.toml\n  \
    rummage mend propose --arrivals access.log -o missing.toml")]
pub(crate) struct ProposeArgs {
    /// Plan to write, or to add to [default: standard output]
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Propose redirects for the missing URLs that visitors requested, from this access log
    /// (repeatable)
    #[arg(long, value_name = "LOG")]
    pub(crate) arrivals: Vec<String>,
    #[command(flatten)]
    pub(crate) selecting: Selecting,
    #[command(flatten)]
    pub(crate) options: CheckOptions,
}

/// Set what a plan does with targets
///
/// Writes or changes the entries of these targets; comments and all other entries stay. The plan
/// is made if there is none. --remove takes the entries out again.
///
/// Exit codes: 0, 2 invalid arguments.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  rummage mend set plan.toml http://old.example.test/x --action replace \\\n    \
    --to https://new.example.test/x\n  \
    rummage mend set plan.toml http://old.example.test/x --action unwrap\n  \
    rummage mend set plan.toml http://old.example.test/x --remove"
)]
pub(crate) struct MendSetArgs {
    /// Plan to change
    #[arg(value_name = "PLAN")]
    pub(crate) plan: PathBuf,
    /// Targets as findings show them: whole URLs, not patterns
    #[arg(value_name = "TARGET", required = true)]
    pub(crate) targets: Vec<String>,
    /// What is done with the links: replace, unwrap, drop, redirect, gone or leave
    #[arg(long, value_name = "ACTION", value_parser = action, required_unless_present = "remove")]
    pub(crate) action: Option<ActionChoice>,
    /// New URL, for replace and redirect
    #[arg(long, value_name = "URL", requires = "action", value_parser = new_url)]
    pub(crate) to: Option<String>,
    /// Remove the entries of these targets
    #[arg(long, conflicts_with_all = ["action", "to"])]
    pub(crate) remove: bool,
}

/// What is done with the links to a target.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct ActionChoice(pub(crate) Action);

fn action(name: &str) -> Result<ActionChoice, String> {
    let names = Action::ALL.map(Action::as_str);
    Action::named(name).map(ActionChoice).ok_or_else(|| match nearest(name, names) {
        Some(near) => format!("no such action; did you mean {near}?"),
        None => format!("an action is {}", one_of(&names)),
    })
}

fn new_url(text: &str) -> Result<String, String> {
    match Url::parse(text) {
        Ok(url) if matches!(url.scheme(), "http" | "https") => Ok(text.to_owned()),
        _ => Err("give a whole URL, such as https://www.example.test/new".to_owned()),
    }
}

/// Show a plan as a table
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage mend show plan.toml\n  \
    rummage mend show --schema > plan.schema.json")]
pub(crate) struct MendShowArgs {
    /// Plan to show
    #[arg(value_name = "PLAN", required_unless_present = "schema")]
    pub(crate) plan: Option<PathBuf>,
    /// Print the JSON Schema of plans instead
    #[arg(long)]
    pub(crate) schema: bool,
}

/// Show the changes of a plan as a diff; make them with --write
///
/// With --files, edits the links in HTML (.html, .htm, .xhtml), CSS and Markdown (.md, .markdown)
/// below the folder; in other files, with --also, URLs that are written exactly so. Only the URLs
/// change: line endings, encoding and permissions stay. Symbolic links are not followed. With
/// --write, all files are changed or none. A file that has changed in the meantime stops it.
///
/// With --wordpress, edits posts, pages and comments through the site's REST API, as --user with
/// the application password in RUMMAGE_PASSWORD: one revision each. What was modified in the
/// meantime is left alone. rummage mend undo takes the changes back.
///
/// Links that were not found are listed, for fixing by hand.
///
/// Exit codes: 0, 2 invalid arguments, 3 a part could not be read or was left alone, 4 the changes
/// could not be made.
#[derive(Debug, Args)]
#[command(
    group = clap::ArgGroup::new("ground").required(true),
    after_help = "Examples:\n  rummage mend apply plan.toml --files ./public --as https://www.example.test/\n  \
    rummage mend apply plan.toml --files ./content --also '*.njk' --write\n  \
    rummage mend apply plan.toml --files . --patch fix.patch\n  \
    rummage mend apply plan.toml --wordpress https://blog.example.test/ --user editor"
)]
pub(crate) struct MendApplyArgs {
    /// Plan to apply
    #[arg(value_name = "PLAN")]
    pub(crate) plan: PathBuf,
    /// Edit the files in this folder: the sources of the site
    #[arg(long, value_name = "DIR", group = "ground")]
    pub(crate) files: Option<PathBuf>,
    /// Edit the posts, pages and comments of the WordPress site at this URL
    #[arg(long, value_name = "URL", group = "ground")]
    pub(crate) wordpress: Option<String>,
    /// Also files that match this pattern, such as '*.njk'; in them, URLs are replaced where they
    /// are written exactly so (repeatable)
    #[arg(long = "also", value_name = "PATTERN", requires = "files")]
    pub(crate) more_files: Vec<String>,
    /// Make the changes
    #[arg(long, conflicts_with = "patch")]
    pub(crate) write: bool,
    /// Write the diff to a file that git apply and patch accept
    #[arg(long, value_name = "FILE", requires = "files")]
    pub(crate) patch: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) options: CheckOptions,
}

/// Take back the changes that apply made to a WordPress site
///
/// Restores the contents of the posts, pages and comments that rummage mend apply --wordpress
/// --write has changed. What was modified since is left alone.
///
/// Exit codes: 0, 2 invalid arguments, 3 something was left alone, 4 it could not be done.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage mend undo plan.toml --user editor")]
pub(crate) struct MendUndoArgs {
    /// Plan that was applied
    #[arg(value_name = "PLAN")]
    pub(crate) plan: PathBuf,
    #[command(flatten)]
    pub(crate) options: CheckOptions,
}

/// Print redirects from the site's old URLs, for its server
///
/// Every target of the site that a plan replaces, redirects or declares gone gets a rule, so that
/// visitors with the old URL arrive as well. Chains are shortened; loops are left out and
/// reported.
///
/// Exit codes: 0, 2 invalid arguments.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  rummage mend redirects plan.toml --for nginx -o redirects.conf\n  \
    rummage mend redirects plan.toml --for apache --status 308"
)]
pub(crate) struct MendRedirectsArgs {
    /// Plan with the redirects
    #[arg(value_name = "PLAN")]
    pub(crate) plan: PathBuf,
    /// Form of the redirects
    #[arg(long = "for", value_name = "FORM")]
    pub(crate) form: RedirectForm,
    /// Status of the redirects; targets that are gone get 410
    #[arg(long, value_name = "CODE", default_value = "301", value_parser = ["301", "302", "307", "308"])]
    pub(crate) status: String,
    /// File to write [default: standard output]; if it exists, only the changes are shown
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Replace the file if it exists
    #[arg(long, requires = "output")]
    pub(crate) write: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum RedirectForm {
    /// Directives for the server block of nginx
    Nginx,
    /// Rules for mod_rewrite, for .htaccess or a virtual host
    Apache,
    Csv,
    Json,
}

/// Check that a plan worked: new URLs, old URLs, and the pages with the links
///
/// Requests the pages that contained the links, and every old and new URL again. A repair is done
/// if the new URL works and no page contains the old one; a redirect, if the old URL leads to the
/// new one. The results are stored as a run, so that findings and digests agree.
///
/// Exit codes: 0 everything is done, 1 something is not done yet or failed, 2 invalid arguments,
/// 3 not finished, 4 it could not be checked.
#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  rummage mend confirm plan.toml")]
pub(crate) struct MendConfirmArgs {
    /// Plan to confirm
    #[arg(value_name = "PLAN")]
    pub(crate) plan: PathBuf,
    #[command(flatten)]
    pub(crate) options: CheckOptions,
}
