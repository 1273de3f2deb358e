//! Redirects from a site's old URLs, for its server: without loops, chains and contradictions.

use std::collections::BTreeMap;

use url::{Position, Url};

use super::plan::{Action, Plan};

/// What a server responds to an old URL.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Redirect {
    /// Path and query of the old URL, percent-encoded.
    pub from: String,
    /// Everything that begins with `from` is redirected, and keeps its rest.
    pub is_prefix: bool,
    /// The new URL; `None` for 410 Gone.
    pub to: Option<String>,
    /// The status.
    pub status: u16,
}

/// Why an entry of a plan becomes no redirect.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Omitted {
    /// It is a URL of another site.
    External,
    /// The new URL has the same path, so that a rule for the path would be a loop.
    SamePath,
    /// The redirects lead back to the old URL.
    Loop,
    /// Its pattern is not a prefix.
    Pattern,
    /// An entry before it has the same path.
    Duplicate,
}

impl Omitted {
    /// The reason in words.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Omitted::External => "of another site",
            Omitted::SamePath => "only scheme or host change: redirect the whole host instead",
            Omitted::Loop => "the redirects would be a loop",
            Omitted::Pattern => "a pattern with * has no redirect",
            Omitted::Duplicate => "an entry before it has the same path",
        }
    }
}

/// The redirects of a plan.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Redirects {
    /// In order: exact ones first, then prefixes, the longest first.
    pub all: Vec<Redirect>,
    /// What became no redirect, and why.
    pub omitted: Vec<(String, Omitted)>,
    /// Targets that the plan leaves alone although a prefix redirects them, each with the prefix.
    pub left: Vec<(String, String)>,
}

/// The redirects of a plan for the site's own URLs, for which `is_own` returns true. `status` is
/// that of redirects. Links that get a new URL count too: visitors still have the old one.
#[must_use]
pub fn redirects(plan: &Plan, is_own: impl Fn(&Url) -> bool, status: u16) -> Redirects {
    let mut done = Redirects::default();
    let mut exact: BTreeMap<String, Redirect> = BTreeMap::new();
    let mut order = Vec::new();
    for mend in plan.mends() {
        let to = match mend.action {
            Action::Replace | Action::Redirect => match &mend.to {
                Some(to) => Some(to),
                None => continue,
            },
            Action::Gone => None,
            Action::Unwrap | Action::Drop | Action::Leave => continue,
        };
        // A server never sees fragments.
        if mend.target.contains('#') {
            continue;
        }
        let own = Url::parse(&mend.target).ok().filter(&is_own);
        let omitted = match &own {
            None => Some(Omitted::External),
            Some(own) if exact.contains_key(&path(own)) => Some(Omitted::Duplicate),
            Some(own) if to.is_some_and(|to| is_same(own, to, &is_own)) => Some(Omitted::SamePath),
            Some(_) => None,
        };
        match (own, omitted) {
            (Some(own), None) => {
                let from = path(&own);
                let status = if to.is_some() { status } else { 410 };
                let redirect =
                    Redirect { from: from.clone(), is_prefix: false, to: to.cloned(), status };
                exact.insert(from.clone(), redirect);
                order.push(from);
            }
            (_, omitted) => {
                let why = omitted.unwrap_or(Omitted::External);
                done.omitted.push((mend.target.clone(), why));
            }
        }
    }
    let prefixes = prefixes(plan, &is_own, status, &mut done.omitted);
    for from in order {
        let redirect = &exact[&from];
        match end(redirect, &exact, &prefixes, &is_own) {
            Some((to, status)) => {
                done.all.push(Redirect { to, status, ..redirect.clone() });
            }
            None => done.omitted.push((from, Omitted::Loop)),
        }
    }
    done.left = left(plan, &prefixes, &is_own);
    done.all.extend(prefixes);
    done
}

