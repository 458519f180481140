//! A solved state as bytes, so that it need not be solved again after a restart. What the bytes belong
//! to, the vehicle and the version of the program, is for whoever keeps them to know.

use super::{Model, Predictions};
use crate::bytes::{put, sum, take};
use crate::cache::Wanted;
use crate::snapshot::Snapshot;
use std::sync::Arc;
use vehicle::OperatingState;

/// What such bytes begin with.
const HEAD: &[u8; 8] = b"solved-1";

impl Model {
    /// A state with everything solved that was asked for; nothing where hypotheses are missing.
    pub fn saved(&self, state: &OperatingState) -> Option<Vec<u8>> {
        let p = self.predict(state);
        let mut out = HEAD.to_vec();
        put(&mut out, p.faults.len());
        for h in 0..p.faults.len() {
            p.faults.get(h)?.save(&mut out);
        }
        let heard = if p.heard.is_full() { p.heard.len() } else { 0 };
        put(&mut out, heard);
        for overlay in (0..heard).filter_map(|h| p.heard.get(h)) {
            out.push(u8::from(overlay.is_some()));
            if let Some(overlay) = overlay {
                overlay.save(&mut out);
            }
        }
        let sum = sum(&out);
        out.extend(sum.to_le_bytes());
        Some(out)
    }

    /// Takes over a state that was saved; false where the bytes are none or are damaged, and nothing
    /// was taken over.
    pub fn restore(&self, state: &OperatingState, bytes: &[u8]) -> bool {
        let p = self.predict(state);
        let taken = self.read(&p, bytes).is_some();
        if taken {
            self.cache.put(Wanted::State(self.id, state), &p);
        }
        taken
    }

    fn read(&self, p: &Arc<Predictions>, bytes: &[u8]) -> Option<()> {
        let (content, end) = bytes.split_last_chunk::<8>()?;
        if sum(content) != u64::from_le_bytes(*end) {
            return None;
        }
        let mut rest = content.strip_prefix(HEAD)?;
        if take(&mut rest)? != self.faults.len() {
            return None;
        }
        let mut faults = Vec::with_capacity(self.faults.len());
        for _ in 0..self.faults.len() {
            faults.push(Snapshot::load(&p.base, &mut rest)?);
        }
        let count = take(&mut rest)?;
        if count != 0 && count != self.faults.len() {
            return None;
        }
        let mut heard = Vec::with_capacity(count);
        for _ in 0..count {
            let (is_there, more) = rest.split_first()?;
            rest = more;
            heard.push(match is_there {
                0 => None,
                _ => Some(Box::new(Snapshot::load(&p.base, &mut rest)?)),
            });
        }
        // What was solved meanwhile is the same.
        for (h, made) in faults.into_iter().enumerate() {
            p.take_in(h, made);
        }
        for (h, made) in heard.into_iter().enumerate() {
            p.take_in_heard(h, made);
        }
        Some(())
    }
}
