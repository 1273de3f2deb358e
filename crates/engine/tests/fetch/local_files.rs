//! Local files are not requested, and parsed like responses.

use std::collections::HashMap;
use std::fs;
use std::io::Write as _;
use std::sync::Arc;

use flate2::Compression;
use flate2::write::GzEncoder;
use rummage_core::crawl::{BodyUse, Response};
use rummage_core::evidence::Method;
use rummage_core::extract::reading::Format;
use rummage_engine::{Config, Document, Folder, LocalFiles};
use tempfile::TempDir;
use url::Url;

use crate::script::{answer, config, fetch, request};

fn folder(files: &[(&str, &[u8])]) -> (TempDir, Config) {
    let folder = TempDir::new().unwrap();
    for (name, bytes) in files {
        fs::write(folder.path().join(name), bytes).unwrap();
    }
    let base = Url::parse("https://a.test/").unwrap();
    let opened = Folder::open(folder.path(), &base, false).unwrap();
    (folder, Config { local_files: LocalFiles::of_folder(Arc::new(opened)), ..config() })
}

fn links(reply: &Response) -> Vec<String> {
    let reading = reply.reading.as_ref().expect("it was read");
    reading.links().map(|link| link.written.to_owned()).collect()
}

#[tokio::test]
async fn files_get_a_media_type_by_extension_and_pages_are_parsed() {
    let long = format!("<a href=first>f</a>{}<a href=last>l</a>", " ".repeat(99_990));
    let (_folder, config) = folder(&[
        ("index.html", b"<a href=x>x</a><meta charset=iso-8859-1>\xe9"),
        ("style.css", b"@import 'more.css'"),
        ("picture.png", b"\x89PNG"),
        ("long.html", long.as_bytes()),
    ]);
    let home = fetch(config.clone(), request("http://www.a.test/")).await;
    assert_eq!((answer(&home).status, links(&home)), (200, vec!["x".to_owned()]));
    let stylesheet = fetch(config.clone(), request("https://a.test/style.css")).await;
    assert_eq!(answer(&stylesheet).media_type.as_deref(), Some("text/css"));
    assert_eq!(links(&stylesheet), ["more.css"]);
    let picture = fetch(config.clone(), request("https://a.test/picture.png?v=2")).await;
    assert_eq!(answer(&picture).media_type.as_deref(), Some("image/png"));
    assert_eq!((answer(&picture).length, picture.reading.is_none()), (Some(4), true));
    let mut head = request("https://a.test/");
    head.method = Method::Head;
    assert!(fetch(config.clone(), head).await.reading.is_none());
    let missing = fetch(config.clone(), request("https://a.test/none")).await;
    assert_eq!(answer(&missing).status, 404);
    let long = fetch(config, request("https://a.test/long.html")).await;
    assert_eq!(links(&long), ["first"], "up to the limit");
    assert!(long.reading.unwrap().cut);
}

#[tokio::test]
async fn a_truncated_gzip_sitemap_is_read_as_far_as_possible() {
    let mut packed = GzEncoder::new(Vec::new(), Compression::fast());
    packed.write_all(b"<urlset><url><loc>https://a.test/x</loc></url></urlset>").unwrap();
    let packed = packed.finish().unwrap();
    let (_folder, config) =
        folder(&[("map.xml.gz", &packed), ("truncated.xml", &packed[..packed.len() - 9])]);
    for name in ["map.xml.gz", "truncated.xml"] {
        let mut wanted = request(&format!("https://a.test/{name}"));
        wanted.body = BodyUse::Sitemap;
        let reply = fetch(config.clone(), wanted).await;
        assert_eq!(links(&reply), ["https://a.test/x"], "{name}");
    }
}

#[tokio::test]
async fn documents_are_served_unchanged() {
    let page = Document::Bytes("<title>Draft</title><a href=x>x</a>".into(), Format::Html);
    let list = rummage_core::extract::lists::lines(b"http://a.test/").reading();
    let documents = HashMap::from([
        ("https://a.test/draft".to_owned(), page),
        ("file:///list".to_owned(), Document::Read(Box::new(list))),
    ]);
    let config = Config { local_files: LocalFiles::of_documents(documents), ..config() };
    let draft = fetch(config.clone(), request("https://a.test/draft")).await;
    assert_eq!(draft.reading.as_ref().and_then(|reading| reading.title()), Some("Draft"));
    assert_eq!(links(&draft), ["x"]);
    let list = fetch(config.clone(), request("file:///list")).await;
    assert_eq!(links(&list), ["http://a.test/"]);
    // No other file of this machine is served.
    let other = fetch(config, request("file:///etc/hostname")).await;
    assert_eq!((answer(&other).status, other.reading.is_none()), (404, true));
}
