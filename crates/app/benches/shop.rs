//! The shop in use: thousands of jobs, one technician, fifty technicians. Whole-program figures on the
//! van, over HTTP, as its users have it.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use reqwest::blocking::Client;
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use store::{New, Store, Summary};

const JOBS: usize = 10_000;
const TECHNICIANS: usize = 50;
/// Seconds between two readings of a technician, and how long fifty of them work.
const EVERY: f64 = 20.0;
const WORK: Duration = Duration::from_secs(100);
/// What one technician takes at the very least from one check to the next.
const THINKS: Duration = Duration::from_secs(3);

struct Program {
    child: Child,
    url: String,
    started: Duration,
}

impl Drop for Program {
    fn drop(&mut self) {
        let _ = Command::new("kill").args(["-TERM", &self.child.id().to_string()]).status();
        let _ = self.child.wait();
    }
}

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

impl Program {
    fn start(data: &Path) -> Self {
        let started = Instant::now();
        let mut child = Command::new(env!("CARGO_BIN_EXE_chalkeus"))
            .args(["serve", "--port", "0", "--data"])
            .arg(data)
            .current_dir(root())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut line = String::new();
        BufReader::new(child.stdout.take().unwrap()).read_line(&mut line).unwrap();
        let url = line.trim().trim_start_matches("Chalkeus: ").trim_end_matches('/').to_owned();
        Self { child, url, started: started.elapsed() }
    }

    fn megabytes(&self) -> f64 {
        let status = format!("/proc/{}/status", self.child.id());
        let text = std::fs::read_to_string(status).unwrap();
        let line = text.lines().find(|l| l.starts_with("VmRSS")).unwrap();
        line.split_whitespace().nth(1).unwrap().parse::<f64>().unwrap() / 1024.0
    }

    fn cpu_seconds(&self) -> f64 {
        let text = std::fs::read_to_string(format!("/proc/{}/stat", self.child.id())).unwrap();
        let fields: Vec<&str> = text.rsplit(')').next().unwrap().split_whitespace().collect();
        let ticks = |k: usize| fields[k].parse::<f64>().unwrap();
        (ticks(11) + ticks(12)) / 100.0
    }
}

fn get(http: &Client, url: &str) -> (Value, Duration) {
    let t = Instant::now();
    let text = http.get(url).send().unwrap().error_for_status().unwrap().text().unwrap();
    let took = t.elapsed();
    (serde_json::from_str(&text).unwrap(), took)
}

fn post(http: &Client, url: &str, body: &Value) -> Duration {
    let t = Instant::now();
    http.post(url).json(body).send().unwrap().error_for_status().unwrap().bytes().unwrap();
    t.elapsed()
}

fn client() -> Client {
    Client::builder().no_proxy().timeout(Duration::from_secs(300)).build().unwrap()
}

/// The value at a share of a sorted list, milliseconds.
fn at(list: &mut [Duration], share: f64) -> f64 {
    list.sort();
    let k = ((list.len() as f64 * share).ceil() as usize).clamp(1, list.len());
    list[k - 1].as_secs_f64() * 1000.0
}

fn row(what: &str, value: f64, unit: &str, goal: &str) {
    let digits = usize::from(value < 10.0);
    println!("| {what} | {value:.digits$} {unit} | {goal} |");
}

/// Entries of a job that was worked to its end: about 52 kB of them.
fn worked() -> Vec<String> {
    let intake = json!({"entry": "intake", "intake": {"complaint": "Rear washer weak, worse when cold", "output": "rear_washer", "effect": "weak", "vin": "0PMWR22K8NB004417"}});
    let codes: Vec<Value> = (0..38)
        .map(|k| json!({"code": format!("B1A{k:02}"), "failure_type": "14", "status": 0x50, "snapshot": []}))
        .collect();
    let modules: Vec<Value> = (0..12)
        .map(
            |k| json!({"module": format!("A{k}"), "answered": true, "asked": true, "codes": codes}),
        )
        .collect();
    let scan = json!({"entry": "scan", "state": {}, "modules": modules});
    let mut all = vec![intake, scan];
    all.extend((0..12).map(|k| json!({"entry": "note", "text": format!("looked at {k}")})));
    all.push(json!({"entry": "repaired", "item": "terminal:C4.7", "text": "crimped", "probability": 0.97, "proven": true}));
    all.push(json!({"entry": "signed_off"}));
    all.into_iter().map(|e| e.to_string()).collect()
}

