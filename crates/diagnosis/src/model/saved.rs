//! A solved state as bytes, so that it need not be solved again after a restart. What the bytes belong
//! to, the vehicle and the version of the program, is for whoever keeps them to know.

use super::{Model, Predictions};
use crate::bytes::{put, sum, take};
use crate::model::HypIx;
use crate::snapshot::Snapshot;
use vehicle::OperatingState;

/// What such bytes begin with.
const HEAD: &[u8; 8] = b"solved-1";

/// What is read of what was saved.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Part {
    /// What hypotheses predict with every module heard.
    Plain,
    /// The same with who is heard.
    Heard,
}

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

    /// Takes over what was saved of the hypotheses that are wanted, if anything was. Bytes that are none
    /// or are damaged change nothing.
    pub(super) fn recall(
        &self,
        state: &OperatingState,
        p: &Predictions,
        part: Part,
        wanted: impl Fn(HypIx) -> bool,
    ) {
        self.attic.fetch(state, |bytes| {
            let _ = self.read(p, part, bytes, &wanted);
        });
    }

    fn read(
        &self,
        p: &Predictions,
        part: Part,
        bytes: &[u8],
        wanted: impl Fn(HypIx) -> bool,
    ) -> Option<()> {
        let (content, end) = bytes.split_last_chunk::<8>()?;
        if sum(content) != u64::from_le_bytes(*end) {
            return None;
        }
        let mut rest = content.strip_prefix(HEAD)?;
        if take(&mut rest)? != self.faults.len() {
            return None;
        }
        let plain = |h: HypIx| part == Part::Plain && wanted(h);
        let mut faults = Vec::new();
        for h in self.faults.keys() {
            match plain(h) {
                true => faults.push((h, Snapshot::load(&p.base, &mut rest)?)),
                false => Snapshot::skip(&mut rest)?,
            }
        }
        let mut heard = Vec::new();
        if part == Part::Heard {
            let count = take(&mut rest)?;
            if count != self.faults.len() {
                return None;
            }
            for h in self.faults.keys() {
                let (is_there, more) = rest.split_first()?;
                rest = more;
                let overlay = match (is_there, wanted(h)) {
                    (0, _) => None,
                    (_, true) => Some(Box::new(Snapshot::load(&p.base, &mut rest)?)),
                    (_, false) => {
                        Snapshot::skip(&mut rest)?;
                        None
                    }
                };
                if wanted(h) {
                    heard.push((h, overlay));
                }
            }
        }
        // What was solved meanwhile is the same.
        for (h, made) in faults {
            p.take_in(h, made);
        }
        for (h, made) in heard {
            p.take_in_heard(h, made);
        }
        Some(())
    }
}
