//! The JSON Schema of the settings file, for editors that validate while you type.

use std::collections::BTreeMap;

use schemars::{JsonSchema, Schema, schema_for};
use serde_json::{Value, json};

use super::SiteKeys;
use crate::args::CheckOptions;

/// The structure of the file, used only for the schema: parsing goes key by key.
#[derive(JsonSchema)]
#[schemars(rename = "Settings of rummage", deny_unknown_fields)]
#[expect(dead_code, reason = "only its shape is of use")]
struct File {
    /// Settings for every site
    defaults: Option<Section>,
    /// Settings for one site, by its name
    site: Option<BTreeMap<String, Section>>,
}

/// A section: options of a crawl, and further keys.
struct Section;

impl JsonSchema for Section {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Section".into()
    }

    fn json_schema(generator: &mut schemars::SchemaGenerator) -> Schema {
        let mut properties = serde_json::Map::new();
        for schema in [SiteKeys::json_schema(generator), CheckOptions::json_schema(generator)] {
            let schema = schema.to_value();
            if let Some(Value::Object(more)) = schema.get("properties") {
                properties.extend(more.clone());
            }
        }
        let section = json!({
            "type": "object",
            "properties": properties,
            "additionalProperties": false,
        });
        section.try_into().expect("an object is a schema")
    }
}

/// The schema, as it ships.
pub(crate) fn schema() -> Value {
    schema_for!(File).to_value()
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;
    use crate::config::keys::keys;

    /// The file that `init` writes, with every key uncommented.
    fn all_on() -> String {
        let text = crate::config::write::text(None);
        let on = |line: &str| {
            let bare = line.trim_start_matches("# ");
            let is_key =
                |name: &str| bare.strip_prefix(name).is_some_and(|rest| rest.starts_with(" = "));
            let names = ["target", "status"];
            let is_set =
                keys().iter().any(|key| is_key(&key.name)) || names.iter().any(|n| is_key(n));
            if is_set || (bare.starts_with('[') && bare.ends_with(']')) {
                bare.to_owned()
            } else {
                line.to_owned()
            }
        };
        text.lines().map(on).collect::<Vec<_>>().join("\n")
    }

    #[test]
    fn the_written_file_with_every_key_set_matches_the_schema() {
        let text = all_on();
        let value: Value = toml::from_str(&text).unwrap_or_else(|error| panic!("{error}\n{text}"));
        let validator = jsonschema::validator_for(&schema()).unwrap();
        let errors: Vec<String> = validator
            .iter_errors(&value)
            .map(|error| format!("{}: {error}", error.instance_path()))
            .collect();
        assert!(errors.is_empty(), "{errors:#?}\n{text}");
        let section = value["defaults"].as_object().unwrap();
        assert_eq!(section.len() + 1, keys().len(), "all keys except start");

        let wrong = json!({"defaults": {"timout": "5s"}});
        assert!(!validator.is_valid(&wrong), "unknown keys are rejected");
        let wrong = json!({"defaults": {"externals": "sometimes"}});
        assert!(!validator.is_valid(&wrong), "invalid values are rejected");
    }

    #[test]
    fn the_schema_in_the_docs_is_this_one() {
        let shipped = include_str!("../../../../docs/rummage.schema.json");
        let same = serde_json::from_str::<Value>(shipped).unwrap() == schema();
        assert!(same, "rummage settings --schema > docs/rummage.schema.json");
    }
}
