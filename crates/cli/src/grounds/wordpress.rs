//! The posts, pages and comments of a WordPress site: what a plan changes in them, through the
//! site's REST API (developer.wordpress.org, "REST API Handbook").
//!
//! The content is the one that authors edit (`context=edit`), not the one that visitors see. An
//! item is requested again right before it is changed: what was modified in the meantime is left
//! alone.

use rummage_core::extract::{Extractor, Format};
use rummage_core::mend::plan::Plan;
use rummage_core::mend::rewrite::{ByHand, Change, Ground, Kind, rewrite};
use rummage_core::url::network::is_loopback;
use rummage_engine::{ApiClient, ApiResponse, Config};
use rummage_view::{outcome, safe};
use serde_json::{Value, json};
use tokio::runtime::Runtime;
use url::Url;

use crate::failure::Failure;

/// The collections, and the statuses that are listed.
const COLLECTIONS: &[(&str, &str)] = &[
    ("posts", "publish,future,draft,pending,private"),
    ("pages", "publish,future,draft,pending,private"),
    ("comments", "all"),
];
/// More pages of a hundred items each are not listed.
const MOST_PAGES: u64 = 10_000;

/// A site, and the client for its API.
pub(crate) struct Blog {
    runtime: Runtime,
    client: ApiClient,
    base: Url,
    /// Where the API is: as a path, or as a query if the site has plain permalinks.
    root: ApiRoot,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum ApiRoot {
    Path,
    Query,
}

/// A post, a page or a comment.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Item {
    /// The collection of the API.
    pub(crate) kind: String,
    pub(crate) id: u64,
    /// Where it is published.
    pub(crate) link: String,
    pub(crate) title: String,
    pub(crate) content: String,
    /// When it was last modified; comments have no such time.
    modified: Option<String>,
}

/// What became of an item that was to be changed.
pub(crate) enum Written {
    /// It has this content now; with all its links, or not.
    Stored { stored: String, is_kept: bool },
    /// It was not changed, and why.
    LeftAlone(String),
}

/// An item that a plan concerns.
pub(crate) struct ItemChange {
    pub(crate) item: Item,
    pub(crate) new: String,
    pub(crate) changes: Vec<Change>,
    pub(crate) by_hand: Vec<ByHand>,
}

impl Item {
    /// Its name in output.
    pub(crate) fn name(&self) -> String {
        match self.title.is_empty() {
            true => format!("{}/{}", self.kind, self.id),
            false => format!("{}/{} {}", self.kind, self.id, self.title),
        }
    }

    /// What a plan changes in it; `None` if nothing.
    fn apply(self, plan: &Plan) -> Option<ItemChange> {
        let ground = Ground::at(plan, &self.link)?;
        let done = rewrite(Kind::Html, &self.content, &ground);
        if done.changes.is_empty() && done.by_hand.is_empty() {
            return None;
        }
        let new = in_blocks(&done.text, &ground);
        Some(ItemChange { item: self, new, changes: done.changes, by_hand: done.by_hand })
    }
}

/// The references in a content, in order.
fn references(content: &str) -> Vec<String> {
    let mut extractor = Extractor::new(Format::Html, Some("utf-8"), content.len().max(1));
    extractor.feed(content.as_bytes());
    extractor.finish().links().map(|link| link.written.to_owned()).collect()
}

/// Rewrites URLs in the attributes of blocks, which are JSON in comments (Gutenberg, "Parser"): a
/// block whose attributes and content differ is reported as invalid by the editor.
fn in_blocks(text: &str, ground: &Ground<'_>) -> String {
    let mut new = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(start) = rest.find("<!-- wp:") {
        let end = rest[start..].find("-->").map_or(rest.len(), |end| start + end);
        new.push_str(&rest[..start]);
        new.push_str(&rewrite(Kind::Exact, &rest[start..end], ground).text);
        rest = &rest[end..];
    }
    new + rest
}

impl Blog {
    /// Opens a site; `config` has the credentials of the user.
    pub(crate) fn open(base: &Url, config: Config) -> Result<Blog, Failure> {
        if base.scheme() != "https" && !is_loopback(base) {
            return Err(Failure::Usage {
                what: format!("{base} would send the password unencrypted"),
                hint: "Give the https URL of the site.".to_owned(),
            });
        }
        if config.credentials.headers.is_empty() {
            return Err(Failure::Usage {
                what: "WordPress needs a user".to_owned(),
                hint: "Add --user NAME, and set RUMMAGE_PASSWORD to an application password of \
                       this user (in WordPress: Users, Profile)."
                    .to_owned(),
            });
        }
        let runtime = tokio::runtime::Builder::new_current_thread()
            .enable_all()
            .build()
            .map_err(|reason| Failure::System { what: "cannot start threads", reason })?;
        let mut base = base.clone();
        if !base.path().ends_with('/') {
            base.set_path(&format!("{}/", base.path()));
        }
        let client = ApiClient::new(config, &base);
        runtime.block_on(client.handle_start());
        let mut blog = Blog { runtime, client, base, root: ApiRoot::Path };
        // Without such paths, a site responds 404, with one of its pages, or a redirect to it.
        let probe = blog.get("posts", "per_page=1")?;
        let is_json = serde_json::from_slice::<serde::de::IgnoredAny>(&probe.body).is_ok();
        if !is_json && matches!(probe.status, 200..=399 | 404) {
            blog.root = ApiRoot::Query;
        }
        Ok(blog)
    }

