//! Redirects as data: CSV and JSON, for content management systems and scripts.

use rummage_core::mend::redirects::Redirect;
use serde_json::{Value, json as object};

use crate::ViewError;

/// The redirects as CSV (RFC 4180): `from` is path and query, or a prefix of them; `to` is empty
/// for what is gone.
///
/// # Errors
/// See [`ViewError`].
pub fn csv(redirects: &[Redirect]) -> Result<String, ViewError> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    let write = |writer: &mut csv::Writer<Vec<u8>>, row: [&str; 4]| {
        writer.write_record(row).map_err(|error| ViewError::Write(std::io::Error::other(error)))
    };
    write(&mut writer, ["from", "to", "status", "prefix"])?;
    for redirect in redirects {
        let status = redirect.status.to_string();
        let prefix = if redirect.is_prefix { "true" } else { "false" };
        let to = redirect.to.as_deref().unwrap_or_default();
        write(&mut writer, [&redirect.from, to, &status, prefix])?;
    }
    let bytes = writer.into_inner().map_err(|error| ViewError::Write(error.into_error()))?;
    Ok(String::from_utf8(bytes).expect("all of it is text"))
}

/// The redirects as a JSON list of objects with the same keys; `to` is `null` for what is gone.
#[must_use]
pub fn json(redirects: &[Redirect]) -> String {
    let all: Vec<Value> = redirects
        .iter()
        .map(|redirect| {
            object!({
                "from": redirect.from,
                "to": redirect.to,
                "status": redirect.status,
                "prefix": redirect.is_prefix,
            })
        })
        .collect();
    let mut text = serde_json::to_string_pretty(&all).expect("it is plain data");
    text.push('\n');
    text
}
