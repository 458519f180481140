//! Everything asked of the program from outside.
#![allow(missing_docs, dead_code, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod bench;
mod command_line;
mod common;
mod course;
mod follow;
mod independent;
mod jobs;
mod link;
mod misbehaviour;
mod modules;
mod plan;
#[path = "common/program.rs"]
mod program;
mod release;
mod report;
mod secrecy;
mod setup;
mod write_troubles;
