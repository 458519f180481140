//! Everything asked of the solver, in one program.
#![allow(missing_docs, dead_code, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

#[path = "common/bench.rs"]
mod bench;
mod chart;
mod common;
mod doubts;
mod elements;
mod faults;
mod hearing;
mod laws;
mod messages;
mod meters;
mod ngspice;
mod phases;
mod procedures;
mod requests;
mod settings;
mod situations;
mod sweep;
mod turning;
mod typical;
mod wren;
