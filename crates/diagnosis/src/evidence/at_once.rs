//! Values read at once that only together tell how much there was of what they feel or count: all of them are
//! weighed as one.

use crate::model::{HypIx, Model};
use circuit::Change;
use vehicle::{OperatingState, TiVec};

/// Values that are weighed as one.
pub(super) trait AtOnce: Sync {
    /// If they could be anything.
    fn any(&self) -> f64;
    /// Log-likelihood under every hypothesis, and with nothing wrong.
    fn all(&self, model: &Model, state: &OperatingState) -> (TiVec<HypIx, f64>, f64);
    /// Log-likelihood under changes.
    fn under(&self, model: &Model, state: &OperatingState, changes: &[Change]) -> f64;
}
