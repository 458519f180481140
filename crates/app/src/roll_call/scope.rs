//! The scope beside a roll call: a sweep with every round, so that what the lines do and who falls silent
//! stand over each other.

use crate::captures::Opened;
use bus::findings::amplitude;
use diagnosis::ledger::CaptureOf;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::ToSchema;

/// A LIN sender must reach so much of the way down (ISO 17987-4: below 20 % of the supply).
const WEAK_LIN: f64 = 0.8;

/// Until when sweeps are taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Until {
    /// It is stopped.
    Stopped,
    /// A frame is not right.
    Wrong,
    /// A sender drives too little, or a frame is not right.
    Weak,
}

/// What the scope watches.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct BusWatch {
    /// The bus.
    pub bus: String,
    /// Where the probes sit.
    pub points: Vec<String>,
    /// Until when.
    pub until: Until,
}

/// What a sweep showed.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, ToSchema)]
pub struct Look {
    /// Frames.
    pub frames: u32,
    /// Frames that are not right.
    pub wrong: u32,
    /// How far the weakest sender drives the lines, volts; none where nobody sends.
    pub weakest: Option<f64>,
    /// It drives too little.
    pub weak: bool,
}

impl Look {
    /// Of a capture.
    pub fn of(opened: &Opened) -> Self {
        let frames = opened.frames.len() as u32;
        let wrong = opened.frames.iter().filter(|f| f.is_wrong()).count() as u32;
        let levels = opened.reading.as_ref().map_or(&[][..], |r| &r.levels_of);
        let is_lin = opened.bus == "lin";
        let drives = |f: &diagnosis::tapped::Frame| {
            let (rest, driven) = (f.rest.first()?, f.driven.first()?);
            Some(if is_lin { rest - driven } else { *driven })
        };
        let weakest = levels.iter().filter_map(drives).min_by(f64::total_cmp);
        let resting = opened.reading.as_ref().and_then(|r| r.levels).map_or(0.0, |l| l[0]);
        let least = if is_lin { WEAK_LIN * resting } else { amplitude::LEAST };
        Self { frames, wrong, weakest, weak: weakest.is_some_and(|v| v < least) }
    }

    /// Whether it shows something that a sound bus does not; silence does as well.
    pub fn is_bad(&self) -> bool {
        self.wrong > 0 || self.weak || self.frames == 0
    }

    /// Whether it ends what was to go on until then.
    pub fn ends(&self, until: Until) -> bool {
        match until {
            Until::Stopped => false,
            Until::Wrong => self.wrong > 0,
            Until::Weak => self.wrong > 0 || self.weak,
        }
    }
}

/// A sweep that was taken, decoded.
#[derive(Debug, Clone)]
pub struct Swept {
    /// What the scope watched.
    pub watched: BusWatch,
    /// What the bus is.
    pub of: CaptureOf,
    /// The capture.
    pub opened: Arc<Opened>,
    /// The round it belongs to.
    pub round: usize,
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::captures::Content;
    use bus::can::wave::{Rates, Sent, Shape, draw};
    use bus::can::{bits::bits, frame};

    fn look(volts: f64, acknowledged: bool) -> Look {
        let rates = Rates::classic(500e3);
        let half = volts / 2.0;
        let rest = Shape { recessive: [2.5; 2], dominant: [2.5; 2], ..Shape::default() };
        let shape = Shape { dominant: [2.5 + half, 2.5 - half], ..rest };
        let sent: Vec<Sent> = (0..6)
            .map(|k| {
                let frame = frame::Frame::classic(frame::Id::Standard(0x123), &[k as u8; 8]);
                let bits = bits(&frame, acknowledged);
                Sent { bits, at: 1e-4 + 4e-4 * f64::from(k), shape, clock: 0.0 }
            })
            .collect();
        let trace = draw(&sent, &rates, &rest, 1e-7, 3e-3);
        Look::of(&Opened::of(Content::Volts(trace), CaptureOf::Can).unwrap())
    }

    #[test]
    fn a_sweep_is_told_by_its_weakest_sender_and_its_wrong_frames() {
        let sound = look(2.0, true);
        assert!(!sound.is_bad() && (sound.frames, sound.wrong) == (6, 0), "{sound:?}");
        let weakest = sound.weakest.unwrap();
        assert!((weakest - 2.0).abs() < 0.05, "{weakest}");
        let weak = look(1.1, true);
        assert!(weak.is_bad() && weak.ends(Until::Weak) && !weak.ends(Until::Wrong), "{weak:?}");
        let alone = look(2.0, false);
        assert!(alone.ends(Until::Wrong) && !alone.ends(Until::Stopped), "{alone:?}");
    }
}
