//! Which links to show: the same filters for every command.

use clap::Args;
use rummage_core::extract::elements::Element;
use rummage_core::findings::selection::{Selection, Standing, Status};
use rummage_core::url::pattern::Pattern;
use rummage_core::url::scope::Scope;
use rummage_core::verdict::{Cause, Verdict};

use crate::values::{nearest, one_of};

/// Which links to show. A link must match every kind of filter given; several values of one kind
/// are alternatives.
#[derive(Debug, Clone, Default, Args)]
#[command(next_help_heading = "Selecting")]
pub(crate) struct Selecting {
    /// Links with these verdicts, separated by commas [default: broken,doubtful,moved]
    #[arg(long, value_name = "LIST", value_delimiter = ',', value_parser = verdict)]
    verdict: Vec<Verdict>,
    /// All links, including sound and skipped ones
    #[arg(long, conflicts_with = "verdict")]
    all: bool,
    /// Links with these causes, separated by commas, such as not-found,timeout; not-parsed for
    /// links to pages that were not parsed
    #[arg(long, value_name = "LIST", value_delimiter = ',', value_parser = cause_choice)]
    cause: Vec<CauseChoice>,
    /// Links with these status codes or classes, separated by commas, such as 404,5xx
    #[arg(long, value_name = "LIST", value_delimiter = ',', value_parser = status)]
    status: Vec<Status>,
    /// Internal or external links
    #[arg(long, value_name = "internal|external", value_parser = scope)]
    scope: Option<Scope>,
    /// Links in these elements, separated by commas, such as a,img
    #[arg(long, value_name = "LIST", value_delimiter = ',', value_parser = element)]
    element: Vec<String>,
    /// Links to matching hosts, such as *.example.test (repeatable)
    #[arg(long, value_name = "PATTERN")]
    host: Vec<String>,
    /// Links to matching targets; only * is special, and it crosses / (repeatable)
    #[arg(long, value_name = "PATTERN")]
    target: Vec<String>,
    /// No links to matching targets (repeatable)
    #[arg(long, value_name = "PATTERN")]
    except: Vec<String>,
    /// Links on matching pages, such as /news/* (repeatable)
    #[arg(long, value_name = "PATTERN")]
    page: Vec<String>,
    /// Links with one of these words in their rel attribute, separated by commas, such as
    /// nofollow,sponsored
    #[arg(long, value_name = "LIST", value_delimiter = ',')]
    rel: Vec<String>,
    /// Links with these words in their text
    #[arg(long, value_name = "WORDS")]
    text: Vec<String>,
    /// Links with this word in the target, page, link text or source text (repeatable)
    #[arg(long, value_name = "WORD")]
    search: Vec<String>,
    /// Links with these standings, separated by commas: new, open, returned, waived
    #[arg(long, value_name = "LIST", value_delimiter = ',', value_parser = standing)]
    standing: Vec<Standing>,
    /// Links that are newly broken or have returned: --standing new,returned
    #[arg(long, conflicts_with = "standing")]
    new: bool,
}

/// What a waiver names by itself.
pub(crate) struct Patterns {
    pub(crate) targets: Vec<String>,
    pub(crate) excepts: Vec<String>,
    pub(crate) hosts: Vec<String>,
    pub(crate) pages: Vec<String>,
    pub(crate) causes: Vec<Cause>,
}

impl Selecting {
    fn causes(&self) -> Vec<Cause> {
        let named = |choice: &CauseChoice| match choice {
            CauseChoice::Named(cause) => Some(*cause),
            CauseChoice::NotParsed => None,
        };
        self.cause.iter().filter_map(named).collect()
    }

    /// Whether everything is selected.
    pub(crate) fn is_all(&self) -> bool {
        self.all
    }

    /// The part that a waiver names, and whether there is another part, which chooses among the
    /// findings of a run.
    pub(crate) fn patterns(&self) -> (Patterns, bool) {
        let Selecting { verdict, status, scope, element, rel, text, search, standing, new, .. } =
            self;
        let chooses = !(verdict.is_empty() && status.is_empty() && scope.is_none())
            || !(element.is_empty() && rel.is_empty() && text.is_empty() && search.is_empty())
            || !standing.is_empty()
            || *new;
        let patterns = Patterns {
            targets: self.target.clone(),
            excepts: self.except.clone(),
            hosts: self.host.clone(),
            pages: self.page.clone(),
            causes: self.causes(),
        };
        (patterns, chooses)
    }

