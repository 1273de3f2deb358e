//! SARIF 2.1.0 (OASIS, Static Analysis Results Interchange Format): a result for each link.
//!
//! Results are written as they are read, so that their number does not matter. A link has the file
//! of its page where that is known, else the URL of the page.

use std::collections::BTreeSet;
use std::io::Write;
use std::path::Path;

use jiff::SignedDuration;
use rummage_core::findings::selection::{Selection, Standing};
use rummage_core::verdict::{Cause, Verdict};
use rummage_store::{LinkRow, NoteRow, OpenRun, Reader, RunInfo, RunState};
use serde_json::{Value, json};
use url::Url;

use crate::ViewError;
use crate::listing::{Listing, Source};
use crate::phrase::{self, cause_of};
use crate::rows::Shown;
use crate::safe::{safe, shorten, write_json};
use crate::text::{said, target};

const SCHEMA: &str =
    "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json";
/// URLs are cut to this many characters in messages.
const LONGEST: usize = 300;

/// Writes the matching links of a run.
pub(super) fn write(
    out: &mut dyn Write,
    reader: &Reader,
    run: &OpenRun<'_>,
    selection: &Selection,
    listing: &Listing,
) -> Result<Shown, ViewError> {
    let info = run.info();
    let query = run.query(selection)?;
    let has_before = reader.run_before(info)?.is_some();
    let (mut shown, mut all) = (0, 0);
    let limit = listing.limit.map_or(u64::MAX, |limit| limit as u64);
    let mut rules = BTreeSet::new();
    write!(out, "{{\"$schema\":\"{SCHEMA}\",\"version\":\"2.1.0\",\"runs\":[{{\"results\":[")?;
    query.for_each(|found| {
        all += 1;
        if all > limit {
            return Ok(());
        }
        let row = query.row(found)?;
        rules.insert((rule_id(&row), row.outcome.cause.map(Cause::as_str)));
        out.write_all(if shown == 0 { b"\n" } else { b",\n" })?;
        shown += 1;
        Ok::<_, ViewError>(write_json(out, &result(&row, listing.source.as_ref(), has_before))?)
    })?;
    let rules: Vec<Value> = rules.into_iter().map(|(id, cause)| rule(id, cause)).collect();
    let driver = json!({
        "name": "Rummage",
        "version": info.version,
        "informationUri": env!("CARGO_PKG_HOMEPAGE"),
        "rules": rules,
    });
    out.write_all(b"\n],\n\"tool\":")?;
    write_json(out, &json!({ "driver": driver }))?;
    out.write_all(b",\n\"columnKind\":\"unicodeCodePoints\",\n\"invocations\":")?;
    write_json(out, &[invocation(info, &run.totals()?.notes)])?;
    out.write_all(b"}]}\n")?;
    Ok(Shown { shown, all })
}

/// The cause, or for what has none, the verdict.
fn rule_id(row: &LinkRow) -> &'static str {
    row.outcome.cause.map_or(row.outcome.verdict.as_str(), Cause::as_str)
}

/// What a rule means (SARIF §3.49).
fn rule(id: &str, cause: Option<&str>) -> Value {
    let Some(cause) = cause.and_then(Cause::named) else {
        return json!({ "id": id, "shortDescription": { "text": format!("{id}.") } });
    };
    let mut rule = json!({
        "id": id,
        "shortDescription": { "text": format!("{}.", phrase::capitalized(cause.words())) },
        "fullDescription": { "text": cause.meaning() },
    });
    if let Some(advice) = cause.advice() {
        rule["help"] = json!({ "text": phrase::capitalized(advice) });
    }
    rule
}

