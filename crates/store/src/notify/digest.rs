//! A digest: what has changed at a site, built from the findings to report.

use std::collections::HashMap;

use jiff::Timestamp;
use rummage_core::findings::identity::TargetIdentity;
use rummage_core::findings::selection::host_of;
use rummage_core::findings::waiver::Waivers;
use rummage_core::schedule::notifications::Notification;
use rusqlite::{Connection, OptionalExtension, params};
use serde::{Deserialize, Serialize};

use crate::db::error::StoreError;
use crate::db::row::text;
use crate::findings::changes::changes;
use crate::model::RunInfo;
use crate::notify::message_id::message_id;
use crate::read::rows::after;
use crate::tables::findings::target_of_row;
use crate::tables::notes::ending_certificates;
use crate::tables::runs::previous;

/// How many targets of each kind of change are listed.
const TARGETS: usize = 40;
/// How many links of each target.
const PLACES: usize = 3;

/// What has changed at a site since the last digest. Commands receive its JSON on standard input.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Digest {
    /// The version of this schema.
    pub schema: u32,
    /// The host of the start URL.
    pub site: String,
    /// The start URL.
    pub start: String,
    /// The title of the start page.
    pub title: Option<String>,
    /// The run that found the changes.
    pub run: i64,
    /// The previous run.
    pub run_before: Option<i64>,
    /// The kind of run: crawl, recheck.
    pub kind: String,
    /// When it began.
    pub began_at: Timestamp,
    /// The message id, the same for each attempt to deliver it.
    pub message_id: String,
    /// The number of targets for each kind of change, and in total.
    pub counts: Counts,
    /// Newly broken targets; in a first run, all broken ones.
    pub broke: Vec<DigestTarget>,
    /// Targets that were fixed, and are back.
    #[serde(rename = "came_back")]
    pub returned: Vec<DigestTarget>,
    /// Targets that were waived, and no longer are.
    pub reopened: Vec<DigestTarget>,
    /// Fixed targets.
    pub healed: Vec<DigestTarget>,
    /// Certificates of the site's hosts that end soon.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub certificates: Vec<EndingCertificate>,
}

/// A certificate that ends soon.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct EndingCertificate {
    /// The host.
    pub host: String,
    /// When it ends.
    pub ends_at: Timestamp,
}

/// Counts of targets.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Counts {
    /// Newly broken.
    pub broke: u64,
    /// Returned.
    #[serde(rename = "came_back")]
    pub returned: u64,
    /// No longer waived.
    pub reopened: u64,
    /// Fixed.
    pub healed: u64,
    /// All broken and doubtful targets.
    pub open: u64,
}

/// A target in a digest.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct DigestTarget {
    /// The URL, with its fragment if that is broken; for a placeholder, the source text.
    pub target: String,
    /// The verdict; for a fixed target, the one it had.
    pub verdict: String,
    /// The cause.
    pub cause: Option<String>,
    /// The last status.
    pub status: Option<u16>,
    /// The number of links.
    pub links: u64,
    /// Some of them.
    pub places: Vec<DigestLink>,
}

/// A link to a target, now or before it was fixed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct DigestLink {
    /// The page.
    pub page: String,
    /// The line, from 1; 0 for a link in a response header.
    pub line: u32,
    /// The column, from 1.
    pub column: u32,
    /// The element.
    pub element: String,
    /// The link text.
    pub text: Option<String>,
    /// The landmark around it.
    pub region: Option<String>,
    /// Where the page is edited, if the settings say so.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub edit: Option<String>,
}

impl Digest {
    /// The digest with the URL of the editor of each page.
    #[must_use]
    pub fn with_edit(mut self, edit: impl Fn(&str) -> String) -> Digest {
        let lists = [&mut self.broke, &mut self.returned, &mut self.reopened, &mut self.healed];
        for place in lists.into_iter().flatten().flat_map(|target| &mut target.places) {
            place.edit = Some(edit(&place.page));
        }
        self
    }

    /// Whether it is about the first run of a site, in which everything is new.
    #[must_use]
    pub fn is_first(&self) -> bool {
        self.run_before.is_none()
    }
}

