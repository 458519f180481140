//! The program and a browser, and what a test does with them.

use fantoccini::elements::Element;
use fantoccini::{Client, ClientBuilder, Locator};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::OnceLock;
use std::time::Duration;

pub fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

pub fn binary() -> PathBuf {
    root().join("target/debug/chalkeus")
}

/// A child process that dies with whoever holds it.
pub struct Process(pub Child);

impl Drop for Process {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// Starts `chalkeus` and waits for the address it prints.
pub fn program(arguments: &[&str]) -> (Process, String) {
    // Nobody solves what another test has solved before.
    let keeps = matches!(arguments[0], "serve" | "demo");
    let mut child = Command::new(binary())
        .args(arguments)
        .args(["--solved", "target/e2e/solved"].iter().filter(|_| keeps))
        .current_dir(root())
        .stdout(Stdio::piped())
        .spawn()
        .expect("`cargo xtask test` builds the program first");
    let mut line = String::new();
    BufReader::new(child.stdout.take().unwrap()).read_line(&mut line).unwrap();
    let url = line.trim().trim_start_matches("Chalkeus: ").trim_end_matches('/').to_owned();
    assert!(url.starts_with("http://"), "{line}");
    (Process(child), url)
}

/// What all tests share: one browser and one program with the demo jobs. They run one after the other.
pub struct House {
    pub driver: Driver,
    pub browser: Browser,
    demo: OnceLock<(Process, String, tempfile::TempDir)>,
}

impl House {
    pub async fn open() -> Self {
        let driver = Driver::start();
        let browser = driver.browser().await;
        Self { driver, browser, demo: OnceLock::new() }
    }

    /// Address of the program with the demo jobs, for tests that each keep to a job of their own.
    pub fn demo(&self) -> &str {
        let start = || {
            let data = tempfile::tempdir().unwrap();
            let directory = data.path().to_string_lossy().into_owned();
            let (app, url) = program(&["demo", "--port", "0", "--data", &directory]);
            (app, url, data)
        };
        &self.demo.get_or_init(start).1
    }

