//! From evidence to suspects and the next check.
//!
//! Nothing here knows time, files or the network. A [`Model`] holds a compiled
//! vehicle with everything that can be wrong; evidence weighs those hypotheses;
//! [`suspects`] groups them by what a technician would repair; [`next`] finds the
//! check that tells most per minute.

pub mod evidence;
pub mod ledger;
pub mod model;
pub mod next;
pub mod posterior;
pub mod sheet;
pub mod snapshot;
pub mod suspects;
pub mod verdict;
pub mod words;

pub use evidence::{Evidence, Finding, Strength};
pub use model::{Model, ModelError};
pub use posterior::Posterior;