    /// The URL of a route of the API.
    fn url(&self, route: &str, query: &str) -> Url {
        let mut url = match self.root {
            ApiRoot::Path => self.base.join(&format!("wp-json/wp/v2/{route}")),
            ApiRoot::Query => self.base.join(&format!("?rest_route=/wp/v2/{route}")),
        }
        .expect("a route is a path");
        let whole = match url.query() {
            Some(own) => format!("{own}&{query}"),
            None => query.to_owned(),
        };
        url.set_query(Some(whole.as_str()).filter(|query| !query.is_empty()));
        url
    }

    fn get(&self, route: &str, query: &str) -> Result<ApiResponse, Failure> {
        let url = self.url(route, query);
        let response = self.runtime.block_on(self.client.get(&url));
        response.map_err(|failure| self.no_response(&failure))
    }

    fn no_response(&self, failure: &rummage_core::evidence::Failure) -> Failure {
        let failure = rummage_core::evidence::AttemptOutcome::Failure(failure.clone());
        Failure::Conflict {
            what: format!("cannot reach the API of {}: {}", self.base, outcome(&failure)),
            hint: "Open the site in a browser, and check the URL.".to_owned(),
        }
    }

    /// The JSON of a response, or what is wrong with it.
    fn json(&self, response: &ApiResponse) -> Result<Value, Failure> {
        let parsed: Option<Value> = serde_json::from_slice(&response.body).ok();
        if response.status == 200
            && let Some(json) = parsed
        {
            return Ok(json);
        }
        let message = parsed.as_ref().and_then(|json| json["message"].as_str().map(str::to_owned));
        let message = message.map_or_else(String::new, |text| format!(" ({})", safe(&text)));
        let hint = match response.status {
            401 | 403 => {
                "The user must be allowed to edit posts, and RUMMAGE_PASSWORD must be an application \
                 password of this user."
            }
            300..=399 => "Give the URL to which it redirects.",
            _ => "Check that this is the URL of a WordPress site, and that its REST API is on.",
        };
        Err(Failure::Conflict {
            what: format!("the API of {} responds {}{message}", self.base, response.status),
            hint: hint.to_owned(),
        })
    }

    /// What a plan changes. Calls `progress` with the number of items looked at.
    pub(crate) fn apply(
        &self,
        plan: &Plan,
        mut progress: impl FnMut(usize),
    ) -> Result<(Vec<ItemChange>, usize), Failure> {
        let (mut changes, mut count) = (Vec::new(), 0);
        for (kind, statuses) in COLLECTIONS {
            let mut page = 1;
            loop {
                let query = format!(
                    "context=edit&per_page=100&orderby=id&order=asc&status={statuses}&page={page}"
                );
                let response = self.get(kind, &query)?;
                let json = self.json(&response)?;
                let header = response.headers.get("x-wp-totalpages");
                let pages = header.and_then(|value| value.to_str().ok()?.parse::<u64>().ok());
                for value in json.as_array().into_iter().flatten() {
                    count += 1;
                    changes.extend(self.item(kind, value)?.apply(plan));
                }
                progress(count);
                if page >= pages.unwrap_or(1).min(MOST_PAGES) {
                    break;
                }
                page += 1;
            }
        }
        Ok((changes, count))
    }

    fn item(&self, kind: &str, value: &Value) -> Result<Item, Failure> {
        let text = |value: &Value| value.as_str().map(str::to_owned);
        let id = value["id"].as_u64();
        match (id, text(&value["content"]["raw"]), text(&value["link"])) {
            (Some(id), Some(content), Some(link)) => Ok(Item {
                kind: kind.to_owned(),
                id,
                link,
                title: text(&value["title"]["raw"]).unwrap_or_default(),
                content,
                modified: text(&value["modified_gmt"]),
            }),
            _ => Err(Failure::Conflict {
                what: format!("the API of {} sends {kind} without their content", self.base),
                hint: "The user must be allowed to edit all of them.".to_owned(),
            }),
        }
    }

    /// Changes the content of an item, if it is still as it was.
    pub(crate) fn write(&self, item: &Item, new: &str) -> Result<Written, Failure> {
        let left = |why: &str| Ok(Written::LeftAlone(why.to_owned()));
        let route = format!("{}/{}", item.kind, item.id);
        let Some(now) = self.find(&item.kind, item.id)? else {
            return left("it is no longer there");
        };
        if now.content != item.content || item.modified.is_some() && now.modified != item.modified {
            return left("it was modified in the meantime");
        }
        let body = json!({ "content": new }).to_string();
        let url = self.url(&route, "context=edit");
        let sent = self.runtime.block_on(self.client.post(&url, body));
        let sent = sent.map_err(|failure| self.no_response(&failure))?;
        let stored = self.item(&item.kind, &self.json(&sent)?)?.content;
        // WordPress trims contents, and adds `rel` to links in comments. It may also remove markup
        // that a user may not use.
        let is_kept = stored.trim() == new.trim() || references(&stored) == references(new);
        Ok(Written::Stored { stored, is_kept })
    }

    /// An item as it is now; `None` if it is no longer there.
    pub(crate) fn find(&self, kind: &str, id: u64) -> Result<Option<Item>, Failure> {
        let response = self.get(&format!("{kind}/{id}"), "context=edit")?;
        if response.status == 404 {
            return Ok(None);
        }
        self.item(kind, &self.json(&response)?).map(Some)
    }
}
