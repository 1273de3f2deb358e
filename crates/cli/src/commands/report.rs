//! `rummage report`: a run, to hand over.

use std::collections::BTreeSet;
use std::fs;
use std::io::{Read as _, Write as _};
use std::path::Path;

use rummage_core::findings::portion::top_folder;
use rummage_core::findings::selection::Selection;
use rummage_store::{OpenRun, StoreError};
use rummage_view::{Heading, Listing, Logo, ViewError};

use super::findings::{exit_for, listing, selection};
use crate::args::{Format, ReportArgs};
use crate::baseline::Known;
use crate::failure::{Exit, Failure};
use crate::routes::Part;
use crate::session::Session;
use crate::{output, results, routes};

/// The largest logo and introduction, in bytes.
const LARGEST: u64 = 500_000;

pub(crate) fn run(args: &ReportArgs, session: &Session) -> Result<Exit, Failure> {
    if args.schema {
        return schema(session);
    }
    // Invalid options are reported first.
    args.showing.listing(session.terminal.verbose)?;
    if args.showing.output.is_none() && args.showing.format.is_none() {
        return Err(Failure::Usage {
            what: "no file is named".to_owned(),
            hint: "Name one: rummage report -o report.html".to_owned(),
        });
    }
    let known = Known::of(args.known.baseline.as_deref())?;
    let heading = heading(args)?;
    let reader = session.reader()?;
    let run = session.run(&reader, args.stored.run)?;
    let listing = Listing {
        heading,
        mask_secrets: Some(!args.show_secrets),
        ..listing(&args.showing, session, &session.config, &run)?
    };
    let selection = selection(&args.stored, session, &reader, &run)?;
    let open = reader.open_run(run)?;
    let (showing, terminal) = (&args.showing, session.terminal);
    if args.route.is_none() && !args.by_folder {
        results::list(&reader, &open, &selection, &listing, showing, terminal)?;
    }
    for Part { file, name, pages } in parts(args, &open, &selection)? {
        let selection = Selection { portion: Some(pages), ..selection.clone() };
        let heading = Heading { part: Some(name), ..listing.heading.clone() };
        let listing = Listing { heading, ..listing.clone() };
        let showing = showing.named(&file);
        results::list(&reader, &open, &selection, &listing, &showing, terminal)?;
    }
    exit_for(&open, args.fail_on, known.as_ref(), session.terminal)
}

fn schema(session: &Session) -> Result<Exit, Failure> {
    let mut out = output::buffered(session.terminal.stdout());
    let schema = serde_json::to_string_pretty(&rummage_view::schema());
    writeln!(out, "{}", schema.expect("a schema is plain data")).map_err(ViewError::from)?;
    out.flush().map_err(ViewError::from)?;
    Ok(Exit::Fine)
}

/// The parts that get a file each; none if all pages are in one.
fn parts(
    args: &ReportArgs,
    run: &OpenRun<'_>,
    selection: &Selection,
) -> Result<Vec<Part>, Failure> {
    let parts = match (&args.route, args.by_folder) {
        (None, false) => return Ok(Vec::new()),
        (Some(file), _) => routes::of_owners(&routes::read(file)?),
        (None, true) => routes::of_folders(folders(run, selection)?),
    };
    if args.by_folder && parts.len() > routes::MOST_FOLDERS {
        return Err(Failure::Usage {
            what: format!(
                "the pages are in {} top folders",
                rummage_view::count(parts.len() as u64)
            ),
            hint: "Select some with --page, or name owners with --route.".to_owned(),
        });
    }
    if args.showing.file().is_none() {
        return Err(Failure::Usage {
            what: "several reports need the name of a file".to_owned(),
            hint: "Name one with --output: report.html becomes report-NAME.html.".to_owned(),
        });
    }
    Ok(parts)
}

/// The top folders of the pages with matching links; empty for pages in none.
fn folders(run: &OpenRun<'_>, selection: &Selection) -> Result<BTreeSet<String>, Failure> {
    let (mut folders, mut last) = (BTreeSet::new(), None);
    run.query(selection)?.for_each(|found| {
        if last.replace(found.page) != Some(found.page) {
            folders.insert(top_folder(&run.url(run.page_at(found.page))?).to_owned());
        }
        Ok::<_, StoreError>(())
    })?;
    Ok(folders)
}

fn heading(args: &ReportArgs) -> Result<Heading, Failure> {
    let is_page =
        matches!(args.showing.destination()?.form, Format::Report(format) if format.has_heading());
    let given = [
        ("--title", args.title.is_some()),
        ("--logo", args.logo.is_some()),
        ("--intro", args.intro.is_some()),
    ];
    if let Some((option, _)) = given.iter().find(|(_, given)| *given && !is_page) {
        return Err(Failure::Usage {
            what: format!("{option} is for reports in HTML"),
            hint: "Leave it out, or name an .html file with --output.".to_owned(),
        });
    }
    let intro = match &args.intro {
        None => None,
        Some(file) => Some(
            String::from_utf8(bytes(file, "--intro")?)
                .map_err(|_| wrong("--intro", file, "it is not UTF-8", "Save it as UTF-8."))?,
        ),
    };
    let logo = args.logo.as_deref().map(logo).transpose()?;
    Ok(Heading { title: args.title.clone(), logo, intro, all_links_in: None, part: None })
}

/// A picture in a format that browsers show, recognized by its first bytes.
fn logo(file: &Path) -> Result<Logo, Failure> {
    let bytes = bytes(file, "--logo")?;
    let start = String::from_utf8_lossy(&bytes[..bytes.len().min(1000)]).to_ascii_lowercase();
    let media_type = match bytes.as_slice() {
        [0x89, b'P', b'N', b'G', ..] => "image/png",
        [0xff, 0xd8, 0xff, ..] => "image/jpeg",
        [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => "image/webp",
        _ if start.contains("<svg") => "image/svg+xml",
        _ => {
            let hint = "Use PNG, JPEG, SVG or WebP.";
            return Err(wrong(
                "--logo",
                file,
                "it is not a picture that every browser shows",
                hint,
            ));
        }
    };
    Ok(Logo { media_type, bytes })
}

fn bytes(file: &Path, option: &'static str) -> Result<Vec<u8>, Failure> {
    let check = "Check the name and the permissions.";
    let opened = fs::File::open(file);
    let opened = opened.map_err(|error| wrong(option, file, &error.to_string(), check))?;
    let mut bytes = Vec::new();
    let read = opened.take(LARGEST + 1).read_to_end(&mut bytes);
    read.map_err(|error| wrong(option, file, &error.to_string(), check))?;
    if bytes.len() as u64 > LARGEST {
        return Err(wrong(option, file, "it is larger than 500 KB", "Use a smaller file."));
    }
    Ok(bytes)
}

fn wrong(option: &str, file: &Path, why: &str, hint: &str) -> Failure {
    let name = rummage_view::safe(&file.display().to_string()).to_string();
    Failure::Usage { what: format!("cannot use {option} {name}: {why}"), hint: hint.to_owned() }
}
