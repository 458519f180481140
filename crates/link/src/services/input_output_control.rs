//! Service 2F, input output control: drives an output, and gives it back.

use crate::{Gateway, LinkError};

/// How much an output is driven.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Level {
    /// On.
    On,
    /// On for a share of the time, percent, 1 to 100.
    Percent(f64),
    /// In one of its steps, counted from 1.
    Step(u8),
}

/// Short-term adjustment (03), with one byte of control state: 1 for on, the percent, or the number of
/// the step.
///
/// # Errors
/// [`LinkError`].
pub async fn drive(link: &Gateway, who: u16, did: u16, level: Level) -> Result<(), LinkError> {
    let [h, l] = did.to_be_bytes();
    let state = match level {
        Level::On => 1,
        Level::Percent(percent) => percent.round().clamp(1.0, 100.0) as u8,
        Level::Step(number) => number,
    };
    link.request(who, "driving the output", &[0x2F, h, l, 0x03, state]).await.map(|_| ())
}

/// Returns control to the module (00).
///
/// # Errors
/// [`LinkError`].
pub async fn give_back(link: &Gateway, who: u16, did: u16) -> Result<(), LinkError> {
    let [h, l] = did.to_be_bytes();
    link.request(who, "giving the output back", &[0x2F, h, l, 0x00]).await.map(|_| ())
}
