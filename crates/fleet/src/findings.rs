//! The findings of all sites in one table.

use jiff::Timestamp;
use tokio_postgres::Transaction;
use tokio_postgres::types::ToSql;

use crate::database::{Database, limited};
use crate::error::FleetError;

/// A link that is broken, doubtful or moved.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Finding {
    /// The verdict on its target.
    pub verdict: String,
    /// The cause.
    pub cause: Option<String>,
    /// The last status.
    pub status: Option<u16>,
    /// The target, with its fragment.
    pub target: String,
    /// The host of the target.
    pub host: String,
    /// Internal or external; `None` for what is not an HTTP URL.
    pub scope: Option<String>,
    /// The page with the link.
    pub page: String,
    /// Line of the tag, from 1; `None` for a link in a response header.
    pub line: Option<u32>,
    /// Column of the tag in code points, from 1; `None` for a link in a response header.
    pub column: Option<u32>,
    /// The element.
    pub element: String,
    /// The link text.
    pub text: Option<String>,
    /// The reference as written.
    pub written: String,
    /// The nearest landmark.
    pub region: Option<String>,
    /// Its standing.
    pub standing: Option<String>,
    /// When the run began that found it first.
    pub first_seen: Option<Timestamp>,
    /// When its target was last checked.
    pub checked_at: Option<Timestamp>,
    /// All columns of the link, as a JSON object.
    pub row: String,
}

/// A finding as it is stored.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StoredFinding {
    /// The site's name.
    pub site: String,
    /// Its number in the listing of the site, from 1.
    pub number: i32,
    /// All columns of the link, as a JSON object.
    pub json: String,
}

/// How many are written at a time.
const BATCH: usize = 2000;

/// PostgreSQL's text has no NUL characters (PostgreSQL, "Character Types").
pub(crate) fn storable(text: &str) -> String {
    text.replace('\0', "\u{fffd}")
}

/// A host as far as it is looked up: host names have up to 253 characters (RFC 1035 section 2.3.4),
/// but what a page names may be of any length, and an index entry may not (PostgreSQL, "B-Tree
/// Indexes").
pub(crate) fn host_key(host: &str) -> String {
    storable(host).chars().take(255).collect()
}

/// The same for a JSON text, in which they are escaped.
fn storable_json(json: &str) -> String {
    if !json.contains("\\u0000") {
        return json.to_owned();
    }
    // A backslash before it may be escaped itself.
    let mut out = String::with_capacity(json.len());
    let mut rest = json;
    while let Some(at) = rest.find('\\') {
        let (before, escape) = rest.split_at(at);
        out.push_str(before);
        if let Some(after) = escape.strip_prefix("\\u0000") {
            out.push('\u{fffd}');
            rest = after;
        } else {
            let end = escape.char_indices().nth(2).map_or(escape.len(), |(at, _)| at);
            out.push_str(&escape[..end]);
            rest = &escape[end..];
        }
    }
    out.push_str(rest);
    out
}

