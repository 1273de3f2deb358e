//! Writes a large site of plain files: the one that all figures are measured on.
//!
//!     cargo run --release -p rummage-demo --example large_site -- FOLDER [PAGES]
//!
//! Equal arguments write equal bytes.

use std::path::Path;
use std::{env, fs, io};

use rummage_demo::{LARGE_SITE_PICTURES, large_site};

fn main() -> io::Result<()> {
    let mut arguments = env::args().skip(1);
    let folder = arguments.next().ok_or_else(|| io::Error::other("name a folder"))?;
    let pages = arguments.next().and_then(|pages| pages.parse().ok()).unwrap_or(5000);
    for (path, html) in large_site(pages) {
        let path = Path::new(&folder).join(path.trim_start_matches('/'));
        fs::create_dir_all(path.parent().expect("every page has a folder"))?;
        fs::write(path, html)?;
    }
    let pictures = Path::new(&folder).join("pictures");
    fs::create_dir_all(&pictures)?;
    for picture in 0..LARGE_SITE_PICTURES {
        fs::write(pictures.join(format!("{picture}.jpg")), b"\xff\xd8\xff\xd9")?;
    }
    fs::write(Path::new(&folder).join("style.css"), "body { margin: auto }\n")
}