/// A link as a result (SARIF §3.27).
fn result(row: &LinkRow, source: Option<&Source>, has_before: bool) -> Value {
    let (kind, level) = match row.outcome.verdict {
        Verdict::Broken => ("fail", "error"),
        Verdict::Doubtful => ("fail", "warning"),
        Verdict::Moved => ("fail", "note"),
        Verdict::Sound => ("pass", "none"),
        Verdict::Skipped => ("notApplicable", "none"),
    };
    let name = safe(&shorten(&target(row), LONGEST)).to_string();
    let words = format!("{name}: {} ({}, {})", cause_of(row), row.outcome.verdict, said(row));
    // A closing bracket before an opening parenthesis would begin a link (§3.11.6).
    let words = words.replace("](", "] (");
    let mut place = json!({ "artifactLocation": { "uri": uri(row, source) } });
    if row.line > 0 {
        place["region"] = json!({ "startLine": row.line, "startColumn": row.column.max(1) });
    }
    let mut result = json!({
        "ruleId": rule_id(row),
        "kind": kind,
        "level": level,
        "message": { "text": words },
        "locations": [{ "physicalLocation": place }],
        "partialFingerprints": { "finding/v1": fingerprint(row) },
        "suppressions": if row.waived { json!([{ "kind": "external" }]) } else { json!([]) },
        "properties": {
            "target": row.full_target(),
            "status": row.outcome.status,
        },
    });
    // A list has a path of its own machine.
    if row.page.starts_with("http") {
        result["properties"]["page"] = row.page.clone().into();
    }
    if has_before {
        let is_new = row
            .history
            .is_some_and(|history| matches!(history.standing, Standing::New | Standing::Returned));
        result["baselineState"] = if is_new { "new" } else { "unchanged" }.into();
    }
    result
}

/// What stays the same when a page is edited: page, target and element, not line and column.
fn fingerprint(row: &LinkRow) -> String {
    use sha2::{Digest as _, Sha256};
    let parts = [&row.page, &target(row), &row.element].map(String::as_str).join("\n");
    let hash = Sha256::digest(parts);
    hash.iter().take(16).map(|byte| format!("{byte:02x}")).collect()
}

/// The file of a page, relative to the current folder if it is in it, or the URL of the page
/// (SARIF §3.4.3: a URI or a relative reference).
fn uri(row: &LinkRow, source: Option<&Source>) -> String {
    match source {
        Some(Source::File(name)) => match name(&row.page) {
            Some(file) => file_uri(Path::new(&file)),
            None => row.page.clone(),
        },
        _ => row.page.clone(),
    }
}

fn file_uri(file: &Path) -> String {
    if let Ok(url) = Url::from_file_path(file) {
        return url.into();
    }
    // A colon in the first part of a relative reference would make it a scheme (RFC 3986 §4.2).
    let base = Url::parse("file:///").expect("it is a URL");
    let text = file.to_string_lossy().replace('\\', "/").replace('%', "%25");
    let joined = base.join(&format!("./{}", text.replace('?', "%3F").replace('#', "%23")));
    joined.map_or(text, |url| url.path().trim_start_matches('/').to_owned())
}

/// How the run went (SARIF §3.20): one that is unfinished or suspicious was not successful.
fn invocation(run: &RunInfo, notes: &[NoteRow]) -> Value {
    let mut notices: Vec<Value> = notes
        .iter()
        .map(|row| json!({ "level": "warning", "message": { "text": phrase::note(run, row) } }))
        .collect();
    if !run.state.is_complete() {
        let text = "The run is unfinished: something that was not checked may be broken.";
        notices.push(json!({ "level": "error", "message": { "text": text } }));
    }
    let took = SignedDuration::try_from(run.took).unwrap_or(SignedDuration::ZERO);
    json!({
        "executionSuccessful": run.state == RunState::Finished,
        "startTimeUtc": run.started_at.strftime("%Y-%m-%dT%H:%M:%SZ").to_string(),
        "endTimeUtc": (run.started_at + took).strftime("%Y-%m-%dT%H:%M:%SZ").to_string(),
        "toolExecutionNotifications": notices,
    })
}
