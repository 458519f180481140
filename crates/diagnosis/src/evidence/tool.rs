//! What tools show that load the circuit, and meters under two faults at once, kept: each has to be solved
//! anew for them.

use super::reading;
use crate::cache::{Keep, Wanted};
use crate::model::{HypIx, Model, ModelError};
use circuit::{Change, Probe};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use vehicle::{OperatingState, TiVec};

/// Bytes that a value takes among others in a table.
const BYTES_A_VALUE: usize = 24;

/// What a tool shows between two points in a state, as far as it was asked for; infinite is over limit.
#[derive(Debug, Default)]
pub(crate) struct ToolShows {
    sound: OnceLock<f64>,
    faults: Mutex<HashMap<HypIx, f64>>,
    pairs: Mutex<HashMap<[HypIx; 2], f64>>,
}

impl ToolShows {
    /// On a sound vehicle.
    pub(crate) fn sound(&self, read: impl FnOnce() -> f64) -> f64 {
        *self.sound.get_or_init(read)
    }

    /// Under each hypothesis that was asked for.
    pub(crate) fn known(&self) -> HashMap<HypIx, f64> {
        self.faults.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Takes in what was not known yet.
    fn learn(&self, more: impl IntoIterator<Item = (HypIx, f64)>) {
        self.faults.lock().unwrap_or_else(PoisonError::into_inner).extend(more);
    }
}

impl Keep for ToolShows {
    fn bytes(&self) -> usize {
        let faults = self.faults.lock().unwrap_or_else(PoisonError::into_inner);
        let pairs = self.pairs.lock().unwrap_or_else(PoisonError::into_inner);
        (faults.capacity() + pairs.capacity()) * BYTES_A_VALUE
    }
}

impl Model {
    /// What a tool that loads the circuit shows, as far as it was asked for before.
    pub(crate) fn tool(&self, state: &OperatingState, probe: &Probe) -> Arc<ToolShows> {
        let wanted = |id| Wanted::Tool(id, state, probe);
        self.kept(wanted).unwrap_or_else(|| {
            let made = Arc::new(ToolShows::default());
            self.keep(wanted, &made);
            made
        })
    }

    /// What a meter shows under each of some pairs of hypotheses.
    ///
    /// # Errors
    /// [`ModelError`] for points that do not exist.
    pub(crate) fn shown_under_pairs(
        &self,
        state: &OperatingState,
        probe: &Probe,
        pairs: &[[HypIx; 2]],
    ) -> Result<TiVec<HypIx, f64>, ModelError> {
        let leads = probe.leads(&self.circuit)?;
        let tool = self.tool(state, probe);
        let known = || tool.pairs.lock().unwrap_or_else(PoisonError::into_inner);
        let new: Vec<[HypIx; 2]> = {
            let known = known();
            pairs.iter().filter(|pair| !known.contains_key(*pair)).copied().collect()
        };
        if !new.is_empty() {
            let changes = |pair: &[HypIx; 2]| {
                pair.iter().flat_map(|h| self.faults[*h].changes.iter().copied()).collect()
            };
            let sets: Vec<Vec<Change>> = new.iter().map(changes).collect();
            let values = reading::reads(self, state, sets.iter().map(Vec::as_slice), leads);
            known().extend(new.into_iter().zip(values));
            self.keep(|id| Wanted::Tool(id, state, probe), &tool);
        }
        let known = known();
        Ok(pairs.iter().filter_map(|pair| known.get(pair).copied()).collect())
    }

    /// Takes in what it shows under more hypotheses.
    pub(crate) fn tool_learns(
        &self,
        state: &OperatingState,
        probe: &Probe,
        tool: &Arc<ToolShows>,
        more: Vec<(HypIx, f64)>,
    ) {
        if !more.is_empty() {
            tool.learn(more);
            self.keep(|id| Wanted::Tool(id, state, probe), tool);
        }
    }
}