    /// The options as they can be typed.
    pub(crate) fn words(&self) -> Vec<String> {
        let mut words = Vec::new();
        let mut list = |name: &str, values: Vec<&str>| {
            if !values.is_empty() {
                words.extend([format!("--{name}"), values.join(",")]);
            }
        };
        list("verdict", self.verdict.iter().map(|verdict| verdict.as_str()).collect());
        let cause = |choice: &CauseChoice| match choice {
            CauseChoice::Named(cause) => cause.as_str(),
            CauseChoice::NotParsed => NOT_PARSED,
        };
        list("cause", self.cause.iter().map(cause).collect());
        let statuses: Vec<String> = self.status.iter().map(Status::to_string).collect();
        list("status", statuses.iter().map(String::as_str).collect());
        list("scope", self.scope.iter().map(|scope| scope.as_str()).collect());
        list("element", self.element.iter().map(String::as_str).collect());
        list("rel", self.rel.iter().map(String::as_str).collect());
        list("standing", self.standing.iter().map(|standing| standing.as_str()).collect());
        let repeated = [
            ("host", &self.host),
            ("target", &self.target),
            ("except", &self.except),
            ("page", &self.page),
            ("text", &self.text),
            ("search", &self.search),
        ];
        for (name, values) in repeated {
            for value in values {
                words.extend([format!("--{name}"), value.clone()]);
            }
        }
        words.extend(self.all.then(|| "--all".to_owned()));
        words.extend(self.new.then(|| "--new".to_owned()));
        words
    }

    /// The selection, with `default` as the verdicts if none are given.
    pub(crate) fn selection(&self, default: &[Verdict]) -> Selection {
        let not_parsed = self.cause.contains(&CauseChoice::NotParsed);
        let verdicts = match self.verdict.as_slice() {
            [] if self.all || not_parsed => &Verdict::ALL,
            [] => default,
            named => named,
        };
        let patterns = |list: &[String]| list.iter().map(|text| Pattern::new(text)).collect();
        let words = |list: &[String]| {
            list.iter().flat_map(|text| text.split_whitespace()).map(str::to_lowercase).collect()
        };
        Selection {
            causes: self.causes(),
            not_parsed,
            statuses: self.status.clone(),
            scope: self.scope,
            elements: self.element.clone(),
            hosts: patterns(&self.host),
            targets: patterns(&self.target),
            excepts: patterns(&self.except),
            pages: patterns(&self.page),
            rels: self.rel.iter().map(|word| word.trim().to_owned()).collect(),
            text: words(&self.text),
            search: self.search.iter().map(|word| word.to_lowercase()).collect(),
            standings: match self.new {
                true => vec![Standing::New, Standing::Returned],
                false => self.standing.clone(),
            },
            ..Selection::of(verdicts)
        }
    }
}

/// The verdicts shown unless others are selected.
pub(crate) const FINDINGS: &[Verdict] = &[Verdict::Broken, Verdict::Doubtful, Verdict::Moved];

fn verdict(name: &str) -> Result<Verdict, String> {
    let names = Verdict::ALL.map(Verdict::as_str);
    Verdict::named(name).ok_or_else(|| format!("a verdict is {}", one_of(&names)))
}

/// A cause, or what is not one: a sound page whose links are unknown.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum CauseChoice {
    Named(Cause),
    NotParsed,
}

const NOT_PARSED: &str = "not-parsed";

fn cause_choice(name: &str) -> Result<CauseChoice, String> {
    match name {
        NOT_PARSED => Ok(CauseChoice::NotParsed),
        name => cause(name).map(CauseChoice::Named),
    }
}

fn cause(name: &str) -> Result<Cause, String> {
    let names: Vec<&str> = Cause::ALL.iter().map(|cause| cause.as_str()).collect();
    Cause::named(name).ok_or_else(|| match nearest(name, names.iter().copied()) {
        Some(near) => format!("no such cause; did you mean {near}?"),
        None => format!("no such cause; the causes are {}", names.join(", ")),
    })
}

fn status(text: &str) -> Result<Status, String> {
    Status::parse(text)
        .ok_or_else(|| "give a status such as 404, or a class such as 5xx".to_owned())
}

fn scope(name: &str) -> Result<Scope, String> {
    let known = [Scope::Internal, Scope::External].into_iter().find(|scope| scope.as_str() == name);
    known.ok_or_else(|| "the scope is internal or external".to_owned())
}

fn element(text: &str) -> Result<String, String> {
    let name = text.trim().to_ascii_lowercase();
    match Element::named(&name) {
        Some(_) => Ok(name),
        None => {
            Err("no element of this name has links; give names such as a, img, link".to_owned())
        }
    }
}

fn standing(name: &str) -> Result<Standing, String> {
    let shown = [Standing::New, Standing::Open, Standing::Returned, Standing::Waived];
    shown.into_iter().find(|standing| standing.as_str() == name).ok_or_else(|| {
        let names = shown.map(Standing::as_str);
        let more =
            if name == "healed" { "; fixed links are listed by rummage compare" } else { "" };
        format!("a standing is {}{more}", one_of(&names))
    })
}