/// A digest of findings, by their numbers, at the end of a run.
pub(crate) fn of_news(
    db: &Connection,
    run: &RunInfo,
    waivers: &Waivers,
    news: Vec<(i64, Notification)>,
) -> Result<Digest, StoreError> {
    let mut targets: HashMap<(Notification, TargetIdentity<u32>), DigestTarget> = HashMap::new();
    for (id, news) in in_order(db, run, news)? {
        take(db, id, news, &mut targets)?;
    }
    let mut lists: HashMap<Notification, Vec<DigestTarget>> = HashMap::new();
    for ((news, _), target) in targets {
        lists.entry(news).or_default().push(target);
    }
    let mut list = |news: Notification| {
        let mut list = lists.remove(&news).unwrap_or_default();
        // Targets with the most links come first.
        list.sort_by(|a, b| (b.links, &a.target).cmp(&(a.links, &b.target)));
        let count = list.len() as u64;
        list.truncate(TARGETS);
        (count, list)
    };
    let (broke, returned, reopened, healed) = (
        list(Notification::NewlyBroken),
        list(Notification::Returned),
        list(Notification::Reopened),
        list(Notification::Healed),
    );
    let now = changes(db, run, waivers)?;
    Ok(Digest {
        schema: 1,
        site: run.site.clone(),
        start: run.start.clone(),
        title: run.title.clone(),
        run: run.number,
        run_before: previous(db, run)?.map(|before| before.number),
        kind: run.kind.as_str().to_owned(),
        began_at: run.started_at,
        message_id: message_id(run),
        counts: Counts {
            broke: broke.0,
            returned: returned.0,
            reopened: reopened.0,
            healed: healed.0,
            open: now.broken_and_doubtful,
        },
        broke: broke.1,
        returned: returned.1,
        reopened: reopened.1,
        healed: healed.1,
        certificates: certificates(db, run)?,
    })
}

fn certificates(db: &Connection, run: &RunInfo) -> Result<Vec<EndingCertificate>, StoreError> {
    let ending = ending_certificates(db, run.number)?.into_iter().map(|(url, at)| {
        let micros = i64::try_from(at.as_micros()).unwrap_or(i64::MAX);
        EndingCertificate { host: host_of(&url).to_owned(), ends_at: after(run.epoch_at, micros) }
    });
    Ok(ending.collect())
}

/// Sorts links by page and position, since they were collected in any order. Links on removed
/// pages come last.
fn in_order(
    db: &Connection,
    run: &RunInfo,
    news: Vec<(i64, Notification)>,
) -> Result<Vec<(i64, Notification)>, StoreError> {
    let mut select = db.prepare_cached(
        "SELECT coalesce(rank, 4294967295), page.url, line, column
         FROM finding
         JOIN address AS page ON page.id = finding.page
         LEFT JOIN run_page ON run_page.run = ?2 AND run_page.address = finding.page
         WHERE finding.id = ?1",
    )?;
    let mut placed = Vec::with_capacity(news.len());
    for (id, news) in news {
        let place: Option<(i64, String, u32, u32)> = select
            .query_row(params![id, run.number], |row| {
                Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?))
            })
            .optional()?;
        placed.push((place, id, news));
    }
    placed.sort_unstable();
    Ok(placed.into_iter().map(|(_, id, news)| (id, news)).collect())
}

/// Adds one finding.
fn take(
    db: &Connection,
    id: i64,
    news: Notification,
    targets: &mut HashMap<(Notification, TargetIdentity<u32>), DigestTarget>,
) -> Result<(), StoreError> {
    let mut select = db.prepare_cached(
        "SELECT target, fragment, cause, trim(written), verdict, status, line, column, element,
                text, region, page.url, address.url
         FROM finding
         JOIN address ON address.id = target
         JOIN address AS page ON page.id = finding.page
         WHERE finding.id = ?1",
    )?;
    let row = |row: &rusqlite::Row<'_>| {
        let target = (|| {
            let owned = |column| Ok::<_, StoreError>(text(row, column)?.map(str::to_owned));
            let key = target_of_row(row)?;
            let url = text(row, 12)?.unwrap_or_default();
            let target = match (text(row, 2)?, text(row, 1)?) {
                (Some("placeholder"), _) => owned(3)?.unwrap_or_default(),
                (Some("no-such-fragment"), Some(fragment)) => format!("{url}#{fragment}"),
                _ => url.to_owned(),
            };
            let target = DigestTarget {
                target,
                verdict: owned(4)?.unwrap_or_default(),
                cause: owned(2)?,
                status: row.get(5)?,
                links: 0,
                places: Vec::new(),
            };
            let place = DigestLink {
                page: owned(11)?.unwrap_or_default(),
                line: row.get(6)?,
                column: row.get(7)?,
                element: owned(8)?.unwrap_or_default(),
                text: owned(9)?,
                region: owned(10)?,
                edit: None,
            };
            Ok::<_, StoreError>((key, target, place))
        })();
        Ok(target)
    };
    let Some(found) = select.query_row(params![id], row).optional()? else { return Ok(()) };
    let (key, target, place) = found?;
    let target = targets.entry((news, key)).or_insert(target);
    target.links += 1;
    if target.places.len() < PLACES {
        target.places.push(place);
    }
    Ok(())
}
