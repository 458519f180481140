//! Levels, measured and predicted.

use super::{Seen, Tap};
use crate::evidence;
use crate::model::{Model, ModelError};
use circuit::Change;
use vehicle::{OperatingState, PartId};

/// A level, measured and predicted.
#[derive(Debug, Clone, PartialEq)]
pub struct Compared {
    /// Number of the span it was measured over, see [`Tap::spans`].
    pub span: usize,
    /// Who drives; none while nobody does.
    pub sender: Option<PartId>,
    /// Frames it was measured in; 0 for the resting level.
    pub frames: usize,
    /// As measured, volts.
    pub measured: f64,
    /// On a sound vehicle, volts.
    pub expected: f64,
    /// Under a suspect, volts.
    pub under: Option<f64>,
}

/// Every level beside what is predicted at the tap; `under` is what a suspect changes.
///
/// # Errors
/// [`ModelError`] for points that do not exist.
pub fn compared(
    model: &Model,
    state: &OperatingState,
    tap: &Tap,
    seen: &Seen,
    under: Option<&[Change]>,
) -> Result<Vec<Compared>, ModelError> {
    let sets: Vec<&[Change]> = std::iter::once(&[][..]).chain(under).collect();
    let mut out = Vec::new();
    for (span, points) in tap.spans.iter().enumerate() {
        let rest = seen.recessive.get(span).map(|v| (None, 0, *v));
        let all = seen
            .senders
            .iter()
            .filter_map(|(part, (volts, frames))| Some((Some(part), *frames, *volts.get(span)?)));
        let points = [points[0].as_str(), points[1].as_str()];
        for (sender, frames, measured) in rest.into_iter().chain(all) {
            let volts = evidence::level::predicted(model, state, &tap.bus, points, sender, &sets)?;
            let (expected, under) = (volts[0], volts.get(1).copied());
            out.push(Compared { span, sender: sender.cloned(), frames, measured, expected, under });
        }
    }
    Ok(out)
}
