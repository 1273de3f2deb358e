//! The JSON Schema (draft 2020-12) of the rows in json and jsonl.
//!
//! Its version changes when a key changes its meaning or goes away; new keys are only added.

use rummage_core::extract::reading::Region;
use rummage_core::findings::selection::Standing;
use rummage_core::url::scope::Scope;
use rummage_core::verdict::{Cause, Verdict};
use serde_json::{Map, Value, json};

/// The version of the schema.
const VERSION: u32 = 1;

/// What a column holds.
#[derive(Clone, Copy)]
enum Kind {
    /// One of these words.
    Word(fn() -> Vec<&'static str>),
    Text,
    /// A whole number.
    Number,
    /// RFC 3339, in UTC.
    Time,
    List,
}

/// Name, kind, whether it may be `null`, and meaning.
type Column = (&'static str, Kind, bool, &'static str);

const VERDICTS: Kind = Kind::Word(|| Verdict::ALL.map(Verdict::as_str).to_vec());
const CAUSES: Kind = Kind::Word(|| Cause::ALL.iter().map(|cause| cause.as_str()).collect());
const SCOPES: Kind = Kind::Word(|| [Scope::Internal, Scope::External].map(Scope::as_str).to_vec());
const STANDINGS: Kind = Kind::Word(|| Standing::ALL.map(Standing::as_str).to_vec());
const REGIONS: Kind = Kind::Word(|| {
    [Region::Header, Region::Nav, Region::Main, Region::Aside, Region::Footer]
        .map(Region::as_str)
        .to_vec()
});

const LINK: &[Column] = &[
    ("verdict", VERDICTS, false, "What the evidence means"),
    ("cause", CAUSES, true, "Why"),
    ("status", Kind::Number, true, "The last status code (RFC 9110 §15)"),
    ("target", Kind::Text, false, "The URL that the link names, with its fragment"),
    ("final", Kind::Text, true, "The URL after all redirects"),
    ("scope", SCOPES, true, "Within the bounds of the site, or not"),
    ("page", Kind::Text, false, "The page with the link"),
    ("line", Kind::Number, true, "Line of the start of the tag, from 1"),
    ("column", Kind::Number, true, "Column of the start of the tag in code points, from 1"),
    ("element", Kind::Text, false, "The element"),
    ("attribute", Kind::Text, false, "The attribute"),
    ("text", Kind::Text, true, "The link text, or the alt text of an image"),
    ("written", Kind::Text, false, "The reference as written in the source"),
    ("region", REGIONS, true, "The nearest landmark"),
    ("rel", Kind::Text, true, "The rel attribute"),
    ("shared", Kind::Number, false, "The number of pages with the same link"),
    ("standing", STANDINGS, true, "The verdict over time"),
    ("notes", Kind::List, false, "Notes about the link"),
    ("first_seen", Kind::Time, true, "When the run began that first found it"),
    ("checked_at", Kind::Time, true, "When the target was last requested"),
    ("ms", Kind::Number, true, "How long the last request took, in milliseconds"),
    ("attempts", Kind::Number, false, "How many requests the verdict took"),
    ("page_title", Kind::Text, true, "The title of the page"),
    ("link_title", Kind::Text, true, "The title attribute of the link"),
    ("edit", Kind::Text, true, "Where the page is edited"),
];

const TARGET: &[Column] = &[
    ("verdict", VERDICTS, false, "What the evidence means, of the worst link"),
    ("cause", CAUSES, true, "Why"),
    ("status", Kind::Number, true, "The last status code (RFC 9110 §15)"),
    ("target", Kind::Text, false, "The URL; with its fragment if that is what is missing"),
    ("final", Kind::Text, true, "The URL after all redirects"),
    ("scope", SCOPES, true, "Within the bounds of the site, or not"),
    ("type", Kind::Text, true, "The media type of the response"),
    ("bytes", Kind::Number, true, "The length of the body, in bytes"),
    ("title", Kind::Text, true, "The title, if it is a page"),
    ("ms", Kind::Number, true, "How long the last request took, in milliseconds"),
    ("depth", Kind::Number, true, "The number of links from the start page"),
    ("pages", Kind::Number, false, "The number of pages that link to it"),
    ("server", Kind::Text, true, "The Server header"),
    ("charset", Kind::Text, true, "The charset of the media type"),
    ("standing", STANDINGS, true, "The verdict over time, of the first link"),
    ("notes", Kind::List, false, "Notes about the target"),
    ("first_seen", Kind::Time, true, "When the run began that first found it"),
    ("checked_at", Kind::Time, true, "When it was last requested"),
    ("description", Kind::Text, true, "The description of the page"),
    ("modified", Kind::Text, true, "The Last-Modified header, as sent"),
    ("places", Kind::List, false, "The first links to it: page, line and column"),
    ("edit", Kind::Text, true, "Where the page of the first link is edited"),
];

/// The schema of a file in json, and of each line of one in jsonl.
#[must_use]
pub fn schema() -> Value {
    json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": format!("Results of Rummage, version {VERSION}"),
        "description": "A json file is a list of targets, each with its evidence and links. A line \
            of a jsonl file is a link, or with --group target, a target. New keys may be added.",
        "oneOf": [
            { "type": "array", "items": { "$ref": "#/$defs/target_with_links" } },
            { "$ref": "#/$defs/link" },
            { "$ref": "#/$defs/target" },
        ],
        "$defs": {
            "link": object(LINK),
            "target": object(TARGET),
            "target_with_links": {
                "allOf": [{ "$ref": "#/$defs/target" }],
                "required": ["evidence", "links"],
                "properties": {
                    "evidence": {
                        "description": "The requests, by redirect hop",
                        "type": "array",
                        "items": { "$ref": "#/$defs/hop" },
                    },
                    "links": { "type": "array", "items": { "$ref": "#/$defs/link" } },
                },
            },
            "hop": {
                "type": "object",
                "required": ["address", "attempts"],
                "properties": {
                    "address": { "type": "string", "description": "The URL of the hop" },
                    "attempts": { "type": "array", "items": { "$ref": "#/$defs/attempt" } },
                },
            },
            "attempt": {
                "type": "object",
                "required": ["at", "method", "status", "failure", "ms", "strained"],
                "properties": {
                    "at": { "type": "string", "format": "date-time" },
                    "method": { "enum": ["HEAD", "GET"] },
                    "status": { "type": ["integer", "null"] },
                    "failure": {
                        "type": ["string", "null"],
                        "description": "Why there was no response, in words",
                    },
                    "ms": { "type": "integer", "minimum": 0 },
                    "strained": {
                        "type": "boolean",
                        "description": "It failed while its host was slowing down",
                    },
                },
            },
        },
    })
}