/// What prefixes redirect although the plan leaves it alone.
fn left(
    plan: &Plan,
    prefixes: &[Redirect],
    is_own: &impl Fn(&Url) -> bool,
) -> Vec<(String, String)> {
    let leaves = plan.mends().iter().filter(|mend| mend.action == Action::Leave);
    let covered = |target: &String| {
        let path = path(&Url::parse(target).ok().filter(is_own)?);
        let prefix = prefixes.iter().find(|prefix| path.starts_with(&prefix.from))?;
        Some((target.clone(), prefix.from.clone()))
    };
    leaves.filter_map(|mend| covered(&mend.target)).collect()
}

/// The rules as redirects, the longest prefix first.
fn prefixes(
    plan: &Plan,
    is_own: &impl Fn(&Url) -> bool,
    status: u16,
    omitted: &mut Vec<(String, Omitted)>,
) -> Vec<Redirect> {
    let mut found: Vec<Redirect> = Vec::new();
    for rule in plan.rules() {
        let own = Url::parse(&rule.from).ok().filter(is_own);
        let why = match &own {
            None => Some(Omitted::External),
            Some(_) if rule.from.contains('*') => Some(Omitted::Pattern),
            Some(own) if is_same(own, &rule.to, is_own) => Some(Omitted::SamePath),
            // What is redirected would be redirected again.
            Some(own)
                if own_path(&rule.to, is_own).is_some_and(|to| to.starts_with(&path(own))) =>
            {
                Some(Omitted::Loop)
            }
            Some(own) if found.iter().any(|other| other.from == path(own)) => {
                Some(Omitted::Duplicate)
            }
            Some(_) => None,
        };
        match (own, why) {
            (Some(own), None) => {
                let to = Some(rule.to.clone());
                found.push(Redirect { from: path(&own), is_prefix: true, to, status });
            }
            (_, why) => {
                omitted.push((rule.from.clone(), why.unwrap_or(Omitted::External)));
            }
        }
    }
    found.sort_by_key(|redirect| std::cmp::Reverse(redirect.from.len()));
    found
}

/// Where a redirect ends if others follow it, and with which status; `None` for a loop.
fn end(
    redirect: &Redirect,
    exact: &BTreeMap<String, Redirect>,
    prefixes: &[Redirect],
    is_own: &impl Fn(&Url) -> bool,
) -> Option<(Option<String>, u16)> {
    let mut seen = vec![redirect.from.clone()];
    let (mut to, mut status) = (redirect.to.clone(), redirect.status);
    while let Some(at) = to.as_deref().and_then(|to| own_path(to, is_own)) {
        if seen.contains(&at) {
            return None;
        }
        if let Some(next) = exact.get(&at) {
            (to, status) = (next.to.clone(), next.status);
        } else if let Some(next) = prefixes.iter().find(|prefix| at.starts_with(&prefix.from)) {
            let rest = &at[next.from.len()..];
            to = next.to.as_ref().map(|to| format!("{to}{rest}"));
        } else {
            break;
        }
        seen.push(at);
    }
    Some((to, status))
}

/// Path and query of a URL.
fn path(url: &Url) -> String {
    url[Position::BeforePath..Position::AfterQuery].to_owned()
}

fn own_path(url: &str, is_own: &impl Fn(&Url) -> bool) -> Option<String> {
    Url::parse(url).ok().filter(is_own).map(|url| path(&url))
}

