//! Chromium, driven by WebDriver (W3C), with a report from a folder in it.

use std::path::Path;
use std::process::Command;

use fantoccini::elements::Element;
use fantoccini::wd::{Capabilities, WebDriverCompatibleCommand};
use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use tempfile::TempDir;
use tokio::runtime::Runtime;

use super::super::find;
use crate::running::Running;

/// A browser with a page in it. It ends with the test.
pub(super) struct Browser {
    client: Client,
    runtime: Runtime,
    _driver: Running,
    _profile: TempDir,
}

/// A command with a JSON object, which the client does not know.
#[derive(Debug)]
struct Post {
    path: &'static str,
    body: Value,
}

impl WebDriverCompatibleCommand for Post {
    fn endpoint(
        &self,
        base: &url::Url,
        session: Option<&str>,
    ) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/{}", session.unwrap_or_default(), self.path))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        (http::Method::POST, Some(self.body.to_string()))
    }
}

impl Drop for Browser {
    /// Without this, the browser would outlive its driver.
    fn drop(&mut self) {
        let _ = self.runtime.block_on(self.client.clone().close());
    }
}

impl Browser {
    /// Opens a file; `None` if there is no browser.
    pub(super) fn open(file: &Path, with_scripts: bool) -> Option<Browser> {
        let (chromium, driver) = (find("chromium")?, find("chromedriver")?);
        let profile = TempDir::new().unwrap();
        let mut command = Command::new(driver);
        command.arg("--port=0");
        let mut driver = Running::start(&["chromedriver", "--port=0"], &mut command);
        let started = driver.until("port", |line| line.contains("started successfully on port "));
        let port: u16 = started.rsplit(' ').next().unwrap().trim_end_matches('.').parse().unwrap();
        let arguments = [
            "--headless=new",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--window-size=1280,800",
            &format!("--user-data-dir={}", profile.path().display()),
        ];
        let javascript = if with_scripts { 1 } else { 2 };
        let capabilities = json!({
            "goog:chromeOptions": {
                "binary": chromium,
                "args": arguments,
                "prefs": { "profile.managed_default_content_settings.javascript": javascript },
            },
            "goog:loggingPrefs": { "browser": "ALL" },
        });
        let Value::Object(capabilities) = capabilities else { unreachable!("it is an object") };
        let runtime = tokio::runtime::Builder::new_multi_thread()
            .worker_threads(1)
            .enable_all()
            .build()
            .unwrap();
        let client = runtime.block_on(async {
            let mut builder = ClientBuilder::new(HttpConnector::new());
            builder.capabilities(Capabilities::from_iter(capabilities));
            builder.connect(&format!("http://127.0.0.1:{port}")).await.unwrap()
        });
        let browser = Browser { client, runtime, _driver: driver, _profile: profile };
        let url = url::Url::from_file_path(file).unwrap();
        browser.go(url.as_str());
        Some(browser)
    }

    pub(super) fn go(&self, url: &str) {
        self.runtime.block_on(self.client.goto(url)).unwrap();
    }

    pub(super) fn url(&self) -> String {
        self.runtime.block_on(self.client.current_url()).unwrap().into()
    }

    /// The value of an expression in the page.
    #[track_caller]
    pub(super) fn value(&self, expression: &str) -> Value {
        let script = format!("return ({expression});");
        self.runtime.block_on(self.client.execute(&script, Vec::new())).unwrap()
    }

    #[track_caller]
    pub(super) fn number(&self, expression: &str) -> u64 {
        let value = self.value(expression);
        value.as_u64().unwrap_or_else(|| panic!("{expression} is {value}"))
    }

    #[track_caller]
    pub(super) fn text(&self, expression: &str) -> String {
        let value = self.value(expression);
        value.as_str().unwrap_or_else(|| panic!("{expression} is {value}")).to_owned()
    }

    /// The result of a script that passes it to its last argument.
    pub(super) fn result(&self, script: &str) -> Value {
        self.runtime.block_on(self.client.execute_async(script, Vec::new())).unwrap()
    }

    #[track_caller]
    pub(super) fn element(&self, selector: &str) -> Element {
        let found = self.runtime.block_on(self.client.find(Locator::Css(selector)));
        found.unwrap_or_else(|error| panic!("{selector}: {error}"))
    }

    pub(super) fn visible_text(&self, selector: &str) -> String {
        let element = self.element(selector);
        self.runtime.block_on(element.text()).unwrap()
    }

    pub(super) fn click(&self, selector: &str) {
        let element = self.element(selector);
        self.runtime.block_on(element.click()).unwrap();
    }

    pub(super) fn type_into(&self, selector: &str, keys: &str) {
        let element = self.element(selector);
        self.runtime.block_on(element.send_keys(keys)).unwrap();
    }

    /// Types into whatever has the focus.
    pub(super) fn press(&self, keys: &str) {
        self.runtime.block_on(async {
            let focused = self.client.active_element().await.unwrap();
            focused.send_keys(keys).await.unwrap();
        });
    }

    pub(super) fn choose(&self, selector: &str, value: &str) {
        let element = self.element(selector);
        self.runtime.block_on(element.select_by_value(value)).unwrap();
    }

    /// What the reader's settings say, such as `prefers-color-scheme: dark`.
    pub(super) fn prefer(&self, name: &str, value: &str) {
        let features = json!([{ "name": name, "value": value }]);
        self.command("Emulation.setEmulatedMedia", json!({ "features": features }));
    }

    pub(super) fn resize(&self, width: u32, height: u32) {
        self.runtime.block_on(self.client.set_window_size(width, height)).unwrap();
    }

    fn command(&self, name: &str, parameters: Value) {
        let body = json!({ "cmd": name, "params": parameters });
        self.post("goog/cdp/execute", body);
    }

    fn post(&self, path: &'static str, body: Value) -> Value {
        self.runtime.block_on(self.client.issue_cmd(Post { path, body })).unwrap()
    }

    /// The page as a PDF, of this width and height in centimeters.
    pub(super) fn print(&self, width: f64, height: f64) -> Vec<u8> {
        use base64::Engine as _;
        let page = json!({ "width": width, "height": height });
        let printed = self.post("print", json!({ "page": page, "background": false }));
        base64::engine::general_purpose::STANDARD.decode(printed.as_str().unwrap()).unwrap()
    }

    /// Errors and warnings of the page, such as scripts that were refused.
    pub(super) fn complaints(&self) -> Vec<String> {
        let entries = self.post("se/log", json!({ "type": "browser" }));
        let entries = entries.as_array().unwrap().iter();
        entries.map(|entry| entry["message"].as_str().unwrap().to_owned()).collect()
    }
}