fn object(columns: &[Column]) -> Value {
    let properties: Map<String, Value> = columns
        .iter()
        .map(|(name, kind, is_optional, meaning)| {
            ((*name).to_owned(), property(*kind, *is_optional, meaning))
        })
        .collect();
    let required: Vec<&str> = columns.iter().map(|(name, ..)| *name).collect();
    json!({ "type": "object", "required": required, "properties": properties })
}

fn property(kind: Kind, is_optional: bool, meaning: &str) -> Value {
    let typed = |name: &str| match is_optional {
        true => json!([name, "null"]),
        false => json!(name),
    };
    let mut property = match kind {
        Kind::Word(words) => {
            let mut words: Vec<Value> = words().into_iter().map(Value::from).collect();
            words.extend(is_optional.then_some(Value::Null));
            json!({ "enum": words })
        }
        Kind::Text => json!({ "type": typed("string") }),
        Kind::Number => json!({ "type": typed("integer"), "minimum": 0 }),
        Kind::Time => json!({ "type": typed("string"), "format": "date-time" }),
        Kind::List => json!({ "type": "array", "items": { "type": "string" } }),
    };
    property["description"] = meaning.into();
    property
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::columns::{LINK_COLUMNS, TARGET_COLUMNS};

    #[test]
    fn the_schema_has_every_column_in_order() {
        let names = |columns: &[Column]| columns.iter().map(|column| column.0).collect::<Vec<_>>();
        assert_eq!(names(LINK), LINK_COLUMNS);
        assert_eq!(names(TARGET), TARGET_COLUMNS);
        let (link, cause) = (&schema()["$defs"]["link"], Cause::NotFound.as_str());
        assert_eq!(link["required"].as_array().map(Vec::len), Some(LINK_COLUMNS.len()));
        let causes = link["properties"]["cause"]["enum"].as_array().expect("it is a list");
        assert!(causes.contains(&cause.into()) && causes.contains(&Value::Null));
    }
}