/// Whether the new URL is on the site too, at the same path.
fn is_same(own: &Url, to: &str, is_own: &impl Fn(&Url) -> bool) -> bool {
    own_path(to, is_own).is_some_and(|to| to == path(own))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mend::plan::{Mend, Rule};

    fn mend(target: &str, action: Action, to: Option<&str>) -> Mend {
        let to = to.map(|to| format!("https://a.test{to}"));
        Mend { target: format!("https://a.test{target}"), action, to, confidence: None }
    }

    fn replaced(target: &str, to: &str) -> Mend {
        mend(target, Action::Replace, Some(to))
    }

    fn of(plan: &Plan) -> (Vec<String>, Vec<(String, Omitted)>) {
        let done = redirects(plan, |url| url.host_str() == Some("a.test"), 301);
        let line = |r: Redirect| {
            let to = r.to.unwrap_or_default().replace("https://a.test", "");
            format!("{}{} {} {to}", r.from, if r.is_prefix { "*" } else { "" }, r.status)
        };
        (done.all.into_iter().map(line).collect(), done.omitted)
    }

    #[test]
    fn every_reason_has_words_of_its_own() {
        use Omitted::*;
        let words = [External, SamePath, Loop, Pattern, Duplicate].map(Omitted::words);
        let distinct: std::collections::BTreeSet<&str> = words.into_iter().collect();
        assert!(distinct.len() == 5 && !distinct.contains(""), "{distinct:?}");
    }

    #[test]
    fn what_is_left_alone_under_a_prefix_is_named() {
        let rule = Rule {
            from: "https://a.test/old/".to_owned(),
            to: "https://a.test/new/".to_owned(),
            mends: 3,
            tried: 3,
            confidence: None,
        };
        let leave = |target| mend(target, Action::Leave, None);
        let mends = vec![leave("/old/members"), leave("/other"), replaced("/old/x", "/y")];
        let plan = Plan::new(vec![rule], mends);
        let done = redirects(&plan, |url| url.host_str() == Some("a.test"), 301);
        assert_eq!(done.left, [("https://a.test/old/members".to_owned(), "/old/".to_owned())]);
    }

    #[test]
    fn chains_are_shortened_and_loops_left_out() {
        let plan = Plan::new(
            Vec::new(),
            vec![
                replaced("/a", "/b"),
                replaced("/b", "/c?x=1"),
                replaced("/l", "/m"),
                replaced("/m", "/l"),
                mend("/old", Action::Gone, None),
                replaced("/to-old", "/old"),
                mend("/kept", Action::Leave, None),
                replaced("/page#x", "/page#y"),
            ],
        );
        let (all, omitted) = of(&plan);
        assert_eq!(all, ["/a 301 /c?x=1", "/b 301 /c?x=1", "/old 410 ", "/to-old 410 "]);
        let looped = |path: &str| (path.to_owned(), Omitted::Loop);
        assert_eq!(omitted, [looped("/l"), looped("/m")]);
    }

    #[test]
    fn rules_become_prefixes_the_longest_first() {
        let rule = |from: &str, to: &str| Rule {
            from: format!("https://a.test{from}"),
            to: format!("https://a.test{to}"),
            mends: 3,
            tried: 3,
            confidence: None,
        };
        let plan = Plan::new(
            vec![
                rule("/paths/", "/trails/"),
                rule("/paths/old/", "/attic/"),
                rule("/in/", "/in/side/"),
                rule("/x/*.htm", "/x/*.html"),
            ],
            vec![replaced("/tow", "/paths/towpath")],
        );
        let (all, omitted) = of(&plan);
        assert_eq!(
            all,
            ["/tow 301 /trails/towpath", "/paths/old/* 301 /attic/", "/paths/* 301 /trails/"]
        );
        let why: Vec<Omitted> = omitted.into_iter().map(|(_, why)| why).collect();
        assert_eq!(why, [Omitted::Loop, Omitted::Pattern]);
    }

    #[test]
    fn what_would_be_a_loop_on_the_server_is_left_out() {
        let external = Mend {
            target: "http://b.test/x".to_owned(),
            action: Action::Replace,
            to: Some("https://a.test/y".to_owned()),
            confidence: None,
        };
        let plan = Plan::new(Vec::new(), vec![replaced("/a", "/a"), external]);
        let (all, omitted) = of(&plan);
        assert!(all.is_empty());
        let why: Vec<Omitted> = omitted.into_iter().map(|(_, why)| why).collect();
        assert_eq!(why, [Omitted::SamePath, Omitted::External]);
    }
}
