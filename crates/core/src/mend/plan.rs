//! A plan: what is done with which target. Plain data; its text form is up to the caller.

use std::collections::HashMap;

use super::Confidence;

/// What is done with the links to a target.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Action {
    /// Links get another URL.
    Replace,
    /// Links are removed, their text stays.
    Unwrap,
    /// The elements are removed, such as images.
    Drop,
    /// Links stay; the server redirects the target.
    Redirect,
    /// Links stay; the server responds 410 Gone.
    Gone,
    /// Nothing is done.
    Leave,
}

impl Action {
    /// All of them.
    pub const ALL: [Action; 6] = [
        Action::Replace,
        Action::Unwrap,
        Action::Drop,
        Action::Redirect,
        Action::Gone,
        Action::Leave,
    ];

    /// Its name in plans and every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Action::Replace => "replace",
            Action::Unwrap => "unwrap",
            Action::Drop => "drop",
            Action::Redirect => "redirect",
            Action::Gone => "gone",
            Action::Leave => "leave",
        }
    }

    /// The action with this name.
    #[must_use]
    pub fn named(name: &str) -> Option<Action> {
        Action::ALL.into_iter().find(|action| action.as_str() == name)
    }

    /// Whether it needs a new URL.
    #[must_use]
    pub fn needs_url(self) -> bool {
        matches!(self, Action::Replace | Action::Redirect)
    }
}

/// A rewrite of all URLs with a prefix. A `*` in `from` stands for any text, and for the same text
/// in `to`; without one, the text after the prefix stays.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rule {
    /// What URLs start with, or a pattern with one `*`.
    pub from: String,
    /// What replaces it.
    pub to: String,
    /// How many of those that were requested work afterwards.
    pub mends: u64,
    /// How many were requested.
    pub tried: u64,
    /// How sure it is.
    pub confidence: Option<Confidence>,
}

impl Rule {
    /// What the rule makes of a URL; `None` if it does not apply.
    #[must_use]
    pub fn rewrite(&self, url: &str) -> Option<String> {
        let Some((before, after)) = self.from.split_once('*') else {
            return Some(format!("{}{}", self.to, url.strip_prefix(&self.from)?));
        };
        let (whole, fragment) = match url.split_once('#') {
            Some((url, fragment)) if !after.contains('#') => (url, Some(fragment)),
            _ => (url, None),
        };
        let middle = whole.strip_prefix(before)?.strip_suffix(after)?;
        let mut to = self.to.replacen('*', middle, 1);
        if let Some(fragment) = fragment {
            to.push('#');
            to.push_str(fragment);
        }
        Some(to)
    }
}

/// What is done with one target.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mend {
    /// The target, as findings show it.
    pub target: String,
    /// What is done.
    pub action: Action,
    /// The new URL, if the action needs one.
    pub to: Option<String>,
    /// How sure it is.
    pub confidence: Option<Confidence>,
}

/// Rules and single repairs. A single repair wins over rules; of rules, the first one wins.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Plan {
    rules: Vec<Rule>,
    mends: Vec<Mend>,
    /// The first single repair of each target, by its position.
    by_target: HashMap<String, usize>,
}

/// What a plan does with a target.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Step {
    /// What is done.
    pub action: Action,
    /// The new URL, if the action needs one.
    pub to: Option<String>,
    /// The position of the single repair in the plan.
    pub mend: Option<usize>,
    /// The position of the rule in the plan.
    pub rule: Option<usize>,
}

impl Plan {
    /// A plan of these rules and single repairs.
    #[must_use]
    pub fn new(rules: Vec<Rule>, mends: Vec<Mend>) -> Plan {
        let mut by_target = HashMap::with_capacity(mends.len());
        for (at, mend) in mends.iter().enumerate() {
            by_target.entry(mend.target.clone()).or_insert(at);
        }
        Plan { rules, mends, by_target }
    }

    /// Rules, in order.
    #[must_use]
    pub fn rules(&self) -> &[Rule] {
        &self.rules
    }

