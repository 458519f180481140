//! A job at a simulated vehicle whose modules hold something wrong.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::program::Program;
use serde_json::{Value, json};
use std::process::Command;
use tokio::runtime::Runtime;

/// The number of the vehicle that the tests are about.
const VIN: &str = "0PMWR22K8NB004417";

/// A simulated vehicle with something hidden, the program beside it, and a job.
pub struct Bench {
    _runtime: Runtime,
    pub standin: standin::Standin,
    pub data: tempfile::TempDir,
    pub program: Program,
    pub job: i64,
}

impl Bench {
    pub fn with(fault: &str) -> Self {
        Self::open(fault, &[])
    }

    /// The same with an address for a second person.
    pub fn beside(fault: &str) -> Self {
        Self::open(fault, &["--beside", "127.0.0.1:0"])
    }

    fn open(fault: &str, more: &[&str]) -> Self {
        let runtime = Runtime::new().unwrap();
        let standin = runtime.block_on(crate::common::standin(Some(fault)));
        let data = tempfile::tempdir().unwrap();
        let at = [standin.doip.to_string(), standin.hands.to_string()];
        let program = serve_with(&data, &at, more);
        let intake = json!({
            "complaint": "No one-touch", "vin": VIN, "recent": [{"at": "A20", "event": "work"}],
        });
        let opened = program.kept("/api/jobs", &json!({"vehicle": "wren", "intake": intake}));
        let job = opened["id"].as_i64().unwrap();
        program.kept(&format!("/api/jobs/{job}/state"), &json!({"state": {"key": "15"}}));
        Self { _runtime: runtime, standin, data, program, job }
    }

    pub fn path(&self, what: &str) -> String {
        format!("/api/jobs/{}/{what}", self.job)
    }

    /// Asks something of the simulated vehicle.
    pub fn ask(&self, path: &str, body: Value) {
        self._runtime.block_on(crate::common::hands(&self.standin, path, body));
    }

    pub fn hands(&self, state: Value) {
        self.ask("/state", state);
    }

    /// What the door module says of a setting.
    pub fn holds(&self, id: &str) -> String {
        let body = json!({"signals": [id]});
        let read = self.program.post(&self.path("values"), &body).json::<Value>().unwrap();
        read["values"][0]["meaning"]["name"].as_str().unwrap_or_default().to_owned()
    }

    pub fn ledger(&self) -> Vec<Value> {
        let view = self.program.json(&format!("/api/jobs/{}", self.job));
        view["ledger"].as_array().unwrap().clone()
    }
}

/// The program over data, beside what answers at two addresses.
pub fn serve(data: &tempfile::TempDir, at: &[String; 2]) -> Program {
    serve_with(data, at, &[])
}

fn serve_with(data: &tempfile::TempDir, at: &[String; 2], more: &[&str]) -> Program {
    let mut command = Command::new(env!("CARGO_BIN_EXE_chalkeus"));
    command.args(["serve", "--port", "0", "--data"]).arg(data.path());
    command.args(["--vehicles", concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles")]);
    command.args(["--doip", &at[0], "--hands", &at[1]]).args(more);
    Program::of(command)
}