fn seed(data: &Path) {
    // The program makes summaries by its own rules when it first opens the file: here none are made.
    fn none(_: &mut Summary, _: &str) -> Result<(), String> {
        Ok(())
    }
    let store = Store::open(data, none).unwrap();
    let entries = worked();
    let new = New { vehicle: "wren", demo: None, at: "2026-01-01T00:00:00Z", entries: &entries };
    for _ in 0..JOBS / 500 {
        store.open_jobs(&[new; 500]).unwrap();
    }
    drop(store);
    let c = rusqlite::Connection::open(data.join("chalkeus.sqlite")).unwrap();
    c.execute_batch("DELETE FROM derived").unwrap();
}

fn many_jobs(http: &Client) {
    let data = tempfile::tempdir().unwrap();
    seed(data.path());
    // Once for the summaries, as after an update.
    drop(Program::start(data.path()));
    let p = Program::start(data.path());
    row(&format!("start with {JOBS} jobs"), p.started.as_secs_f64() * 1000.0, "ms", "1000");
    let list = format!("{}/api/jobs", p.url);
    let mut times: Vec<Duration> = (0..20).map(|_| get(http, &list).1).collect();
    row("job list, median", at(&mut times, 0.5), "ms", "50");
    let search = format!("{list}?search=washer%20cold");
    let mut times: Vec<Duration> = (0..20).map(|_| get(http, &search).1).collect();
    row("job list searched, median", at(&mut times, 0.5), "ms", "50");
    let job = format!("{}/api/jobs/{JOBS}", p.url);
    get(http, &format!("{job}?fresh=true"));
    let mut times: Vec<Duration> = (0..20).map(|_| get(http, &job).1).collect();
    row("unchanged view, median", at(&mut times, 0.5), "ms", "30");
    let reopened = format!("{job}/reopen");
    post(http, &reopened, &json!({"reason": "again"}));
    let note = format!("{job}/note");
    let mut times: Vec<Duration> =
        (0..20).map(|_| post(http, &note, &json!({"text": "hm"}))).collect();
    row("note, median", at(&mut times, 0.5), "ms", "30");
}

/// Complaints to begin with: output, part.
fn complaint(k: usize) -> Value {
    let outputs = ["rear_washer", "front_washer", "rear_wiper", "low_beam_left", "horn"];
    json!({"vehicle": "wren", "intake": {
        "complaint": "does not work", "output": outputs[k % outputs.len()],
        "effect": if k.is_multiple_of(2) { "weak" } else { "none" }}})
}

fn open(http: &Client, url: &str, k: usize) -> i64 {
    let answer = http.post(format!("{url}/api/jobs")).json(&complaint(k)).send().unwrap();
    let text = answer.error_for_status().unwrap().text().unwrap();
    serde_json::from_str::<Value>(&text).unwrap()["id"].as_i64().unwrap()
}

/// Answers the check that is proposed, or refuses it; how long the entry took, and how long from it to
/// fresh suspects and the next check.
fn step(http: &Client, job: &str, view: &Value, k: usize) -> (Value, Duration, Duration) {
    let check = &view["next"][0];
    let quantity = check["quantity"].as_str().unwrap_or("");
    let red = check["red"].clone();
    let began = Instant::now();
    let wrote = match quantity {
        "volts" | "ohms" | "amps" => {
            let text = ["12.1", "0.4", "11.6", "0.02"][k % 4];
            let body = json!({"quantity": quantity, "red": red, "black": check["black"], "state": check["state"], "text": text});
            post(http, &format!("{job}/reading"), &body)
        }
        "effect" => {
            let body = json!({"kind": "effect", "part": red, "strength": "normal", "state": check["state"]});
            post(http, &format!("{job}/found"), &body)
        }
        "" => post(http, &format!("{job}/note"), &json!({"text": "nothing is proposed"})),
        _ => post(http, &format!("{job}/refuse"), &json!({"check": check["id"]})),
    };
    let fresh = get(http, &format!("{job}?fresh=true")).0;
    (fresh, wrote, began.elapsed())
}

