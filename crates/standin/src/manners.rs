//! How the stand-in behaves on request: slow, silent, garbled, gone. For tests and for practice.

use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;
use vehicle::PartIx;

/// Delay of an answer on the vehicle's buses.
const BUS_DELAY: Duration = Duration::from_millis(12);

/// Service 19.
const READ_CODES: u8 = 0x19;

/// A module's way of answering.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub(crate) enum Manner {
    /// It acknowledges and never answers.
    Silent,
    /// What it answers is no answer.
    Garbled,
    /// It says "pending" for ever.
    Pending,
    /// It sends without end.
    Flood,
    /// It is busy the first time it is asked.
    Busy,
    /// It takes longer.
    Slow {
        /// Milliseconds more.
        millis: u64,
    },
}

/// What is asked of the stand-in.
#[derive(Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub(crate) struct Wanted {
    /// Delay of every answer, milliseconds.
    latency_ms: Option<u64>,
    /// Modules with a manner of their own.
    modules: BTreeMap<String, Manner>,
    /// Diagnostic messages after which the gateway closes the connection.
    close_after: Option<u32>,
    /// Requests for codes after which the cable is out.
    cut_after: Option<u32>,
    /// Diagnostic messages after which the cable is out.
    cut_at: Option<u32>,
    /// Diagnostic message at which somebody turns the starter: the supply sags, and the module that was asked
    /// starts anew in the middle of what it did.
    sag_at: Option<u32>,
    /// The cable is out.
    cut: bool,
    /// How many times faster than real time the vehicle's clock runs.
    speed: Option<f64>,
}

/// How the stand-in behaves now.
#[derive(Debug)]
pub(crate) struct Manners {
    pub(crate) latency: Duration,
    modules: BTreeMap<String, Manner>,
    close_after: Option<u32>,
    cut_after: Option<u32>,
    cut_at: Option<u32>,
    sag_at: Option<u32>,
    cut: bool,
    busy: BTreeSet<PartIx>,
    /// Times faster than real time.
    pub(crate) speed: f64,
}

impl Default for Manners {
    fn default() -> Self {
        Self::wanted(Wanted::default())
    }
}

impl Manners {
    pub(crate) fn wanted(w: Wanted) -> Self {
        Self {
            latency: w.latency_ms.map_or(BUS_DELAY, Duration::from_millis),
            modules: w.modules,
            close_after: w.close_after,
            cut_after: w.cut_after,
            cut_at: w.cut_at,
            sag_at: w.sag_at,
            cut: w.cut,
            busy: BTreeSet::new(),
            speed: w.speed.filter(|s| s.is_finite()).unwrap_or(1.0).clamp(0.1, 1000.0),
        }
    }

    pub(crate) fn of(&self, module: &str) -> Option<Manner> {
        self.modules.get(module).copied()
    }

    /// Whether the cable is out.
    pub(crate) fn is_cut(&self) -> bool {
        self.cut
    }

    /// Counts a message by its service; whether the gateway closes the connection at this one.
    pub(crate) fn closes_now(&mut self, service: u8) -> bool {
        if let Some(left) = self.cut_after.as_mut().filter(|_| service == READ_CODES) {
            *left = left.saturating_sub(1);
            self.cut = *left == 0;
        }
        if let Some(left) = &mut self.cut_at {
            *left = left.saturating_sub(1);
            self.cut |= *left == 0;
        }
        if self.cut {
            return true;
        }
        let Some(left) = &mut self.close_after else { return false };
        *left = left.saturating_sub(1);
        let closes = *left == 0;
        if closes {
            self.close_after = None;
        }
        closes
    }

    /// Counts a message; whether the supply sags at this one.
    pub(crate) fn sags_now(&mut self) -> bool {
        let Some(left) = &mut self.sag_at else { return false };
        *left = left.saturating_sub(1);
        let sags = *left == 0;
        if sags {
            self.sag_at = None;
        }
        sags
    }

    /// Whether a module that is busy at first is so this time: every other time.
    pub(crate) fn is_busy(&mut self, part: PartIx) -> bool {
        if self.busy.remove(&part) {
            return false;
        }
        self.busy.insert(part)
    }
}
