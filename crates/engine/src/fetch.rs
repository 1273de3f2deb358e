//! Makes one request, without following redirects, and returns the evidence.

use std::sync::Arc;
use std::time::{Duration, Instant, SystemTime};

use bytes::Bytes;
use encoding_rs::Encoding;
use http::header::{self, HeaderValue};
use http_body_util::{BodyExt as _, Empty, Limited};
use hyper::body::Incoming;
use rummage_core::crawl::{BodyUse, Kind, Reply, Request, Response};
use rummage_core::evidence::{
    Attempt, AttemptOutcome, Failure, Method, Purpose, ResponseHead, Stage,
};
use rummage_core::extract::Limits;
use rummage_core::extract::reading::{Format, Reading};
use rummage_core::extract::repeats::Repeats;
use rummage_core::extract::signs::Signs;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};
use tokio::time::timeout;
use url::{Host, Url};

use crate::body::{self, BodyEnd, Room, Shape};
use crate::connections::dial::{Dialer, Network};
use crate::connections::transport::CertificateEnd;
use crate::connections::{Connections, Patience, SendError};
use crate::credentials::Sender;
use crate::fetched::Fetched;
use crate::parsing::Parsing;
use crate::{Clock, Config, headers};

/// How much of an external page is read: enough for its title.
const TITLE_SIZE: usize = 64 * 1024;
/// How many long bodies are read at a time.
const MOST_LARGE: usize = 4;
/// A sitemap, decompressed (sitemaps.org protocol, "Sitemap file location").
const SITEMAP_SIZE: usize = 50 << 20;

/// Makes requests.
#[derive(Clone)]
pub struct Fetcher {
    inner: Arc<Inner>,
}

struct Inner {
    config: Config,
    credentials: Sender,
    network: Arc<Network>,
    connections: Connections<Empty<Bytes>>,
    /// For later attempts: every request has a connection of its own.
    fresh: Dialer,
    clock: Clock,
    /// Permits for long bodies.
    large: Arc<Semaphore>,
    /// Parts of the pages that were read.
    repeats: Arc<Repeats>,
}

impl Fetcher {
    /// A fetcher with these settings and this clock.
    #[must_use]
    pub fn new(config: Config, clock: Clock) -> Fetcher {
        let network = Arc::new(Network::new(config.clone()));
        let half = config.timeout / 2;
        let connections = Connections::new(Dialer::new(Arc::clone(&network), half, false));
        let fresh = Dialer::new(Arc::clone(&network), half * 2, true);
        let credentials = Sender::new(config.credentials.clone());
        let large = Arc::new(Semaphore::new(MOST_LARGE));
        let repeats = Arc::default();
        let inner =
            Inner { config, credentials, network, connections, fresh, clock, large, repeats };
        Fetcher { inner: Arc::new(inner) }
    }

    /// The start URL decides whether private addresses may be requested. To be called before the
    /// first request.
    pub async fn handle_start(&self, start: &Url) {
        if self.inner.config.local_files.has(start) {
            return self.inner.network.handle_start_at_hand(is_near(start));
        }
        self.inner.network.handle_start(start.host_str().unwrap_or_default()).await;
    }

    /// Whether a rule with a wildcard says where to connect for a URL. It gives an address to hosts
    /// that exist; only a rule with a full name needs no DNS.
    #[must_use]
    pub fn has_wildcard_for(&self, url: &Url) -> bool {
        let (host, port) = (url.host_str(), url.port_or_known_default());
        let rules = self.inner.network.connect_rules();
        host.zip(port).is_some_and(|(host, port)| {
            rules.iter().any(|rule| rule.fits(host, port) && !rule.names(host))
        })
    }

    /// Origins of the site that were requested without the user's headers, because nobody named
    /// them: sorted, and the first 20 alone.
    #[must_use]
    pub fn without_credentials(&self) -> Vec<String> {
        self.inner.credentials.withheld()
    }

    /// Whether the user gives headers that are not sent to this URL.
    #[must_use]
    pub fn withholds_credentials_from(&self, url: &Url) -> bool {
        self.inner.credentials.is_withheld_from(url)
    }

    /// Makes a request and returns the evidence.
    pub async fn fetch(&self, request: Request) -> Fetched {
        let began = Instant::now();
        let parsing = self.inner.parsing(self.inner.limit(request.body));
        let mut permit = None;
        let (outcome, took, reading) =
            match self.inner.config.local_files.answer(&request, parsing).await {
                Some((AttemptOutcome::Response(head), took, reading)) => {
                    let head = ResponseHead { local: true, ..head };
                    (AttemptOutcome::Response(head), took, reading)
                }
                Some(given) => given,
                None => self.inner.request_page(&request, began, &mut permit).await,
            };
        let mut attempt = Attempt::new(self.inner.clock.now(), took, request.method, outcome);
        attempt.purpose = request.purpose;
        let reply = Reply { id: request.id, response: Response { attempt, reading } };
        Fetched { reply, permit }
    }
}

