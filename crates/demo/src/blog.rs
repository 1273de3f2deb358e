//! A blog with a REST API in the form of WordPress's (developer.wordpress.org, "REST API
//! Handbook"): as much of it as a client needs that edits posts, pages and comments.

use std::collections::BTreeMap;

use base64::Engine as _;
use base64::prelude::BASE64_STANDARD;
use serde_json::{Value, json};

use crate::scenario::{Answer, Blog, BlogItem};

/// A blog that is being served.
#[derive(Debug)]
pub(crate) struct LiveBlog {
    host: String,
    authorization: String,
    items: Vec<LiveItem>,
    /// Counts changes, which are a second apart.
    changes: u64,
}

#[derive(Debug)]
struct LiveItem {
    item: BlogItem,
    modified: u64,
    revisions: u64,
}

impl LiveBlog {
    pub(crate) fn new(host: &str, blog: &Blog) -> LiveBlog {
        let pair = BASE64_STANDARD.encode(format!("{}:{}", blog.user, blog.password));
        let items = blog.items.iter().cloned();
        LiveBlog {
            host: host.to_owned(),
            authorization: format!("Basic {pair}"),
            items: items.map(|item| LiveItem { item, modified: 0, revisions: 0 }).collect(),
            changes: 0,
        }
    }

    /// Answers a request for the API or one of its pages; `None` if it is for neither.
    pub(crate) fn answer(
        &mut self,
        method: &str,
        path: &str,
        authorization: &str,
        body: &[u8],
    ) -> Option<Answer> {
        let (path, query) = path.split_once('?').unwrap_or((path, ""));
        match path.strip_prefix("/wp-json/wp/v2/") {
            Some(rest) => Some(self.call(method, rest, query, authorization, body)),
            None => self.page(path),
        }
    }

    /// The page of a post, with its comments.
    fn page(&self, path: &str) -> Option<Answer> {
        let find = |live: &&LiveItem| live.item.path == path && live.item.kind != "comments";
        let page = &self.items.iter().find(find)?.item;
        let comments = self.items.iter().filter(|live| live.item.kind == "comments");
        let comments: String = comments
            .filter(|live| live.item.path == path)
            .map(|live| format!("<aside>{}</aside>\n", live.item.content))
            .collect();
        let html = format!(
            "<!DOCTYPE html>\n<title>{0}</title>\n<h1>{0}</h1>\n{1}\n{comments}",
            page.title, page.content
        );
        Some(answer(200, "text/html; charset=utf-8", html))
    }

    fn call(
        &mut self,
        method: &str,
        rest: &str,
        query: &str,
        authorization: &str,
        body: &[u8],
    ) -> Answer {
        if authorization != self.authorization {
            return failed(401, "rest_forbidden_context");
        }
        let query: BTreeMap<&str, &str> =
            query.split('&').filter_map(|pair| pair.split_once('=')).collect();
        let (kind, id) = match rest.split_once('/') {
            Some((kind, id)) => (kind, id.parse::<u64>().ok()),
            None => (rest, None),
        };
        if !["posts", "pages", "comments"].contains(&kind) {
            return failed(404, "rest_no_route");
        }
        match (method, id) {
            ("GET", None) => self.list(kind, &query),
            (_, Some(id)) => {
                let host = self.host.clone();
                let found = self.items.iter_mut();
                let Some(live) =
                    found.into_iter().find(|live| live.item.kind == kind && live.item.id == id)
                else {
                    return failed(404, "rest_post_invalid_id");
                };
                if method == "POST" {
                    let sent: Value = serde_json::from_slice(body).unwrap_or_default();
                    let Some(content) = sent["content"].as_str() else {
                        return failed(400, "rest_invalid_param");
                    };
                    self.changes += 1;
                    live.modified = self.changes;
                    live.revisions += 1;
                    content.clone_into(&mut live.item.content);
                }
                answer(200, JSON, object(&host, live).to_string())
            }
            _ => failed(405, "rest_no_route"),
        }
    }

    fn list(&self, kind: &str, query: &BTreeMap<&str, &str>) -> Answer {
        let number = |name: &str, default: usize| {
            query.get(name).and_then(|text| text.parse().ok()).unwrap_or(default)
        };
        let (size, page) = (number("per_page", 10).clamp(1, 100), number("page", 1).max(1));
        let all: Vec<&LiveItem> = self.items.iter().filter(|live| live.item.kind == kind).collect();
        let pages = all.len().div_ceil(size).max(1);
        if page > pages {
            return failed(400, "rest_post_invalid_page_number");
        }
        let shown = all.iter().skip((page - 1) * size).take(size);
        let list: Vec<Value> = shown.map(|live| object(&self.host, live)).collect();
        let mut listed = answer(200, JSON, Value::Array(list).to_string());
        listed.fields.push(("x-wp-totalpages", pages.to_string()));
        listed
    }

    /// How often an item was changed.
    pub(crate) fn revisions(&self, kind: &str, id: u64) -> u64 {
        let mut items = self.items.iter();
        let found = items.find(|live| live.item.kind == kind && live.item.id == id);
        found.map_or(0, |live| live.revisions)
    }

    /// The content of the post or page at this path.
    pub(crate) fn content(&self, path: &str) -> String {
        let find = |live: &&LiveItem| {
            live.item.path.trim_start_matches('/') == path && live.item.kind != "comments"
        };
        self.items.iter().find(find).map_or_else(String::new, |live| live.item.content.clone())
    }

    /// Edits an item, as its author may do at any time.
    pub(crate) fn edit(&mut self, kind: &str, id: u64, content: &str) {
        self.changes += 1;
        let modified = self.changes;
        for live in &mut self.items {
            if live.item.kind == kind && live.item.id == id {
                content.clone_into(&mut live.item.content);
                live.modified = modified;
            }
        }
    }
}

const JSON: &str = "application/json; charset=UTF-8";

fn object(host: &str, live: &LiveItem) -> Value {
    let LiveItem { item, modified, .. } = live;
    let link = format!("https://{host}{}", item.path);
    let content = json!({ "raw": item.content, "rendered": item.content });
    if item.kind == "comments" {
        return json!({ "id": item.id, "link": format!("{link}#comment-{}", item.id), "content": content });
    }
    let minute = modified / 60;
    let time = format!("2026-11-23T10:{minute:02}:{:02}", modified % 60);
    json!({
        "id": item.id,
        "link": link,
        "modified_gmt": time,
        "title": { "raw": item.title },
        "content": content,
    })
}

fn failed(status: u16, code: &str) -> Answer {
    let body = json!({ "code": code, "message": "not like this", "data": { "status": status } });
    answer(status, JSON, body.to_string())
}

fn answer(status: u16, content_type: &'static str, body: String) -> Answer {
    Answer { status, content_type, body: body.into_bytes(), ..Answer::default() }
}
