//! Runs the tests and says at the end what failed, with what words, and where the time went.

use crate::{Outcome, root};
use std::io::{BufRead, BufReader};
use std::process::{Command, Stdio};
use std::time::Instant;

/// Lines kept of a panic: the place and what it says.
const WORDS: usize = 4;
/// Places that are told of, the slowest first.
const SLOWEST: usize = 30;

/// `cargo test` of everything; its output is passed on as it comes.
pub fn all() -> Outcome {
    let started = Instant::now();
    let mut child = Command::new("sh")
        .args(["-c", "exec cargo test --workspace --no-fail-fast 2>&1"])
        .current_dir(root())
        .stdout(Stdio::piped())
        .spawn()
        .map_err(|e| format!("sh cannot be started: {e}"))?;
    let mut told = Told::default();
    if let Some(out) = child.stdout.take() {
        for line in BufReader::new(out).split(b'\n').map_while(Result::ok) {
            let line = String::from_utf8_lossy(&line);
            println!("{line}");
            told.hears(&line, started.elapsed().as_secs_f64());
        }
    }
    let status = child.wait().map_err(|e| e.to_string())?;
    told.ends();
    println!("  cargo test took {:.0} s", started.elapsed().as_secs_f64());
    if status.success() { Ok(()) } else { Err("tests failed".to_owned()) }
}

/// What is gathered from the output.
#[derive(Default)]
struct Told {
    /// Seconds from the line before to each finished test, and its name with its program's.
    took: Vec<(f64, String)>,
    program: String,
    last: f64,
    failed: Vec<String>,
    /// Lines of panics, and how many of the last one are still wanted.
    words: Vec<String>,
    wanted: usize,
}

impl Told {
    fn hears(&mut self, line: &str, at: f64) {
        if let Some(program) = line.trim_start().strip_prefix("Running ") {
            self.program = program.split(" (").next().unwrap_or_default().to_owned();
            self.last = at;
        } else if let Some(test) = line.strip_prefix("test ").filter(|t| t.contains(" ... ")) {
            let name = format!("{} {test}", self.program);
            if test.ends_with("FAILED") {
                self.failed.push(name.clone());
            }
            self.took.push((at - self.last, name));
            self.last = at;
        }
        if line.contains("panicked at ") {
            self.wanted = WORDS;
        }
        if self.wanted > 0 {
            self.wanted -= 1;
            self.words.push(line.to_owned());
        }
    }

    fn ends(mut self) {
        self.took.sort_by(|a, b| b.0.total_cmp(&a.0));
        println!("\nseconds from the end of one test to that of the next, the longest:");
        for (seconds, name) in self.took.iter().take(SLOWEST) {
            println!("{seconds:7.1} {name}");
        }
        if !self.failed.is_empty() {
            println!("\nwhat failed:\n{}", self.failed.join("\n"));
            println!("\nwhat was said:\n{}", self.words.join("\n"));
        }
    }
}