    pub async fn close(self) {
        self.browser.client.close().await.unwrap();
    }
}

/// A running ChromeDriver.
pub struct Driver {
    port: u16,
    _process: Process,
}

pub struct Browser {
    pub client: Client,
    _profile: tempfile::TempDir,
}

impl Driver {
    fn start() -> Self {
        let free = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
        let port = free.local_addr().unwrap().port();
        drop(free);
        let process = Command::new("chromedriver")
            .arg(format!("--port={port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("`cargo xtask test` installs ChromeDriver");
        Self { port, _process: Process(process) }
    }

    /// A browser with nothing remembered.
    pub async fn browser(&self) -> Browser {
        let profile = tempfile::tempdir().unwrap();
        let arguments = json!([
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--disable-dev-shm-usage",
            "--window-size=1280,800",
            format!("--user-data-dir={}", profile.path().display())
        ]);
        let capabilities =
            json!({"goog:chromeOptions": {"args": arguments, "binary": "/usr/bin/chromium"}});
        let capabilities = capabilities.as_object().unwrap().clone();
        for _ in 0..50 {
            tokio::time::sleep(Duration::from_millis(200)).await;
            let url = format!("http://127.0.0.1:{}", self.port);
            let mut builder =
                ClientBuilder::new(hyper_util::client::legacy::connect::HttpConnector::new());
            if let Ok(client) = builder.capabilities(capabilities.clone()).connect(&url).await {
                let frame = "return [outerWidth - innerWidth, outerHeight - innerHeight]";
                let frame = client.execute(frame, vec![]).await.unwrap();
                let more = |k: usize| frame[k].as_u64().unwrap_or(0) as u32;
                client.set_window_size(1280 + more(0), 800 + more(1)).await.unwrap();
                return Browser { client, _profile: profile };
            }
        }
        panic!("ChromeDriver does not start");
    }
}

const PATIENCE: Duration = Duration::from_secs(40);

impl Browser {
    pub async fn go(&self, url: &str) {
        self.client.goto(url).await.unwrap();
    }

    /// Lets the browser forget what it kept for itself, as one that was never here.
    pub async fn forget(&self) {
        self.client.execute("localStorage.clear()", vec![]).await.unwrap();
    }

    /// Waits for an element by CSS.
    pub async fn css(&self, css: &str) -> Element {
        let wait = self.client.wait().at_most(PATIENCE);
        match wait.for_element(Locator::Css(css)).await {
            Ok(e) => e,
            Err(e) => panic!("no {css}: {e}\n{}", self.text().await),
        }
    }

    pub async fn has(&self, css: &str) -> bool {
        self.client.find(Locator::Css(css)).await.is_ok()
    }

    /// Waits until something is no longer there.
    pub async fn gone(&self, css: &str) {
        for _ in 0..100 {
            if !self.has(css).await {
                return;
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        panic!("{css} stays:\n{}", self.text().await);
    }

    /// Clicks the first enabled button or link whose words begin so.
    pub async fn press(&self, words: &str) {
        self.press_in("*", words).await;
    }

    /// The same inside of an element.
    pub async fn press_in(&self, inside: &str, words: &str) {
        let path = format!(
            "//{inside}//*[self::button or self::a][not(@disabled)][starts-with(normalize-space(.), \"{words}\")]"
        );
        // What is drawn anew between the look and the click is looked for once more.
        for last in [false, false, true] {
            let wait = self.client.wait().at_most(PATIENCE);
            match wait.for_element(Locator::XPath(&path)).await {
                Ok(e) => match e.click().await {
                    Ok(()) => return,
                    Err(e) if last => panic!("{words} cannot be pressed: {e}"),
                    Err(_) => tokio::time::sleep(Duration::from_millis(200)).await,
                },
                Err(e) => panic!("nothing to press named {words}: {e}\n{}", self.text().await),
            }
        }
    }

    /// Words of everything that CSS finds now, in one look.
    pub async fn texts(&self, css: &str) -> Vec<String> {
        let script = "return [...document.querySelectorAll(arguments[0])].map(e => e.innerText)";
        let texts = self.client.execute(script, vec![Value::from(css)]).await.unwrap();
        serde_json::from_value(texts).unwrap()
    }

    /// Types over whatever a field holds. WebDriver's own "clear" tells the page nothing, and a page
    /// that draws itself anew before the first key puts the old text back.
    pub async fn fill(&self, css: &str, text: &str) {
        const CONTROL: char = '\u{E009}';
        const RELEASE: char = '\u{E000}';
        let field = self.css(css).await;
        field.send_keys(&format!("{CONTROL}a{RELEASE}{text}")).await.unwrap();
    }

    /// Opens one of a few and takes the choice with an id.
    pub async fn select(&self, label: &str, id: &str) {
        self.css(&format!("[aria-label='{label}']")).await.click().await.unwrap();
        self.css(&format!("[role='option'][data-id='{id}']")).await.click().await.unwrap();
        self.gone("[role='option']").await;
    }

    /// Finds one of many by words and takes the first.
    pub async fn find(&self, label: &str, words: &str) {
        const ENTER: char = '\u{E007}';
        let field = format!("input[aria-label='{label}']");
        self.fill(&field, words).await;
        self.css("[role='option']").await;
        self.css(&field).await.send_keys(&ENTER.to_string()).await.unwrap();
        self.gone("[role='option']").await;
    }

    pub async fn text(&self) -> String {
        self.css_now("body").await
    }

    pub async fn css_now(&self, css: &str) -> String {
        match self.client.find(Locator::Css(css)).await {
            Ok(e) => e.text().await.unwrap_or_default(),
            Err(_) => String::new(),
        }
    }

    /// Waits until the page says something.
    pub async fn says(&self, words: &str) {
        for _ in 0..200 {
            if self.text().await.contains(words) {
                return;
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        panic!("the page never says “{words}”:\n{}", self.text().await);
    }

    /// Puts a picture where `CHALKEUS_SHOTS` names a directory.
    pub async fn picture(&self, name: &str) {
        if let Ok(directory) = std::env::var("CHALKEUS_SHOTS") {
            tokio::time::sleep(Duration::from_millis(900)).await;
            let png = self.client.screenshot().await.unwrap();
            std::fs::create_dir_all(&directory).unwrap();
            std::fs::write(Path::new(&directory).join(format!("{name}.png")), png).unwrap();
        }
    }
}

/// A job as it stands when everything entered was weighed: what a test must know but not do.
pub async fn view(url: &str, job: i64) -> Value {
    get(&format!("{url}/api/jobs/{job}?fresh=true")).await
}

/// The shipped job with an order number.
pub async fn job(url: &str, order: &str) -> i64 {
    let jobs: Value = get(&format!("{url}/api/jobs?search={order}")).await;
    jobs["jobs"][0]["id"].as_i64().unwrap()
}

/// An answer beside the browser.
pub async fn get(url: &str) -> Value {
    reqwest::get(url).await.unwrap().json().await.unwrap()
}

/// Number of ledger entries.
pub fn entries(v: &Value) -> usize {
    v["ledger"].as_array().unwrap().len()
}

/// A stand-in as a program of its own, with its DoIP, SCPI and hands addresses.
pub fn standin(arguments: &[&str]) -> (Process, [String; 3]) {
    let ports = ["--doip", "0", "--scpi", "0", "--hands", "0", "--scope", "0"];
    let mut child = Command::new(binary().with_file_name("standin"))
        .arg(root().join("vehicles/wren.json"))
        .args(arguments)
        .args(ports)
        .stdout(Stdio::piped())
        .spawn()
        .expect("`cargo xtask test` builds the stand-in first");
    let mut line = String::new();
    BufReader::new(child.stdout.take().unwrap()).read_line(&mut line).unwrap();
    let words: Vec<&str> = line.split_whitespace().collect();
    (Process(child), [1, 3, 5].map(|k| words[k].to_owned()))
}

pub async fn post(url: &str, body: Value) -> Value {
    let r = reqwest::Client::new().post(url).json(&body).send().await.unwrap();
    assert!(r.status().is_success(), "{url}: {}", r.text().await.unwrap());
    r.json().await.unwrap_or_default()
}

/// Waits until the ledger has more than so many entries.
pub async fn grown(url: &str, job: i64, from: usize) -> Value {
    for _ in 0..300 {
        let v = view(url, job).await;
        if entries(&v) > from {
            return v;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    panic!("nothing was added to the ledger");
}

/// The button that takes what a check or a proof wants.
pub fn button(quantity: &str) -> &'static str {
    match quantity {
        "effect" => "Do it and look",
        "scan" => "Keep, clear",
        "moved" => "Move it",
        "seen" => "Look",
        "jumper" | "swap" => "Try it",
        "recorded" => "Record from meter",
        "answers" => "Ask who answers",
        "value" | "values" => "Read and keep",
        _ => "From meter",
    }
}

/// Where the check stands that is proposed.
pub const CARD: &str = "section[@aria-label='Next check']";

impl Browser {
    /// Waits until nothing is under way.
    pub async fn idle(&self) {
        tokio::time::sleep(Duration::from_millis(60)).await;
        for _ in 0..1200 {
            if self.has("[data-busy='']").await {
                return;
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        panic!("something never ends:\n{}", self.text().await);
    }

    /// Presses inside of an element and waits until what that began is done and in the ledger.
    pub async fn act(&self, url: &str, job: i64, inside: &str, words: &str) -> Value {
        self.idle().await;
        let from = entries(&view(url, job).await);
        self.press_in(inside, words).await;
        for _ in 0..100 {
            self.idle().await;
            let v = view(url, job).await;
            if entries(&v) > from {
                return v;
            }
        }
        panic!("pressing {words} adds nothing to the ledger:\n{}", self.text().await);
    }

    /// Does what the card proposes until `done`, at most `most` times; how often it did.
    pub async fn follow(
        &self,
        url: &str,
        job: i64,
        most: usize,
        done: impl Fn(&Value) -> bool,
    ) -> usize {
        let mut v = view(url, job).await;
        for n in 0..most {
            if done(&v) {
                return n;
            }
            let check = &v["next"][0];
            assert!(check.is_object(), "nothing left to check: {}", self.text().await);
            self.css(&format!("[data-check=\"{}\"]", check["id"].as_str().unwrap())).await;
            let words = match check["apart"].as_f64() {
                Some(apart) if apart > 0.0 => "It stood overnight",
                _ => button(check["quantity"].as_str().unwrap()),
            };
            v = self.act(url, job, CARD, words).await;
        }
        assert!(done(&v), "no end: {}", self.text().await);
        most
    }

    /// Sets the key and scans all modules.
    pub async fn scanned(&self, url: &str, job: i64) -> Value {
        self.go(&format!("{url}/job/{job}/codes")).await;
        self.press("Set key 15").await;
        self.says("Key 15").await;
        // Monitors run for a second after key-on before they can pass.
        tokio::time::sleep(Duration::from_millis(2500)).await;
        self.act(url, job, "main", "Scan all modules").await
    }

    /// Takes every proof that the repair asks for.
    pub async fn prove(&self, url: &str, job: i64) {
        for _ in 0..12 {
            let v = view(url, job).await;
            let proofs = v["proofs"].as_array().unwrap();
            let Some(open) = proofs.iter().find(|p| p["done"] == false) else { break };
            self.act(url, job, "main", button(open["kind"].as_str().unwrap())).await;
        }
    }
}