impl Fetcher {
    /// Fetches a page to show its source: returns its text, decoded as the response says, else as
    /// UTF-8.
    ///
    /// # Errors
    /// The outcome of the request, if there is no text.
    pub async fn source(&self, request: &Request) -> Result<String, AttemptOutcome> {
        let timed_out = |stage| AttemptOutcome::Failure(Failure::Timeout(stage));
        let inner = &self.inner;
        let mut built = inner.build(request).map_err(AttemptOutcome::Failure)?;
        built.headers_mut().remove(header::ACCEPT_ENCODING);
        let mut patience = Patience::new(inner.config.timeout);
        let responded = inner.send_alone(built, &mut patience).await;
        let response = responded.map_err(|error| AttemptOutcome::Failure(error.to_failure()))?;
        let (head, body) = response.into_parts();
        let answer = headers::answer(head.status.as_u16(), &head.headers, SystemTime::now());
        if !answer.is_success() {
            return Err(AttemptOutcome::Response(answer));
        }
        let limited = Limited::new(body, inner.config.max_size);
        let collected = timeout(inner.config.timeout * 2, limited.collect()).await;
        let bytes = collected.map_err(|_| timed_out(Stage::Body))?.map_err(|_| {
            let why = "the page is too long, or was cut short".to_owned();
            AttemptOutcome::Failure(Failure::BadResponse(why))
        })?;
        let label = answer.charset.as_deref().unwrap_or("utf-8");
        let encoding = Encoding::for_label(label.as_bytes()).unwrap_or(encoding_rs::UTF_8);
        Ok(encoding.decode(&bytes.to_bytes()).0.into_owned())
    }
}

impl Inner {
    async fn request_page(
        &self,
        request: &Request,
        began: Instant,
        permit: &mut Option<OwnedSemaphorePermit>,
    ) -> (AttemptOutcome, Duration, Option<Reading>) {
        if request.purpose == Purpose::Names {
            let url = Url::parse(&request.url).expect("normal forms can be parsed");
            let checked = self.network.check_name(url.host_str().unwrap_or_default()).await;
            if let Err(failure) = checked {
                return (AttemptOutcome::Failure(failure), began.elapsed(), None);
            }
        }
        let most = self.patience(request);
        let mut patience = Patience::new(most);
        let responded = self.send(request, &mut patience).await;
        let took = began.elapsed().saturating_sub(patience.waited());
        match responded {
            Err(failure) => (AttemptOutcome::Failure(failure), took, None),
            Ok(response) => {
                let whole = if request.brief { most / 4 } else { most * 3 };
                let left = whole.saturating_sub(took);
                let (outcome, reading) = self.take(request, response, left, permit).await;
                // For a failure, the time until it happened; for a response, until its first
                // byte.
                let failed = matches!(outcome, AttemptOutcome::Failure(_));
                let ended = began.elapsed().saturating_sub(patience.waited());
                (outcome, if failed { ended } else { took }, reading)
            }
        }
    }

    /// How so many bytes of a body are parsed.
    fn parsing(&self, bytes: usize) -> Parsing {
        let limits = Limits { bytes, links: self.config.max_links };
        Parsing { limits, repeats: Arc::clone(&self.repeats) }
    }

    /// How many bytes are read, decoded.
    fn limit(&self, body_use: BodyUse) -> usize {
        match body_use {
            BodyUse::Drop | BodyUse::Title => TITLE_SIZE,
            BodyUse::Page | BodyUse::Anchors | BodyUse::Stylesheet | BodyUse::Manifest => {
                self.config.max_size
            }
            BodyUse::Sitemap => SITEMAP_SIZE,
            BodyUse::Robots => rummage_core::extract::robots_txt::MAX_SIZE,
        }
    }

    fn patience(&self, request: &Request) -> Duration {
        let timeout = self.config.timeout;
        match (request.later, request.method) {
            (true, _) => timeout * 2,
            (false, Method::Get) => timeout,
            (false, Method::Head) => timeout / 2,
        }
    }

    /// Sends a request. A failure on a reused connection says nothing about the server: the
    /// request is repeated at once, on a new one.
    async fn send(
        &self,
        request: &Request,
        patience: &mut Patience,
    ) -> Result<http::Response<Incoming>, Failure> {
        if request.later {
            return self
                .send_alone(self.build(request)?, patience)
                .await
                .map_err(|error| error.to_failure());
        }
        match self.connections.request(self.build(request)?, patience).await {
            // Sent over the wrong connection (RFC 9110 §15.5.20).
            Ok(response) if response.status() == 421 => {}
            Ok(response) => return Ok(response),
            Err(SendError::Dial(failure)) => return Err(failure),
            Err(error) => match error.to_failure() {
                Failure::Reset => {}
                failure => return Err(failure),
            },
        }
        self.send_alone(self.build(request)?, patience).await.map_err(|error| error.to_failure())
    }

    async fn send_alone(
        &self,
        request: http::Request<Empty<Bytes>>,
        patience: &mut Patience,
    ) -> Result<http::Response<Incoming>, SendError> {
        self.connections.request_alone(&self.fresh, request, patience).await
    }

