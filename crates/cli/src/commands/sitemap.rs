//! `rummage sitemap`: the working pages of a site, for search engines.

use std::collections::{BTreeMap, HashMap};
use std::io::Write as _;
use std::path::{Path, PathBuf};

use flate2::Compression;
use flate2::write::GzEncoder;
use jiff::Timestamp;
use rummage_core::findings::selection::Selection;
use rummage_core::sitemap::{LeftOut, PageFacts, left_out};
use rummage_store::{OpenRun, Reader, RunInfo, RunKind, RunState, StoreError, StoredUrl};
use rummage_view::{SitemapParts, ViewError, count, counted, safe, sitemap_index};
use url::Url;

use crate::args::{CheckOptions, SitemapArgs};
use crate::failure::{Exit, Failure};
use crate::listing::whole_file;
use crate::session::Session;
use crate::urls;

/// Runs by earlier rules did not read which pages are kept out of search engines.
const FIRST_RULES: u32 = 5;

pub(crate) fn run(args: &SitemapArgs, session: &Session) -> Result<Exit, Failure> {
    let reader = session.reader()?;
    let info = complete_run(args, session, &reader)?;
    let home = Url::parse(&info.start).map_err(|_| Failure::Usage {
        what: format!("{} has no pages on the web", safe(&info.site)),
        hint: "Crawl the site first: rummage crawl www.example.test".to_owned(),
    })?;
    let at = match &args.at {
        Some(at) => folder(urls::url(at)?),
        None => home.join("/").expect("every web URL has a root"),
    };
    let open = reader.open_run(info)?;
    let mut files = Files { file: &args.output, at: &at, parts: Vec::new() };
    let (mut parts, mut urls, mut left) = (SitemapParts::default(), 0, BTreeMap::new());
    for_each_page(&open, &home, |page| {
        match page {
            Ok((url, modified)) => {
                urls += 1;
                if let Some(full) = parts.add(&url, modified) {
                    files.write_part(&full)?;
                }
            }
            Err(reason) => *left.entry(reason).or_insert(0) += 1,
        }
        Ok(())
    })?;
    if urls == 0 {
        return Err(Failure::Usage {
            what: "no page of this run belongs in a sitemap".to_owned(),
            hint: format!("Left out: {}.", reasons(&left)),
        });
    }
    let written = files.finish(&parts.finish())?;
    if !session.terminal.quiet {
        let mut err = session.terminal.stderr();
        let urls = counted(urls, "URL", "URLs");
        let _ = writeln!(err, "{urls} in {written}");
        if !left.is_empty() {
            let _ = writeln!(err, "left out: {}", reasons(&left));
        }
        if ignores_robots(open.info()) {
            let _ = writeln!(
                err,
                "this run did not obey the robots.txt of the site: pages that it disallows are not \
                 left out"
            );
        }
    }
    Ok(Exit::Fine)
}

/// A URL to which the name of a file can be added.
fn folder(mut url: Url) -> Url {
    if !url.path().ends_with('/') {
        let path = format!("{}/", url.path());
        url.set_path(&path);
    }
    url
}

/// Whether a run parsed pages that robots.txt may disallow.
fn ignores_robots(run: &RunInfo) -> bool {
    let options: CheckOptions = serde_json::from_str(&run.options).unwrap_or_default();
    options.robots.is_some_and(|robots| robots != "obey")
}

/// `3 noindex, 1 not canonical`
fn reasons(left: &BTreeMap<LeftOut, u64>) -> String {
    let reasons =
        left.iter().map(|(reason, pages)| format!("{} {}", count(*pages), reason.words()));
    let reasons: Vec<String> = reasons.collect();
    if reasons.is_empty() { "nothing".to_owned() } else { reasons.join(", ") }
}

/// A run that has seen all pages: a sitemap of any other would lack some.
fn complete_run(
    args: &SitemapArgs,
    session: &Session,
    reader: &Reader,
) -> Result<RunInfo, Failure> {
    let given = session.run(reader, args.run)?;
    let is_whole = |run: &RunInfo| {
        run.state == RunState::Finished && matches!(run.kind, RunKind::Crawl | RunKind::Recheck)
    };
    let runs = if args.run.is_some() { Vec::new() } else { reader.runs()? };
    let earlier = runs.into_iter().rev().find(|run| run.site == given.site && is_whole(run));
    let Some(run) = Some(given.clone()).filter(is_whole).or(earlier) else {
        return Err(Failure::Usage {
            what: format!("run {} is not a complete run of the whole site", given.number),
            hint: "A sitemap of it would lack pages. Crawl the site first, or continue: \
                   rummage crawl --resume"
                .to_owned(),
        });
    };
    if run.rules < FIRST_RULES {
        return Err(Failure::Usage {
            what: format!("run {} was made by an earlier version of Rummage", run.number),
            hint: "It did not read which pages are noindex. Crawl the site again.".to_owned(),
        });
    }
    Ok(run)
}

