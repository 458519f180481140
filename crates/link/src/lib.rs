//! Talking to the vehicle and to meters over open protocols.
//!
//! UDS (ISO 14229-1) over DoIP (ISO 13400-2) in [`doip`], [`uds`] and [`services`];
//! SCPI over TCP in [`scpi`] and [`scope`]. Nothing here knows what a reading means.

pub mod discovery;
pub mod doip;
pub mod error;
pub mod gateway;
pub mod scope;
pub mod scpi;
pub mod services;
pub mod uds;

pub use error::LinkError;
pub use gateway::{Gateway, Timing};
