//! Nothing stays driven: whatever goes away, what was driven ends at the vehicle, and the job says so.
#![allow(missing_docs, clippy::unwrap_used, clippy::panic)]

use crate::program::Program;
use link::scpi;
use serde_json::{Value, json};
use standin::Standin;
use std::process::Command;
use std::time::{Duration, Instant};
use tokio::runtime::Runtime;

/// What a lamp gets that is driven has more than this, volts.
const ON: f64 = 10.0;

/// The low beam, driven for a job by a window.
struct Driving {
    runtime: Runtime,
    standin: Standin,
    program: Program,
    job: i64,
    _data: tempfile::TempDir,
}

impl Driving {
    fn start() -> Self {
        let runtime = Runtime::new().unwrap();
        let standin = runtime.block_on(async {
            let s = crate::common::standin(None).await;
            crate::common::hands(&s, "/state", json!({"key": "15"})).await;
            let leads = json!({"instrument": "volts", "red": "E11.1", "black": "BAT.-"});
            crate::common::hands(&s, "/leads", leads).await;
            s
        });
        let data = tempfile::tempdir().unwrap();
        let mut command = Command::new(env!("CARGO_BIN_EXE_chalkeus"));
        command.args(["serve", "--port", "0", "--data"]).arg(data.path());
        command.args(["--vehicles", concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles")]);
        command.args(["--doip", &standin.doip.to_string()]);
        let program = Program::of(command);
        let new = json!({"vehicle": "wren", "intake": {"complaint": "low beam dark"}});
        let job = program.kept("/api/jobs", &new)["id"].as_i64().unwrap();
        let driving = Self { runtime, standin, program, job, _data: data };
        let answer =
            driving.as_window("hand", "drive", &json!({"output": "low_beam_left", "on": true}));
        assert!(answer.is_success(), "{answer}");
        assert!(driving.volts() > ON, "{}", driving.volts());
        driving
    }

    fn as_window(&self, window: &str, what: &str, body: &Value) -> reqwest::StatusCode {
        let url = format!("{}/api/jobs/{}/{what}", self.program.url, self.job);
        let request = self.program.http.post(url).header("x-window", window).json(body);
        request.send().unwrap().status()
    }

    /// A window looks at the job.
    fn looks(&self, window: &str) -> Value {
        self.looks_at(window, "")
    }

    fn looks_at(&self, window: &str, what: &str) -> Value {
        let url = format!("{}/api/jobs/{}{what}", self.program.url, self.job);
        let request = self.program.http.get(url).header("x-window", window);
        request.send().unwrap().json().unwrap()
    }

    /// At the lamp, as the meter at the vehicle shows it.
    fn volts(&self) -> f64 {
        let measured = scpi::measure(self.standin.scpi, scpi::Query::Volts);
        self.runtime.block_on(measured).unwrap().unwrap().abs()
    }

    /// Seconds until nothing is driven at the vehicle any more, with something done meanwhile.
    fn ends_within(&self, most: u64, meanwhile: impl Fn()) -> f64 {
        let began = Instant::now();
        while began.elapsed() < Duration::from_secs(most) {
            if self.volts() < 0.5 {
                return began.elapsed().as_secs_f64();
            }
            meanwhile();
            std::thread::sleep(Duration::from_millis(200));
        }
        panic!("still driven after {most} s");
    }

    /// The job says within a moment that nothing is driven.
    fn is_noted(&self) {
        let began = Instant::now();
        while began.elapsed() < Duration::from_secs(8) {
            if self.looks("other")["state"]["outputs"].is_null() {
                return;
            }
            std::thread::sleep(Duration::from_millis(200));
        }
        panic!("{}", self.looks("other")["state"]);
    }
}

#[test]
fn what_a_window_drove_ends_with_it_although_another_one_looks_on() {
    let d = Driving::start();
    // While it asks now and then it goes on.
    for _ in 0..10 {
        d.looks("hand");
        std::thread::sleep(Duration::from_millis(300));
    }
    assert!(d.volts() > ON);
    // Its page is killed and says nothing more; the other one does not hold on to it.
    let took = d.ends_within(25, || drop(d.looks("other")));
    assert!(took > 5.0, "a busy machine may keep a window waiting: {took}");
    d.is_noted();
}

#[test]
fn a_window_that_is_closed_ends_it_at_once() {
    let d = Driving::start();
    assert!(d.as_window("other", "leave", &json!({})).is_success());
    std::thread::sleep(Duration::from_secs(2));
    assert!(d.volts() > ON, "another window left");
    assert!(d.as_window("hand", "leave", &json!({})).is_success());
    d.ends_within(5, || drop(d.looks("other")));
    d.is_noted();
}

#[test]
fn a_server_that_is_killed_leaves_nothing_driven() {
    let mut d = Driving::start();
    d.program.child.kill().unwrap();
    d.program.child.wait().unwrap();
    d.ends_within(8, || ());
}

#[test]
fn a_lost_link_ends_it_and_the_job_says_so_when_it_is_back() {
    let d = Driving::start();
    let manners = |cut: bool| {
        d.runtime.block_on(crate::common::hands(&d.standin, "/manners", json!({"cut": cut})));
    };
    manners(true);
    d.ends_within(8, || drop(d.looks("hand")));
    manners(false);
    d.looks("hand");
    d.is_noted();
    // It can be driven again, and is kept on beyond the five seconds of a session.
    let again = d.as_window("hand", "drive", &json!({"output": "low_beam_left", "on": true}));
    assert!(again.is_success(), "{again}");
    for _ in 0..14 {
        d.looks("hand");
        std::thread::sleep(Duration::from_millis(500));
    }
    assert!(d.volts() > ON, "{}", d.volts());
}

#[test]
fn what_has_a_time_of_its_own_is_over_after_it_and_the_job_says_so() {
    let d = Driving::start();
    let washer = json!({"output": "rear_washer", "on": true});
    assert!(d.as_window("hand", "drive", &washer).is_success());
    let driven = |job: &Value| job["state"]["outputs"].as_array().cloned().unwrap_or_default();
    assert_eq!(driven(&d.looks("hand")), ["low_beam_left", "rear_washer"]);
    let live = d.looks_at("hand", "/live");
    let left = live["driven"].as_array().unwrap().iter().find(|o| o["output"] == "rear_washer");
    assert!((0.0..=10.0).contains(&left.unwrap()["left_s"].as_f64().unwrap()), "{live}");
    let began = Instant::now();
    while driven(&d.looks("hand")).len() > 1 {
        assert!(began.elapsed() < Duration::from_secs(16), "{}", d.looks("hand")["state"]);
        std::thread::sleep(Duration::from_millis(300));
    }
    // The lamp has longer.
    assert_eq!(driven(&d.looks("hand")), ["low_beam_left"]);
    assert!(d.volts() > ON);
}