/// Waits until what is solved ahead is solved: the program has nothing to do for a while.
fn settled(p: &Program) {
    loop {
        let before = p.cpu_seconds();
        std::thread::sleep(Duration::from_secs(3));
        if p.cpu_seconds() - before < 0.1 {
            return;
        }
    }
}

fn one(http: &Client, data: &Path) {
    let cold = Instant::now();
    let p = Program::start(data);
    let job = format!("{}/api/jobs/{}", p.url, open(http, &p.url, 0));
    get(http, &format!("{job}?fresh=true"));
    row("first check after the very first start", cold.elapsed().as_secs_f64() * 1000.0, "ms", "");
    settled(&p);
    drop(p);
    let again = Instant::now();
    let p = Program::start(data);
    let job = format!("{}/api/jobs/{}", p.url, open(http, &p.url, 1));
    get(http, &format!("{job}?fresh=true"));
    row("first check after a second start", again.elapsed().as_secs_f64() * 1000.0, "ms", "");
    settled(&p);
    let (mut firsts, mut writes, mut fresh) = (Vec::new(), Vec::new(), Vec::new());
    for k in 0..5 {
        let t = Instant::now();
        let job = format!("{}/api/jobs/{}", p.url, open(http, &p.url, k));
        let mut view = get(http, &format!("{job}?fresh=true")).0;
        firsts.push(t.elapsed());
        for n in 0..6 {
            let (next, wrote, took) = step(http, &job, &view, k + n);
            view = next;
            writes.push(wrote);
            fresh.push(took);
            std::thread::sleep(THINKS);
        }
    }
    row("one alone: first check of a new job, worst of 5", at(&mut firsts, 1.0), "ms", "1000");
    row("one alone: an entry, p99", at(&mut writes, 0.99), "ms", "");
    row("one alone: entry to next check, median", at(&mut fresh, 0.5), "ms", "");
    row("one alone: entry to next check, p95", at(&mut fresh, 0.95), "ms", "150");
    row("one alone: memory", p.megabytes(), "MB", "350");
}

fn fifty(data: &Path) {
    let p = Program::start(data);
    settled(&p);
    let url = p.url.clone();
    let began = Instant::now();
    let mut most = 0.0f64;
    let workers: Vec<_> = (0..TECHNICIANS)
        .map(|k| {
            let url = url.clone();
            std::thread::spawn(move || {
                let http = client();
                // They do not all begin in the same second.
                let mut due = Duration::from_secs_f64(EVERY * k as f64 / TECHNICIANS as f64);
                std::thread::sleep(due);
                due += Duration::from_secs_f64(EVERY);
                let job = format!("{url}/api/jobs/{}", open(&http, &url, k));
                let mut view = get(&http, &format!("{job}?fresh=true")).0;
                let (mut writes, mut fresh) = (Vec::new(), Vec::new());
                let mut n = k;
                while began.elapsed() < WORK {
                    std::thread::sleep(due.saturating_sub(began.elapsed()));
                    due += Duration::from_secs_f64(EVERY);
                    let (next, wrote, took) = step(&http, &job, &view, n);
                    view = next;
                    n += 1;
                    writes.push(wrote);
                    fresh.push(took);
                }
                (writes, fresh)
            })
        })
        .collect();
    while began.elapsed() < WORK {
        std::thread::sleep(Duration::from_secs(2));
        most = most.max(p.megabytes());
    }
    let (mut writes, mut fresh) = (Vec::new(), Vec::new());
    for worker in workers {
        let (w, f) = worker.join().unwrap();
        writes.extend(w);
        fresh.extend(f);
    }
    println!("| fifty: entries | {} | |", writes.len());
    row("fifty: an entry, median", at(&mut writes, 0.5), "ms", "");
    row("fifty: an entry, p99", at(&mut writes, 0.99), "ms", "200");
    row("fifty: entry to next check, median", at(&mut fresh, 0.5), "ms", "");
    row("fifty: entry to next check, p95", at(&mut fresh, 0.95), "ms", "3000");
    row("fifty: memory at its most", most, "MB", "600");
}

fn main() {
    let cores = std::thread::available_parallelism().map_or(1, usize::from);
    println!("{cores} cores");
    println!("| figure | measured | to reach |\n|---|---|---|");
    let http = client();
    many_jobs(&http);
    let data = tempfile::tempdir().unwrap();
    one(&http, data.path());
    fifty(data.path());
}
