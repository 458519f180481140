//! What travels on a vehicle's buses: captures in open formats, and what stands in them.
//!
//! Data flows one way: a capture's text or bytes ([`format`]) become a [`Trace`] of voltages over time,
//! or frames with times; a trace becomes [`edges`] between two levels, edges become bits, bits frames
//! ([`can`], [`lin`]). Encoding goes the other way, for the stand-in's scope and the tests. Nothing here
//! knows a vehicle or a screen.

pub mod can;
pub mod edges;
pub mod findings;
pub mod format;
pub mod levels;
pub mod lin;
pub mod pulse;
pub mod pyramid;
pub mod trace;

pub use can::frame::{Fd, Frame, Id};
pub use edges::Edge;
pub use trace::{Channel, Trace};
