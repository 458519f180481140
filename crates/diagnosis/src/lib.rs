//! From evidence to suspects and the next check.
//!
//! Nothing here knows time, files or the network. A [`Model`] holds a compiled
//! vehicle with everything that can be wrong; evidence weighs those hypotheses;
//! [`suspects`] groups them by what a technician would repair; [`next`] finds the
//! check that tells most per minute.

mod assess;
pub mod bus_static;
mod bytes;
mod cache;
pub mod coincidence;
pub mod costs;
mod counted;
pub mod coverage;
pub mod evidence;
pub mod gate;
mod grids;
pub mod identity;
pub mod isolation;
pub mod ledger;
mod left_out;
pub mod live;
mod model;
pub mod network;
pub mod next;
mod number;
mod odd;
pub mod own;
mod pairs;
pub mod pasted;
pub mod plan;
mod posterior;
pub mod prior;
pub mod proven;
pub mod request;
pub mod roll_call;
pub mod self_test;
pub mod setup;
pub mod shared;
pub mod sheet;
mod snapshot;
pub mod supply;
pub mod suspects;
pub mod tapped;
pub mod triage;
pub mod trial;
pub mod verdict;
pub mod what_if;
pub mod words;
pub mod workshop;

pub use assess::{Assessment, assess};
pub use cache::Cache;
pub use evidence::{Evidence, Finding, LiveReading, Present, Strength};
pub use left_out::LeftOut;
pub use model::{HypIx, ItemIx, Model, ModelError};
pub use odd::{Odd, odd_one_out};
pub use posterior::{Posterior, Repair, entropy};
pub use prior::{Known, Priors};