    fn build(&self, request: &Request) -> Result<http::Request<Empty<Bytes>>, Failure> {
        let url = Url::parse(&request.url).expect("normal forms can be parsed");
        let uri = &url[..url::Position::AfterQuery];
        let mut built = http::Request::builder()
            .method(request.method.as_str())
            .uri(uri)
            .body(Empty::new())
            .map_err(|error| Failure::BadResponse(format!("cannot be requested: {error}")))?;
        let headers = built.headers_mut();
        headers.insert(header::USER_AGENT, self.config.user_agent.clone());
        headers.insert(header::ACCEPT, accept(request.kind));
        headers.insert(header::ACCEPT_LANGUAGE, HeaderValue::from_static("en,*;q=0.5"));
        if !is_near(&url) {
            headers.insert(header::ACCEPT_ENCODING, HeaderValue::from_static("gzip"));
        }
        if let Some(validators) = &request.validators {
            let conditions = [
                (header::IF_NONE_MATCH, &validators.etag),
                (header::IF_MODIFIED_SINCE, &validators.last_modified),
            ];
            for (name, value) in conditions {
                if let Some(value) = value.as_deref().and_then(|v| HeaderValue::from_str(v).ok()) {
                    headers.insert(name, value);
                }
            }
        }
        if let Some(cookies) = &request.cookies
            && let Ok(cookies) = HeaderValue::from_str(cookies)
        {
            headers.insert(header::COOKIE, cookies);
        }
        self.credentials.add_to(headers, &url, request.scope);
        if url.scheme() == "http"
            && let Some(proxy) = self.config.proxies.of(built.uri())
            && let Some(auth) = proxy.basic_auth()
        {
            built.headers_mut().insert(header::PROXY_AUTHORIZATION, auth.clone());
        }
        Ok(built)
    }

    async fn take(
        &self,
        request: &Request,
        response: http::Response<Incoming>,
        left: Duration,
        permit: &mut Option<OwnedSemaphorePermit>,
    ) -> (AttemptOutcome, Option<Reading>) {
        let (head, mut body) = response.into_parts();
        let now = SystemTime::now();
        let mut answer = headers::answer(head.status.as_u16(), &head.headers, now);
        let certificate = head.extensions.get::<CertificateEnd>();
        answer.certificate_left = certificate.and_then(|end| end.0.duration_since(now).ok());
        let format = request.body.format(&answer).filter(|_| request.method == Method::Get);
        let Some(format) = format else {
            let brief = self.config.timeout / 4;
            let _ = timeout(brief, body::drain(&mut body, answer.length)).await;
            return (AttemptOutcome::Response(answer), None);
        };
        // The start of an error page is read.
        let limit = if answer.is_success() { self.limit(request.body) } else { TITLE_SIZE };
        let charset = answer.charset.as_deref();
        let url = &request.url;
        let parsing = self.parsing(limit);
        let mut extractor = parsing.extractor(url, format, charset, request.sketch);
        if format.is_page() && request.body == BodyUse::Page {
            let values = head.headers.get_all(header::LINK).iter();
            extractor.take_link_headers(values.filter_map(|value| value.to_str().ok()));
        }
        let shape = Shape {
            encoding: headers::text(&head.headers, &header::CONTENT_ENCODING),
            may_be_packed: format == Format::Sitemap,
            ends_with_connection: head.version <= http::Version::HTTP_11
                && !head.headers.contains_key(header::CONTENT_LENGTH)
                && !head.headers.contains_key(header::TRANSFER_ENCODING),
        };
        let mut room = Room { large: &self.large, permit };
        match body::read(&mut body, &shape, &mut extractor, left, &mut room).await {
            // What has arrived of an error page is enough.
            BodyEnd::TimedOut if !answer.is_success() => {}
            BodyEnd::TimedOut => {
                return (AttemptOutcome::Failure(Failure::Timeout(Stage::Body)), None);
            }
            BodyEnd::Short => answer.truncated = answer.is_success(),
            BodyEnd::Whole(length) => answer.length = answer.length.or(Some(length)),
            BodyEnd::Enough => {}
        }
        let reading = extractor.finish();
        answer.signs = Signs::of(&reading);
        answer.upgrades |= reading.upgrades;
        answer.noindex |= reading.noindex;
        let reading = Some(reading).filter(|_| answer.is_success());
        (AttemptOutcome::Response(answer), reading)
    }
}

/// The `Accept` header that a browser would send.
fn accept(kind: Kind) -> HeaderValue {
    HeaderValue::from_static(match kind {
        Kind::Page => "text/html,application/xhtml+xml,application/xml;q=0.9,*/*;q=0.8",
        Kind::Image => "image/avif,image/webp,image/png,image/svg+xml,image/*;q=0.8,*/*;q=0.5",
        Kind::Style => "text/css,*/*;q=0.1",
        Kind::Any => "*/*",
    })
}

/// Whether a URL has the address of this machine or a private network: there, compression costs
/// more than it saves.
fn is_near(url: &Url) -> bool {
    match url.host() {
        Some(Host::Ipv4(ip)) => rummage_core::url::network::is_private(ip.into()),
        Some(Host::Ipv6(ip)) => rummage_core::url::network::is_private(ip.into()),
        Some(Host::Domain(name)) => name == "localhost",
        None => false,
    }
}
