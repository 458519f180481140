//! What tools that load the circuit show, kept: each hypothesis has to be solved anew for them.

use std::collections::HashMap;
use std::sync::{Mutex, OnceLock, PoisonError};

/// Bytes that a value takes among others in a table.
const BYTES_A_VALUE: usize = 24;

/// What a tool shows between two points in a state, as far as it was asked for; infinite is over limit.
#[derive(Debug, Default)]
pub(crate) struct ToolShows {
    sound: OnceLock<f64>,
    faults: Mutex<HashMap<usize, f64>>,
}

impl ToolShows {
    /// On a sound vehicle.
    pub(crate) fn sound(&self, read: impl FnOnce() -> f64) -> f64 {
        *self.sound.get_or_init(read)
    }

    /// Under each hypothesis that was asked for.
    pub(crate) fn known(&self) -> HashMap<usize, f64> {
        self.faults.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Takes in what was not known yet.
    pub(crate) fn learn(&self, more: impl IntoIterator<Item = (usize, f64)>) {
        self.faults.lock().unwrap_or_else(PoisonError::into_inner).extend(more);
    }

    pub(crate) fn bytes(&self) -> usize {
        let faults = self.faults.lock().unwrap_or_else(PoisonError::into_inner);
        faults.capacity() * BYTES_A_VALUE
    }
}