/// Replaces the findings of a site.
pub(crate) async fn replace(
    transaction: &Transaction<'_>,
    site: &str,
    findings: &[Finding],
) -> Result<(), FleetError> {
    transaction.execute("DELETE FROM rummage.finding WHERE site = $1", &[&site]).await?;
    let insert = transaction
        .prepare(
            "INSERT INTO rummage.finding (site, number, verdict, cause, status, target, host, scope,
                 page, line, col, element, text, written, region, standing, first_seen,
                 checked_at, row)
             SELECT $1, number, verdict, cause, status, target, host, scope, page, line, col,
                 element, text, written, region, standing, first_seen, checked_at, row::jsonb
             FROM unnest($2::int[], $3::text[], $4::text[], $5::int[], $6::text[], $7::text[],
                 $8::text[], $9::text[], $10::int[], $11::int[], $12::text[], $13::text[],
                 $14::text[], $15::text[], $16::text[], $17::timestamptz[], $18::timestamptz[],
                 $19::text[])
             AS new (number, verdict, cause, status, target, host, scope, page, line, col,
                 element, text, written, region, standing, first_seen, checked_at, row)",
        )
        .await?;
    for (batch, findings) in findings.chunks(BATCH).enumerate() {
        let text = |of: fn(&Finding) -> &str| -> Vec<String> {
            findings.iter().map(|finding| storable(of(finding))).collect()
        };
        let maybe = |of: fn(&Finding) -> Option<&str>| -> Vec<Option<String>> {
            findings.iter().map(|finding| of(finding).map(storable)).collect()
        };
        let number = |of: fn(&Finding) -> Option<u32>| -> Vec<Option<i32>> {
            let number = |number: u32| i32::try_from(number).unwrap_or(i32::MAX);
            findings.iter().map(|finding| of(finding).map(number)).collect()
        };
        let first = batch * BATCH + 1;
        let numbers: Vec<i32> = (first..first + findings.len())
            .map(|number| i32::try_from(number).unwrap_or(i32::MAX))
            .collect();
        let statuses: Vec<Option<i32>> =
            findings.iter().map(|finding| finding.status.map(i32::from)).collect();
        let hosts: Vec<String> = findings.iter().map(|it| host_key(&it.host)).collect();
        let first_seen: Vec<_> = findings.iter().map(|finding| finding.first_seen).collect();
        let checked_at: Vec<_> = findings.iter().map(|finding| finding.checked_at).collect();
        let rows: Vec<String> =
            findings.iter().map(|finding| storable_json(&finding.row)).collect();
        let columns: [&(dyn ToSql + Sync); 19] = [
            &site,
            &numbers,
            &text(|it| &it.verdict),
            &maybe(|it| it.cause.as_deref()),
            &statuses,
            &text(|it| &it.target),
            &hosts,
            &maybe(|it| it.scope.as_deref()),
            &text(|it| &it.page),
            &number(|it| it.line),
            &number(|it| it.column),
            &text(|it| &it.element),
            &maybe(|it| it.text.as_deref()),
            &text(|it| &it.written),
            &maybe(|it| it.region.as_deref()),
            &maybe(|it| it.standing.as_deref()),
            &first_seen,
            &checked_at,
            &rows,
        ];
        transaction.execute(&insert, &columns).await?;
    }
    Ok(())
}

impl Database {
    /// The findings of one site, or of all, by site and then as the site's own listing orders
    /// them. Up to `most` of them, after the one with this site and number.
    ///
    /// # Errors
    /// See [`FleetError`].
    pub async fn findings(
        &self,
        site: Option<&str>,
        after: Option<&(String, i32)>,
        most: i64,
    ) -> Result<Vec<StoredFinding>, FleetError> {
        let after_site = after.map(|(site, _)| site.as_str());
        let after_number = after.map(|(_, number)| *number);
        limited(async {
            let mut taken = self.take().await?;
            let rows = taken
                .client()
                .query(
                    "SELECT site, number, row::text FROM rummage.finding
                     WHERE ($1::text IS NULL OR site = $1)
                       AND ($2::text IS NULL OR (site, number) > ($2, $3))
                     ORDER BY site, number LIMIT $4",
                    &[&site, &after_site, &after_number, &most],
                )
                .await?;
            taken.done();
            let finding = |row: &tokio_postgres::Row| StoredFinding {
                site: row.get(0),
                number: row.get(1),
                json: row.get(2),
            };
            Ok(rows.iter().map(finding).collect())
        })
        .await
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_host_of_any_length_fits_an_index() {
        assert_eq!(host_key("www.a.test:8080"), "www.a.test:8080");
        assert_eq!(host_key(&"é\0".repeat(5000)).chars().count(), 255);
    }

    #[test]
    fn nul_characters_are_replaced_and_nothing_else() {
        assert_eq!(storable("a\0b"), "a\u{fffd}b");
        assert_eq!(storable_json(r#"{"a":"x\u0000y"}"#), "{\"a\":\"x\u{fffd}y\"}");
        // An escaped backslash before the word.
        let escaped = r#"{"a":"x\\u0000y\"\n\u0007é"}"#;
        assert_eq!(storable_json(escaped), escaped);
        assert_eq!(storable_json(r#"\\\u0000"#), "\\\\\u{fffd}");
    }
}