    /// Single repairs, in order.
    #[must_use]
    pub fn mends(&self) -> &[Mend] {
        &self.mends
    }

    /// What is done with a target: a URL in normal form with its fragment, or a malformed one as
    /// written. `None` if the plan does not mention it. A repair for a URL without a fragment
    /// also applies to links with one, which keep it.
    #[must_use]
    pub fn step(&self, target: &str) -> Option<Step> {
        let single = |wanted: &str| self.by_target.get(wanted).copied();
        let of_mend = |at: usize, fragment: Option<&str>| {
            let Mend { action, to, .. } = &self.mends[at];
            let to = to.as_ref().map(|to| match fragment {
                Some(fragment) if !to.contains('#') => format!("{to}#{fragment}"),
                _ => to.clone(),
            });
            Step { action: *action, to, mend: Some(at), rule: None }
        };
        if let Some(at) = single(target) {
            return Some(of_mend(at, None));
        }
        if let Some((url, fragment)) = target.split_once('#')
            && let Some(at) = single(url)
        {
            return Some(of_mend(at, Some(fragment)));
        }
        self.rules.iter().enumerate().find_map(|(at, rule)| {
            let to = rule.rewrite(target)?;
            Some(Step { action: Action::Replace, to: Some(to), mend: None, rule: Some(at) })
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rule(from: &str, to: &str) -> Rule {
        let (from, to) = (from.to_owned(), to.to_owned());
        Rule { from, to, mends: 0, tried: 0, confidence: None }
    }

    fn mend(target: &str, action: Action, to: Option<&str>) -> Mend {
        let to = to.map(str::to_owned);
        Mend { target: target.to_owned(), action, to, confidence: None }
    }

    #[test]
    fn rules_rewrite_prefixes_and_patterns() {
        let prefix = rule("http://old.test/~m/", "https://a.test/");
        assert_eq!(
            prefix.rewrite("http://old.test/~m/x?y#z").as_deref(),
            Some("https://a.test/x?y#z")
        );
        assert_eq!(prefix.rewrite("http://old.test/~n/x"), None);
        let pattern = rule("http://a.test/w/*.htm", "http://a.test/w/*.html");
        assert_eq!(
            pattern.rewrite("http://a.test/w/b/c.htm#d").as_deref(),
            Some("http://a.test/w/b/c.html#d")
        );
        assert_eq!(pattern.rewrite("http://a.test/w/c.html"), None);
    }

    #[test]
    fn single_repairs_win_over_rules_and_apply_to_fragments() {
        let plan = Plan::new(
            vec![
                rule("http://a.test/", "http://b.test/"),
                rule("http://a.test/x", "http://c.test/"),
            ],
            vec![
                mend("http://a.test/kept", Action::Leave, None),
                mend("http://a.test/x#y", Action::Replace, Some("http://a.test/x#z")),
                mend("http://a.test/p", Action::Replace, Some("http://a.test/q")),
                mend("http://a.test/p", Action::Drop, None),
            ],
        );
        let to = |target: &str| plan.step(target).and_then(|step| step.to);
        assert_eq!(plan.step("http://a.test/kept").unwrap().action, Action::Leave);
        assert_eq!(to("http://a.test/x#y").as_deref(), Some("http://a.test/x#z"));
        assert_eq!(to("http://a.test/p#s").as_deref(), Some("http://a.test/q#s"));
        assert_eq!(to("http://a.test/x").as_deref(), Some("http://b.test/x"));
        assert_eq!(plan.step("http://d.test/"), None);
    }

    #[test]
    fn only_replacements_and_redirects_need_a_url() {
        for action in Action::ALL {
            let expected = ["replace", "redirect"].contains(&action.as_str());
            assert_eq!(action.needs_url(), expected, "{action:?}");
            assert_eq!(Action::named(action.as_str()), Some(action));
        }
        assert_eq!(Action::named("mend"), None);
    }
}
