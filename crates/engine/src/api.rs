//! Calls a web API with the user's credentials: JSON in both directions, to one origin only.

use std::sync::Arc;

use bytes::Bytes;
use http::{HeaderMap, Method, header};
use http_body_util::{BodyExt as _, Full, Limited};
use rummage_core::evidence::{Failure, Stage};
use rummage_core::url::credentials::origin_of;
use rummage_core::url::scope::Scope;
use tokio::time::timeout;
use url::{Position, Url};

use crate::Config;
use crate::connections::dial::{Dialer, Network};
use crate::connections::{Connections, Patience};
use crate::credentials::Sender;

/// How much of a response is read: a hundred long posts.
const LARGEST: usize = 64 << 20;

/// Calls a web API with the credentials of a [`Config`], at one origin.
pub struct ApiClient {
    config: Config,
    credentials: Sender,
    network: Arc<Network>,
    connections: Connections<Full<Bytes>>,
    base: Url,
}

/// A response.
#[derive(Debug)]
pub struct ApiResponse {
    /// The status.
    pub status: u16,
    /// The headers.
    pub headers: HeaderMap,
    /// The body.
    pub body: Bytes,
}

impl ApiClient {
    /// A client for the origin of this URL, with these settings and their credentials.
    #[must_use]
    pub fn new(config: Config, base: &Url) -> ApiClient {
        let network = Arc::new(Network::new(config.clone()));
        let dialer = Dialer::new(Arc::clone(&network), config.timeout, true);
        let connections = Connections::new(dialer);
        let credentials = Sender::new(config.credentials.clone());
        ApiClient { config, credentials, network, connections, base: base.clone() }
    }

    /// The user named the host, so that it may be on a private network. To be called before the
    /// first request.
    pub async fn handle_start(&self) {
        self.network.handle_start(self.base.host_str().unwrap_or_default()).await;
    }

    /// Requests a URL with GET. Redirects are not followed.
    ///
    /// # Errors
    /// Why there is no response.
    pub async fn get(&self, url: &Url) -> Result<ApiResponse, Failure> {
        self.send(Method::GET, url, Bytes::new()).await
    }

    /// Sends JSON with POST. Redirects are not followed.
    ///
    /// # Errors
    /// Why there is no response.
    pub async fn post(&self, url: &Url, json: String) -> Result<ApiResponse, Failure> {
        self.send(Method::POST, url, json.into()).await
    }

    async fn send(&self, method: Method, url: &Url, body: Bytes) -> Result<ApiResponse, Failure> {
        if origin_of(url) != origin_of(&self.base) {
            return Err(Failure::BadResponse("the API leads to another origin".to_owned()));
        }
        let is_post = method == Method::POST;
        let mut request = http::Request::builder()
            .method(method)
            .uri(&url[..Position::AfterQuery])
            .body(Full::new(body))
            .map_err(|error| Failure::BadResponse(format!("cannot be requested: {error}")))?;
        let headers = request.headers_mut();
        headers.insert(header::USER_AGENT, self.config.user_agent.clone());
        headers.insert(header::ACCEPT, header::HeaderValue::from_static("application/json"));
        if is_post {
            let json = header::HeaderValue::from_static("application/json");
            headers.insert(header::CONTENT_TYPE, json);
        }
        self.credentials.add_to(headers, url, Scope::Internal);
        let mut patience = Patience::new(self.config.timeout);
        let responded = self.connections.request(request, &mut patience).await;
        let response = responded.map_err(|error| error.to_failure())?;
        let (head, body) = response.into_parts();
        let collected = timeout(self.config.timeout * 3, Limited::new(body, LARGEST).collect());
        let body = collected.await.map_err(|_| Failure::Timeout(Stage::Body))?.map_err(|_| {
            Failure::BadResponse("the response is too long, or was cut short".to_owned())
        })?;
        Ok(ApiResponse {
            status: head.status.as_u16(),
            headers: head.headers,
            body: body.to_bytes(),
        })
    }
}
