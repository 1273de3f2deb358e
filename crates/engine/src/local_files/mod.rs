//! Files that are read from disk instead of requested over the network: a folder of built pages,
//! served as by a web server, and documents that the user has given.

mod folder;

use std::collections::HashMap;
use std::fs::File;
use std::io::{self, BufRead as _, BufReader, Read};
use std::sync::Arc;
use std::time::{Duration, Instant};

use bytes::Bytes;
use flate2::bufread::MultiGzDecoder;
use rummage_core::crawl::{BodyUse, Request};
use rummage_core::evidence::{AttemptOutcome, Failure, Method, ResponseHead};
use rummage_core::extract::reading::{Format, Reading};
use rummage_core::extract::signs::Signs;
use tokio::sync::Semaphore;
use url::Url;

pub use folder::Folder;
use folder::FolderMatch;

use crate::parsing::Parsing;

/// How many bytes are read at once.
const CHUNK: usize = 64 * 1024;

/// The local files of a crawl; by default, none.
#[derive(Debug, Clone, Default)]
pub struct LocalFiles {
    folder: Option<Arc<Folder>>,
    /// Twice as many files are read at a time as there are cores, so that none is idle while a page
    /// is handed on. More would not be faster, and each holds a page in memory.
    readers: Option<Arc<Semaphore>>,
    documents: Arc<HashMap<String, Document>>,
}

/// A document that the user has given.
#[derive(Debug, Clone)]
pub enum Document {
    /// Its bytes and format.
    Bytes(Bytes, Format),
    /// Its parsed contents.
    Read(Box<Reading>),
}

/// The outcome, the time it took, and the parsed contents.
pub(crate) type Given = (AttemptOutcome, Duration, Option<Reading>);

impl LocalFiles {
    /// A folder, for the URLs that belong to it.
    #[must_use]
    pub fn of_folder(folder: Arc<Folder>) -> LocalFiles {
        let cores = std::thread::available_parallelism().map_or(2, usize::from);
        let readers = Some(Arc::new(Semaphore::new(2 * cores)));
        LocalFiles { folder: Some(folder), readers, ..LocalFiles::default() }
    }

    /// Documents by URL, in normal form.
    #[must_use]
    pub fn of_documents(documents: HashMap<String, Document>) -> LocalFiles {
        LocalFiles::default().with_documents(documents)
    }

    /// The same with these documents, by URL.
    #[must_use]
    pub fn with_documents(self, documents: HashMap<String, Document>) -> LocalFiles {
        LocalFiles { documents: Arc::new(documents), ..self }
    }

    /// Whether a URL is served from here.
    #[must_use]
    pub fn has(&self, url: &Url) -> bool {
        url.scheme() == "file"
            || self.documents.contains_key(url.as_str())
            || self.folder.as_ref().is_some_and(|folder| folder.owns(url))
    }

    /// Answers a request; `None` if it has to go over the network.
    pub(crate) async fn answer(&self, request: &Request, parsing: Parsing) -> Option<Given> {
        if self.folder.is_none() && self.documents.is_empty() {
            return None;
        }
        let began = Instant::now();
        if let Some(document) = self.documents.get(&request.url) {
            let (answer, reading) = match document {
                Document::Bytes(bytes, format) => {
                    let answer = ResponseHead { status: 200, ..typed(media_type(*format)) };
                    read(request, *format, &parsing, answer, &mut bytes.as_ref())
                }
                Document::Read(reading) => {
                    let answer = ResponseHead { status: 200, ..typed(media_type(reading.format)) };
                    (answer, Reading::clone(reading))
                }
            };
            return Some((AttemptOutcome::Response(answer), began.elapsed(), Some(reading)));
        }
        let url = Url::parse(&request.url).ok()?;
        if url.scheme() == "file" {
            return Some((status(404), began.elapsed(), None));
        }
        let folder = self.folder.as_ref().filter(|folder| folder.owns(&url))?;
        let (folder, request) = (Arc::clone(folder), request.clone());
        let _turn = match &self.readers {
            Some(readers) => readers.acquire().await.ok(),
            None => None,
        };
        let given = tokio::task::spawn_blocking(move || {
            let (outcome, reading) = of_folder(&folder, &url, &request, &parsing);
            (outcome, began.elapsed(), reading)
        });
        Some(given.await.expect("the reading thread does not panic"))
    }
}

fn of_folder(
    folder: &Folder,
    url: &Url,
    request: &Request,
    parsing: &Parsing,
) -> (AttemptOutcome, Option<Reading>) {
    let path = match folder.find(url) {
        FolderMatch::File(path) => path,
        FolderMatch::At(location) => {
            let answer =
                ResponseHead { status: 301, location: Some(location), ..ResponseHead::default() };
            return (AttemptOutcome::Response(answer), None);
        }
        FolderMatch::Out => return (AttemptOutcome::Failure(Failure::OutOfFolder), None),
        FolderMatch::Nothing => return (status(404), None),
    };
    let mime = mime_guess::from_path(&path).first_or_octet_stream();
    let length = std::fs::metadata(&path).map(|file| file.len()).ok();
    let answer = ResponseHead { status: 200, length, ..typed(mime.essence_str()) };
    let format = request.body.format(&answer).filter(|_| request.method == Method::Get);
    let Some(format) = format else { return (AttemptOutcome::Response(answer), None) };
    let source = File::open(&path).and_then(|file| unpacked(file, format));
    let Ok(mut source) = source else { return (status(403), None) };
    let (answer, reading) = read(request, format, parsing, answer, &mut source);
    (AttemptOutcome::Response(answer), Some(reading))
}

/// Decompresses a file that begins like gzip (RFC 1952 §2.3.1), as sitemaps may.
fn unpacked(file: File, format: Format) -> io::Result<Box<dyn Read>> {
    let mut source = BufReader::with_capacity(CHUNK, file);
    if format == Format::Sitemap && source.fill_buf()?.starts_with(&[0x1f, 0x8b]) {
        return Ok(Box::new(MultiGzDecoder::new(source)));
    }
    Ok(Box::new(source))
}

fn read(
    request: &Request,
    format: Format,
    parsing: &Parsing,
    mut answer: ResponseHead,
    source: &mut dyn Read,
) -> (ResponseHead, Reading) {
    let with_sketch = request.sketch && request.body == BodyUse::Page;
    let mut extractor = parsing.extractor(&request.url, format, None, with_sketch);
    let mut chunk = vec![0; CHUNK];
    // Everything before an error is read.
    while let Ok(length @ 1..) = source.read(&mut chunk) {
        if !extractor.feed(&chunk[..length]) {
            break;
        }
    }
    let reading = extractor.finish();
    answer.signs = Signs::of(&reading);
    answer.upgrades |= reading.upgrades;
    answer.noindex |= reading.noindex;
    (answer, reading)
}

fn typed(media_type: &str) -> ResponseHead {
    ResponseHead { media_type: Some(media_type.to_owned()), ..ResponseHead::default() }
}

fn status(status: u16) -> AttemptOutcome {
    AttemptOutcome::Response(ResponseHead { status, ..ResponseHead::default() })
}

/// The media type for a format.
fn media_type(format: Format) -> &'static str {
    match format {
        Format::Html => "text/html",
        Format::Xhtml => "application/xhtml+xml",
        Format::Css => "text/css",
        Format::Sitemap => "application/xml",
        _ => "text/plain",
    }
}
