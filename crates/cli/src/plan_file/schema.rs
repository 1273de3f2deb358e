//! The JSON Schema of a plan, for editors that validate while you type.

use schemars::{JsonSchema, schema_for};
use serde_json::Value;

/// The structure of a plan, used only for the schema: parsing goes key by key.
#[derive(JsonSchema)]
#[schemars(rename = "Plan of rummage mend", deny_unknown_fields)]
#[expect(dead_code, reason = "only its shape is of use")]
struct Plan {
    /// The start URL of the site
    site: Option<String>,
    /// Rewrites of many URLs; the first that applies wins
    rule: Option<Vec<Rule>>,
    /// Single repairs; they win over rules
    mend: Option<Vec<Mend>>,
}

/// A rewrite of all URLs with a prefix
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
#[expect(dead_code, reason = "only its shape is of use")]
struct Rule {
    /// What URLs start with; or a pattern with one *, for the part that stays
    from: String,
    /// What replaces it; with one * if from has one
    to: String,
    /// How many of the URLs that were requested work afterwards
    mends: Option<u64>,
    /// How many were requested
    tried: Option<u64>,
    /// How sure it is
    confidence: Option<Confidence>,
    /// Why it is proposed
    why: Option<String>,
}

/// What is done with the links to one target
#[derive(JsonSchema)]
#[schemars(deny_unknown_fields)]
#[expect(dead_code, reason = "only its shape is of use")]
struct Mend {
    /// The target as findings show it
    target: String,
    /// What is done [default: leave]
    action: Option<Action>,
    /// The new URL, absolute; needed for replace and redirect
    to: Option<String>,
    /// How sure it is
    confidence: Option<Confidence>,
    /// Why it is proposed
    why: Option<String>,
    /// What the request for the new URL showed
    tried: Option<String>,
    /// How many links lead to the target
    places: Option<u64>,
    /// How often visitors requested the target
    visits: Option<u64>,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
#[expect(dead_code, reason = "only its shape is of use")]
enum Action {
    Replace,
    Unwrap,
    Drop,
    Redirect,
    Gone,
    Leave,
}

#[derive(JsonSchema)]
#[schemars(rename_all = "kebab-case")]
#[expect(dead_code, reason = "only its shape is of use")]
enum Confidence {
    High,
    Medium,
    Low,
}

/// The schema, as it ships.
pub(crate) fn schema() -> Value {
    schema_for!(Plan).to_value()
}

#[cfg(test)]
mod tests {
    use rummage_core::mend::Confidence;
    use rummage_core::mend::plan::Action;

    #[test]
    fn the_schema_has_all_actions() {
        let text = super::schema().to_string();
        for name in
            Action::ALL.map(Action::as_str).iter().chain(&Confidence::ALL.map(Confidence::as_str))
        {
            assert!(text.contains(&format!("\"{name}\"")), "{name}");
        }
    }
}
