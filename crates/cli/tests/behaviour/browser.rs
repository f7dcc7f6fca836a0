//! A real browser, driven through its driver (W3C WebDriver, and the driver's calls for developer tools).

use std::io::{BufRead as _, BufReader, Read as _, Write as _};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Command, Stdio};

use serde_json::{Value, json};
use wagon_yard_core::os;

/// Keys as WebDriver writes them ("Keyboard actions", section 17.4.2).
pub const TAB: &str = "\u{e004}";
pub const ESCAPE: &str = "\u{e00c}";
pub const ENTER: &str = "\u{e007}";

/// A browser with an empty profile that can reach nothing.
pub struct Browser {
    driver: Child,
    port: u16,
    session: String,
    _profile: tempfile::TempDir,
}

impl Drop for Browser {
    fn drop(&mut self) {
        // The browser ends with its session; the driver would leave it behind.
        let _ = self.call("DELETE", "", &Value::Null);
        let _ = self.driver.kill();
        let _ = self.driver.wait();
    }
}

impl Browser {
    pub fn start() -> Self {
        let mut driver = Command::new("chromedriver").arg("--port=0").stdout(Stdio::piped()).spawn().unwrap();
        let mut lines = BufReader::new(driver.stdout.take().unwrap()).lines();
        let started = lines.find_map(|line| Some(line.unwrap().split_once("successfully on port ")?.1.to_owned()));
        let port = started.unwrap().trim_end_matches('.').parse().unwrap();
        // Whatever else it prints is read, so that it never waits for a reader.
        std::thread::spawn(move || lines.for_each(drop));
        let profile = tempfile::tempdir().unwrap();
        let mut arguments = vec![
            "--headless=new".to_owned(),
            format!("--user-data-dir={}", profile.path().display()),
            "--disable-background-networking".to_owned(),
            "--host-resolver-rules=MAP * ~NOTFOUND".to_owned(),
        ];
        if os::is_superuser() {
            arguments.push("--no-sandbox".to_owned());
        }
        let options = json!({ "binary": "/usr/bin/chromium", "args": arguments });
        let logs = json!({ "browser": "ALL", "performance": "ALL" });
        // A script of the accessibility rules takes its time on a machine that tests many things at once.
        let timeouts = json!({ "script": 600_000, "pageLoad": 600_000 });
        let wanted = json!({ "goog:chromeOptions": options, "goog:loggingPrefs": logs, "timeouts": timeouts });
        let mut browser = Self { driver, port, session: String::new(), _profile: profile };
        let begun = browser.request("POST", "/session", &json!({ "capabilities": { "alwaysMatch": wanted } }));
        browser.session = begun["sessionId"].as_str().unwrap().to_owned();
        browser
    }

    /// One request to the driver; the value of its answer.
    fn request(&self, method: &str, path: &str, body: &Value) -> Value {
        let body = if body.is_null() { String::new() } else { body.to_string() };
        let mut stream = TcpStream::connect(("127.0.0.1", self.port)).unwrap();
        write!(
            stream,
            "{method} {path} HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\nContent-Length: {}\r\n\r\n{body}",
            body.len()
        )
        .unwrap();
        let mut answer = String::new();
        let mut reader = BufReader::new(stream);
        let mut length = 0;
        loop {
            let mut line = String::new();
            reader.read_line(&mut line).unwrap();
            let lower = line.to_ascii_lowercase();
            if let Some(told) = lower.strip_prefix("content-length:") {
                length = told.trim().parse().unwrap();
            }
            if line.trim().is_empty() {
                break;
            }
        }
        reader.take(length).read_to_string(&mut answer).unwrap();
        let answer: Value = serde_json::from_str(&answer).unwrap();
        assert!(answer["value"].get("error").is_none(), "{method} {path}: {answer}");
        answer["value"].clone()
    }

    fn call(&self, method: &str, path: &str, body: &Value) -> Value {
        self.request(method, &format!("/session/{}{path}", self.session), body)
    }

    fn post(&self, path: &str, body: &Value) -> Value {
        self.call("POST", path, body)
    }

    /// Opens a file, after its logs were emptied.
    pub fn open(&self, file: &Path) {
        // The page of a new tab asks for much; what it did is read away.
        self.post("/url", &json!({ "url": "about:blank" }));
        self.log("performance");
        self.log("browser");
        self.post("/url", &json!({ "url": format!("file://{}", file.display()) }));
    }

    fn log(&self, kind: &str) -> Vec<Value> {
        self.post("/se/log", &json!({ "type": kind })).as_array().unwrap().clone()
    }

    /// What the console tells, and the addresses of all requests since the page was opened.
    pub fn told(&self) -> (Vec<Value>, Vec<String>) {
        let sent = self.log("performance").into_iter().filter_map(|entry| {
            let message: Value = serde_json::from_str(entry["message"].as_str().unwrap()).unwrap();
            let message = &message["message"];
            let is_request = message["method"] == "Network.requestWillBeSent";
            is_request.then(|| message["params"]["request"]["url"].as_str().unwrap().to_owned())
        });
        let sent = sent.collect();
        (self.log("browser"), sent)
    }

    /// The value of an expression in the page.
    pub fn value(&self, expression: &str) -> Value {
        self.post("/execute/sync", &json!({ "script": format!("return {expression}"), "args": [] }))
    }

    /// The text of what a selector finds first.
    pub fn text(&self, selector: &str) -> String {
        self.value(&format!("document.querySelector({}).textContent", json!(selector))).as_str().unwrap().to_owned()
    }

    /// Presses keys, one after another.
    pub fn press(&self, keys: &str) {
        let actions: Vec<Value> = keys
            .chars()
            .flat_map(|key| ["keyDown", "keyUp"].map(|kind| json!({ "type": kind, "value": key.to_string() })))
            .collect();
        self.post("/actions", &json!({ "actions": [{ "type": "key", "id": "keyboard", "actions": actions }] }));
    }

    /// Clicks what a selector finds first.
    pub fn click(&self, selector: &str) {
        let found = self.post("/element", &json!({ "using": "css selector", "value": selector }));
        let id = found.as_object().unwrap().values().next().unwrap().as_str().unwrap().to_owned();
        self.post(&format!("/element/{id}/click"), &json!({}));
    }

    fn developer(&self, command: &str, parameters: &Value) {
        self.post("/goog/cdp/execute", &json!({ "cmd": command, "params": parameters }));
    }

    /// As a machine whose user prefers dark colours, or light ones.
    pub fn prefer(&self, scheme: &str) {
        let feature = json!({ "name": "prefers-color-scheme", "value": scheme });
        self.developer("Emulation.setEmulatedMedia", &json!({ "features": [feature] }));
    }

    /// A window of this size, in CSS pixels.
    pub fn resize(&self, width: u32, height: u32) {
        let size = json!({ "width": width, "height": height, "deviceScaleFactor": 1, "mobile": false });
        self.developer("Emulation.setDeviceMetricsOverride", &size);
    }

    /// What the rules of accessibility find, by their names and what they hold for.
    pub fn accessibility(&self, axe: &str) -> Vec<String> {
        self.post("/execute/sync", &json!({ "script": axe, "args": [] }));
        let run = "const done = arguments[arguments.length - 1]; axe.run().then((found) => done(found.violations.flatMap(\
                   (one) => one.nodes.map((node) => one.id + ': ' + node.target + ' ' + (node.failureSummary ?? '')))))";
        let found = self.post("/execute/async", &json!({ "script": run, "args": [] }));
        found.as_array().unwrap().iter().map(|one| one.as_str().unwrap().to_owned()).collect()
    }
}