/// A page for the sitemap, or why it is left out.
type Page = Result<(String, Option<Timestamp>), LeftOut>;

/// Calls `take` with the pages of a run, in the order of their rank.
fn for_each_page(
    run: &OpenRun<'_>,
    home: &Url,
    mut take: impl FnMut(Page) -> Result<(), Failure>,
) -> Result<(), Failure> {
    let canonical = canonical_urls(run)?;
    for rank in 0..run.parsed() {
        let number = run.page_at(rank);
        let row = run.target_row(number)?;
        let Some(answer) = row.answer.filter(|answer| answer.is_html()) else { continue };
        let page = PageFacts {
            url: &row.url,
            verdict: row.outcome.verdict,
            hops: row.outcome.hops,
            noindex: answer.noindex,
            canonical: canonical.get(&number).map(String::as_str),
        };
        let reason = left_out(page, home);
        let modified = answer.last_modified.as_deref().and_then(modified);
        // A clock that is ahead says nothing about the page.
        let modified = modified.filter(|modified| *modified <= run.info().started_at);
        take(reason.map_or(Ok((row.url, modified)), Err))?;
    }
    Ok(())
}

/// The canonical URL that each page names, if it names one (RFC 6596).
fn canonical_urls(run: &OpenRun<'_>) -> Result<HashMap<StoredUrl, String>, StoreError> {
    let selection = Selection { rels: vec!["canonical".to_owned()], ..Selection::all() };
    let mut urls = HashMap::new();
    run.query(&selection)?.for_each(|found| {
        let target = run.url(found.target)?;
        urls.entry(run.page_at(found.page)).or_insert(target);
        Ok::<_, StoreError>(())
    })?;
    Ok(urls)
}

/// An HTTP date (RFC 9110 §5.6.7).
fn modified(date: &str) -> Option<Timestamp> {
    let time = httpdate::parse_http_date(date).ok()?;
    Timestamp::try_from(time).ok()
}

/// The files of a sitemap: one, or several and their index.
struct Files<'a> {
    file: &'a Path,
    at: &'a Url,
    /// The URLs of the parts so far.
    parts: Vec<String>,
}

impl Files<'_> {
    /// Writes one of several parts.
    fn write_part(&mut self, xml: &str) -> Result<(), Failure> {
        let file = self.part(self.parts.len() + 1);
        write(&file, xml)?;
        let name = file.file_name().unwrap_or_default().to_string_lossy();
        let url = self.at.join(&format!("./{name}"));
        self.parts.push(url.map_or_else(|_| name.to_string(), String::from));
        Ok(())
    }

    /// Writes the last part, and the index if there are several; says what was written.
    fn finish(mut self, xml: &str) -> Result<String, Failure> {
        let name = safe(&self.file.display().to_string()).to_string();
        if self.parts.is_empty() {
            write(self.file, xml)?;
            return Ok(name);
        }
        self.write_part(xml)?;
        // Last, so that it never names a part that is not there.
        write(self.file, &sitemap_index(&self.parts))?;
        Ok(format!("{} files, of which {name} is the index", self.parts.len() + 1))
    }

    /// `sitemap-1.xml` for `sitemap.xml`, and the same with `.gz`.
    fn part(&self, number: usize) -> PathBuf {
        let name = self.file.file_name().unwrap_or_default().to_string_lossy();
        let (stem, end) = name.split_once('.').unwrap_or((&name, ""));
        let dot = if end.is_empty() { "" } else { "." };
        self.file.with_file_name(format!("{stem}-{number}{dot}{end}"))
    }
}

fn write(file: &Path, xml: &str) -> Result<(), Failure> {
    let is_compressed = file.extension().is_some_and(|end| end.eq_ignore_ascii_case("gz"));
    whole_file(file, |mut handle| {
        let written = if is_compressed {
            let mut encoder = GzEncoder::new(handle, Compression::default());
            encoder.write_all(xml.as_bytes()).and_then(|()| encoder.finish().map(drop))
        } else {
            handle.write_all(xml.as_bytes())
        };
        Ok(written.map_err(ViewError::from)?)
    })
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn parts_are_named_after_the_file() {
        let at = Url::parse("https://a.test/").unwrap();
        let name = |file: &str| {
            let files = Files { file: Path::new(file), at: &at, parts: Vec::new() };
            files.part(2).display().to_string()
        };
        assert_eq!(
            name("x/sitemap.xml"),
            Path::new("x").join("sitemap-2.xml").display().to_string()
        );
        assert_eq!(name("sitemap.xml.gz"), "sitemap-2.xml.gz");
        assert_eq!(name("map"), "map-2");
    }

    #[test]
    fn http_dates_become_moments() {
        let parsed = modified("Sun, 06 Nov 1994 08:49:37 GMT").map(|time| time.to_string());
        assert_eq!(parsed.as_deref(), Some("1994-11-06T08:49:37Z"));
        assert_eq!(modified("yesterday"), None);
    }
}
