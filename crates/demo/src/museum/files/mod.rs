//! Files for commands that need some: a folder of built pages before a launch, one that was copied
//! from an old server, a spreadsheet of URLs from a colleague, an access log of the museum's server. Each comes with the truth about
//! it.

mod built;
mod log;
mod moved;

use std::io;
use std::path::Path;

pub use built::{BUILT_TRUTH, BUILT_UNREACHED, built};
pub use log::{ARRIVED, Arrived, access_log};
pub use moved::{MOVED_TRUTH, moved};

/// A spreadsheet from a colleague, as exported by a spreadsheet program.
#[must_use]
pub fn urls() -> String {
    let mut csv = "\u{feff}No.;What;Address;Remark\r\n".to_owned();
    for (number, (what, url, remark, ..)) in (1..).zip(URLS) {
        let remark = if remark.contains([';', '"', '\n']) {
            format!("\"{}\"", remark.replace('"', "\"\""))
        } else {
            (*remark).to_owned()
        };
        csv += &format!("{number};{what};{url};{remark}\r\n");
    }
    csv
}

/// Label, URL, remark; verdict, cause, status (0 for none) of each row.
pub type Row = (&'static str, &'static str, &'static str, &'static str, &'static str, u16);

/// The rows of [`urls`], with the truth about each.
pub const URLS: &[Row] = &[
    ("Home page", "https://www.ashlock-canal.test/", "", "sound", "", 200),
    ("Visit", "www.ashlock-canal.test/visit/", "no scheme; seen so on a leaflet", "sound", "", 200),
    ("Rota", "https://www.ashlock-canal.test/volunteers/rota.html", "", "broken", "not-found", 404),
    (
        "Rota",
        "https://www.ashlock-canal.test/volunteers/rota.html",
        "the same \"again\"",
        "broken",
        "not-found",
        404,
    ),
    (
        "First newsletter",
        "https://www.ashlock-canal.test/newsletter/1998-01.pdf",
        "",
        "broken",
        "gone",
        410,
    ),
    ("Timetable", "http://trains.westshire.test/timetable", "", "moved", "moved-permanently", 200),
    ("Trains today", "http://trains.westshire.test/today", "", "sound", "redirected", 200),
    (
        "Canal plans",
        "http://archive.westshire.test/canals/ashlock/plans",
        "",
        "broken",
        "gone",
        410,
    ),
    ("Reviews", "http://reviews.daytrips.test/ashlock", "", "doubtful", "access-refused", 403),
    (
        "Society",
        "http://ironwork-society.test/members/",
        "members only",
        "doubtful",
        "login-needed",
        401,
    ),
    ("Old museum", "http://ashlock-museum.test/", "name given up in 2019", "broken", "nxdomain", 0),
    ("Boatyard", "http://boatyard.hollin-wharf.test/", "", "broken", "connection-refused", 0),
    ("Typing error", "htp://boats.hollin-wharf.test/", "", "broken", "malformed-url", 0),
    ("Telephone", "ask Mrs Lomax", "", "broken", "malformed-url", 0),
];

/// Writes all files to a folder: `public/`, `moved/`, `urls.csv`, `access.log`.
///
/// # Errors
/// If the folder cannot be written to.
pub fn write_files(folder: &Path) -> io::Result<()> {
    write_pages(&folder.join("public"), built())?;
    write_pages(&folder.join("moved"), moved())?;
    std::fs::write(folder.join("urls.csv"), urls())?;
    std::fs::write(folder.join("access.log"), access_log())
}

/// Writes pages to a folder.
///
/// # Errors
/// If the folder cannot be written to.
pub fn write_pages(folder: &Path, pages: Vec<(&str, Vec<u8>)>) -> io::Result<()> {
    for (name, bytes) in pages {
        let path = folder.join(name);
        if let Some(parent) = path.parent() {
            std::fs::create_dir_all(parent)?;
        }
        std::fs::write(path, bytes)?;
    }
    Ok(())
}
