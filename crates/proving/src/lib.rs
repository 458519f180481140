//! Proving ground: made-up vehicles and hidden faults that the reasoning is tried on, so that it is not
//! judged by its own assumptions.
//!
//! [`generated`] makes vehicles that nothing was ever tuned to; [`truth`] draws what is wrong with one,
//! off the reasoning's own grids or not in its file at all; [`hands`] and [`ngspice`] let a trial work on
//! it. Nothing here is linked into what diagnoses.

pub mod generated;
pub mod hands;
pub mod job;
pub mod ngspice;
pub mod truth;

use circuit::marks::Mark;
use diagnosis::evidence::{Sight, Strength};
use rand::Rng;
use rand_chacha::ChaCha8Rng;
use thiserror::Error;

/// Why a job cannot be set up or worked.
#[derive(Debug, Error)]
pub enum ProvingError {
    /// A vehicle or a fault.
    #[error(transparent)]
    Circuit(#[from] circuit::CircuitError),
    /// Evidence that does not fit.
    #[error(transparent)]
    Model(#[from] diagnosis::ModelError),
    /// The other solver.
    #[error("ngspice: {0}; it is in Debian's package `ngspice`")]
    Ngspice(String),
    /// A vehicle without anything that could be worn through.
    #[error("there is no conductor and no contact that could be at fault in this vehicle")]
    NoConductor,
    /// Nothing that was drawn shows anywhere.
    #[error("nothing that was drawn shows in any state of {0}")]
    NothingShows(String),
}

/// How strong an effect looks to the eye.
pub(crate) fn strength(effect: f64) -> Strength {
    match effect {
        f if f > 0.83 => Strength::Normal,
        f if f > 0.08 => Strength::Weak,
        _ => Strength::None,
    }
}

/// What an eye calls a mark.
pub(crate) fn sight(mark: Mark) -> Sight {
    match mark {
        Mark::Damage => Sight::Damage,
        Mark::Corrosion => Sight::Corrosion,
        Mark::Water => Sight::Water,
        Mark::PushedBack => Sight::PushedBack,
        Mark::Loose => Sight::Loose,
    }
}

/// A number between two others, every proportion alike.
pub(crate) fn between(low: f64, high: f64, rng: &mut ChaCha8Rng) -> f64 {
    low * (high / low).powf(rng.random::<f64>())
}
