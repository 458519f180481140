//! What was weighed, kept: in the cache, and as bytes for those who keep it longer.

use super::{Evidence, Likelihood, Read, Shown};
use crate::bytes::{put, sum, take};
use crate::cache::{Keep, Wanted};
use crate::model::{Model, ModelError};
use std::sync::Arc;

/// What such bytes begin with.
const WEIGHTS: &[u8; 8] = b"weighed1";

impl Keep for Likelihood {
    fn bytes(&self) -> usize {
        8 * (self.there.len() + self.wavering.as_ref().map_or(0, |w| w.len()))
    }
}

impl Model {
    /// The likelihoods of a piece of evidence, by its key, from the cache when they are there.
    pub(super) fn weighed(
        &self,
        key: &str,
        make: impl FnOnce() -> Result<Likelihood, ModelError>,
    ) -> Result<Arc<Likelihood>, ModelError> {
        let wanted = |id| Wanted::Weighed(id, key);
        if let Some(hit) = self.kept(wanted) {
            return Ok(hit);
        }
        let made = Arc::new(make()?);
        self.keep(wanted, &made);
        Ok(made)
    }

    /// How likely every hypothesis makes a piece of evidence, if that is at hand.
    pub fn saved_weights(&self, of: &Evidence) -> Option<Vec<u8>> {
        let key = of.key();
        let l: Arc<Likelihood> = self.kept(|id| Wanted::Weighed(id, &key))?;
        let mut out = WEIGHTS.to_vec();
        put(&mut out, l.there.len());
        for x in [l.away, l.elsewhere].iter().chain(&l.there) {
            out.extend(x.to_le_bytes());
        }
        let sum = sum(&out);
        out.extend(sum.to_le_bytes());
        let of_meter = matches!(&l.read, Some(Read { shown: Shown::Meter(..), .. }));
        (l.wavering.is_none() && !of_meter).then_some(out)
    }

    /// Takes over such weights; false where the bytes are none or are damaged.
    pub fn restore_weights(&self, of: &Evidence, bytes: &[u8]) -> bool {
        let read = || {
            let (content, end) = bytes.split_last_chunk::<8>()?;
            let mut rest = content.strip_prefix(WEIGHTS)?;
            let whole = sum(content) == u64::from_le_bytes(*end);
            let count = take(&mut rest)?;
            if !whole || count != self.faults.len() || rest.len() != 8 * (count + 2) {
                return None;
            }
            let (numbers, _) = rest.as_chunks::<8>();
            let mut numbers = numbers.iter().map(|b| f64::from_le_bytes(*b));
            let (away, elsewhere) = (numbers.next()?, numbers.next()?);
            Some(Likelihood {
                there: numbers.collect(),
                away,
                elsewhere,
                wavering: None,
                read: of.read(),
            })
        };
        match read() {
            Some(l) => {
                let key = of.key();
                self.keep(|id| Wanted::Weighed(id, &key), &Arc::new(l));
                true
            }
            None => false,
        }
    }
}
