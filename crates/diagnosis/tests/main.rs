//! Everything asked of the diagnosis, in one program: what it solves of the shipped van is solved once.
#![allow(missing_docs, dead_code, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod buses;
mod checks;
mod common;
mod everyday;
mod fit;
mod ledger;
mod live;
mod plan;
mod promise;
mod proven;
mod pure;
mod reasoning;
mod request;
mod rolling;
mod settings;
mod sheets;
mod snapshots;
mod supply;
mod tapped;
mod together;
mod triage;
mod trial;
mod values;
mod washer;
