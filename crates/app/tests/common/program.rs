//! The program on a small vehicle, asked from outside.
#![allow(dead_code)]

#[path = "lamp.rs"]
mod small;
pub use small::lamp;

use reqwest::blocking::{Client, Response};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

/// A program that dies with the test.
pub struct Program {
    pub child: Child,
    pub url: String,
    pub http: Client,
}

impl Drop for Program {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// A directory with the small vehicle and a place for the database.
pub fn place() -> tempfile::TempDir {
    let dir = tempfile::tempdir().unwrap();
    std::fs::create_dir(dir.path().join("vehicles")).unwrap();
    std::fs::write(dir.path().join("vehicles/lamp.json"), lamp().to_string()).unwrap();
    dir
}

pub fn command(dir: &Path) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_chalkeus"));
    command.args(["serve", "--port", "0", "--data"]).arg(dir.join("data"));
    command.arg("--vehicles").arg(dir.join("vehicles"));
    command
}

impl Program {
    pub fn start(dir: &Path) -> Self {
        Self::of(command(dir))
    }

    pub fn of(mut command: Command) -> Self {
        let mut child = command.stdout(Stdio::piped()).spawn().unwrap();
        let mut line = String::new();
        BufReader::new(child.stdout.take().unwrap()).read_line(&mut line).unwrap();
        let url = line.trim().trim_start_matches("Chalkeus: ").trim_end_matches('/').to_owned();
        assert!(url.starts_with("http://"), "{line}");
        // What weighs hundreds of findings takes long where many tests run beside it.
        let http = Client::builder().no_proxy().timeout(Duration::from_secs(120));
        Self { child, url, http: http.build().unwrap() }
    }

    pub fn get(&self, path: &str) -> Response {
        self.http.get(format!("{}{path}", self.url)).send().unwrap()
    }

    pub fn json(&self, path: &str) -> Value {
        let answer = self.get(path);
        let status = answer.status();
        let text = answer.text().unwrap();
        assert!(status.is_success(), "{path}: {status} {text}");
        serde_json::from_str(&text).unwrap()
    }

    pub fn post(&self, path: &str, body: &Value) -> Response {
        self.http.post(format!("{}{path}", self.url)).json(body).send().unwrap()
    }

    /// Posts what must be taken; its answer.
    pub fn kept(&self, path: &str, body: &Value) -> Value {
        let answer = self.post(path, body);
        let status = answer.status();
        let text = answer.text().unwrap();
        assert!(status.is_success(), "{path} {body}: {status} {text}");
        serde_json::from_str(&text).unwrap()
    }

    /// Posts what must be refused; the problem.
    pub fn refused(&self, path: &str, body: &Value) -> Value {
        problem(self.post(path, body))
    }

    pub fn open(&self) -> i64 {
        self.kept("/api/jobs", &json!({"vehicle": "lamp", "intake": {"complaint": "dark"}}))["id"]
            .as_i64()
            .unwrap()
    }

    /// Memory it holds, MB.
    pub fn megabytes(&self) -> f64 {
        let text = std::fs::read_to_string(format!("/proc/{}/status", self.child.id())).unwrap();
        let line = text.lines().find(|l| l.starts_with("VmRSS")).unwrap();
        line.split_whitespace().nth(1).unwrap().parse::<f64>().unwrap() / 1024.0
    }

    /// The job when everything entered was weighed.
    pub fn fresh(&self, job: i64) -> Value {
        self.json(&format!("/api/jobs/{job}?fresh=true"))
    }
}

/// The problem document that an answer must be.
pub fn problem(answer: Response) -> Value {
    let status = answer.status();
    assert!(status.is_client_error() || status.is_server_error(), "{status} is no refusal");
    let header =
        |name: &str| answer.headers().get(name).map_or("", |v| v.to_str().unwrap()).to_owned();
    assert_eq!(header("content-type"), "application/problem+json", "{status}");
    assert_eq!(header("x-content-type-options"), "nosniff");
    assert!(header("content-security-policy").contains("default-src 'self'"));
    let problem: Value = answer.json().unwrap();
    assert_eq!(problem["status"], status.as_u16());
    assert!(problem["detail"].as_str().unwrap().len() > 10, "{problem}");
    problem
}
