//! A procedure followed: which stage it is in, what still lacks, how long it has to hold, and why it ended. What is
//! said follows from the values as they were read and from nothing else, so that the trace tells it again.
//!
//! A module follows it by the values at its own pins ([`at_pins`]), a tester by the physical ones.

use crate::compile::Circuit;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::ToSchema;
use vehicle::procedure::{Procedure, Stage, Target};
use vehicle::{Amount, KeyPosition, OperatingState, SignalId, Transfer, Vehicle, at_table};

/// Values further apart than this say nothing of the time between, seconds.
const GAP_S: f64 = 2.0;
/// So long without any value of a signal that matters ends it, seconds.
const SILENT_S: f64 = 10.0;

/// What was read at once.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Sample {
    /// Seconds since it began.
    pub at_s: f64,
    /// Physical values that are real; what was not read, or is put in its place, is not among them.
    #[schema(value_type = std::collections::BTreeMap<String, f64>)]
    pub values: BTreeMap<SignalId, f64>,
}

/// How it stands.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "stands", rename_all = "snake_case")]
pub enum Stands {
    /// It goes on.
    Running,
    /// All stages are passed.
    Passed,
    /// It ended by itself.
    Failed {
        /// Why.
        why: Why,
    },
}

/// Why a procedure ended by itself.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Why {
    /// What must hold throughout did not.
    Beyond {
        /// The signal.
        signal: SignalId,
        /// What it was.
        is: f64,
    },
    /// A stage was not passed in its window.
    Late {
        /// The stage.
        stage: String,
        /// Its window, seconds.
        within_s: f64,
    },
    /// A signal that matters could not be read for long.
    Unread {
        /// The signal.
        signal: SignalId,
        /// For how long, seconds.
        for_s: f64,
    },
}

impl Why {
    /// In words.
    pub fn words(&self, vehicle: &Vehicle) -> String {
        let of = |id: &SignalId| vehicle.signals.iter().find(|s| s.id == *id);
        let name = |id: &SignalId| of(id).map_or_else(|| id.to_string(), |s| s.name.clone());
        match self {
            Self::Beyond { signal, is } => {
                let unit = of(signal).and_then(|s| s.physical.as_ref()).map(|p| p.unit.as_str());
                let said = format!("{} was {is:.1} {}", name(signal), unit.unwrap_or_default());
                format!("{}, which it must not be", said.trim_end())
            }
            Self::Late { stage, within_s } => format!("{stage}: not done within {within_s:.0} s"),
            Self::Unread { signal, for_s } => {
                format!("{} could not be read for {for_s:.0} s", name(signal))
            }
        }
    }
}

/// A procedure on its way.
#[derive(Debug, Clone)]
pub struct Run {
    of: Procedure,
    /// The stage it is in.
    stage: usize,
    /// When that began.
    stage_began_s: f64,
    /// Since when everything holds in it, if it does.
    holds_since_s: Option<f64>,
    /// When the latest sample was taken, and the latest of each signal.
    last_s: Option<f64>,
    heard_s: BTreeMap<SignalId, f64>,
    lacking: Vec<Lack>,
    stands: Stands,
}

/// A target that is not met.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Lack {
    /// The signal.
    pub signal: SignalId,
    /// What it is; none where nobody says.
    pub is: Option<f64>,
    /// Least value that will do.
    pub least: Option<f64>,
    /// Largest value that will do.
    pub most: Option<f64>,
}

impl Run {
    /// At its beginning.
    pub fn new(of: Procedure) -> Self {
        Self {
            of,
            stage: 0,
            stage_began_s: 0.0,
            holds_since_s: None,
            last_s: None,
            heard_s: BTreeMap::new(),
            lacking: Vec::new(),
            stands: Stands::Running,
        }
    }

    /// What is followed.
    pub fn of(&self) -> &Procedure {
        &self.of
    }

    /// From a whole trace, as it was followed.
    pub fn of_trace<'s>(of: Procedure, trace: impl IntoIterator<Item = &'s Sample>) -> Self {
        let mut run = Self::new(of);
        for sample in trace {
            run.take(sample);
        }
        run
    }

    /// How it stands.
    pub fn stands(&self) -> &Stands {
        &self.stands
    }

    /// The stage it is in; none once all are passed.
    pub fn stage(&self) -> Option<(usize, &Stage)> {
        self.of.stages.get(self.stage).map(|s| (self.stage, s))
    }

    /// What the stage still lacks, as last read.
    pub fn lacking(&self) -> &[Lack] {
        &self.lacking
    }

    /// Seconds for which the stage has held without a break.
    pub fn held_s(&self) -> f64 {
        self.holds_since_s.zip(self.last_s).map_or(0.0, |(since, last)| last - since)
    }

    /// Seconds left of the stage's window; none where it has none.
    pub fn left_s(&self) -> Option<f64> {
        let within = self.stage()?.1.within_s?;
        let gone = self.last_s.unwrap_or(0.0) - self.stage_began_s;
        Some((within - gone).clamp(0.0, within))
    }

    /// Takes what was read next. After its end nothing changes any more; what lies before what was taken already is
    /// left out.
    pub fn take(&mut self, sample: &Sample) {
        let now = sample.at_s;
        if self.stands != Stands::Running
            || !now.is_finite()
            || self.last_s.is_some_and(|l| now < l)
        {
            return;
        }
        // Nobody knows what was between.
        if self.last_s.is_some_and(|last| now - last > GAP_S) {
            self.holds_since_s = None;
        }
        for signal in sample.values.keys() {
            self.heard_s.insert(signal.clone(), now);
        }
        self.last_s = Some(now);
        if let Some(why) = self.ends(sample) {
            self.stands = Stands::Failed { why };
            return;
        }
        // A stage that is passed at once leaves the rest of the moment to the next one.
        while let Some((_, stage)) = self.stage() {
            let hold_s = stage.hold_s;
            let lacking = stage.targets.iter().filter_map(|t| lack(t, sample)).collect();
            self.lacking = lacking;
            if !self.lacking.is_empty() {
                self.holds_since_s = None;
                break;
            }
            let since = *self.holds_since_s.get_or_insert(now);
            if now - since < hold_s {
                break;
            }
            self.stage += 1;
            self.stage_began_s = now;
            self.holds_since_s = None;
        }
        if self.stage == self.of.stages.len() {
            self.stands = Stands::Passed;
        } else if let (Some(0.0), Some((_, stage))) = (self.left_s(), self.stage()) {
            let within_s = stage.within_s.unwrap_or_default();
            let why = Why::Late { stage: stage.name.clone(), within_s };
            self.stands = Stands::Failed { why };
        }
    }

    /// Why it cannot go on, if it cannot.
    fn ends(&self, sample: &Sample) -> Option<Why> {
        let broken = self.of.throughout.iter().find_map(|t| {
            let value = *sample.values.get(&t.signal)?;
            (!t.holds(value)).then(|| Why::Beyond { signal: t.signal.clone(), is: value })
        });
        let staged = self.stage().into_iter().flat_map(|(_, s)| &s.targets);
        let silent = || {
            self.of.throughout.iter().chain(staged).find_map(|t| {
                let heard = self.heard_s.get(&t.signal).copied().unwrap_or(self.stage_began_s);
                let long = sample.at_s - heard;
                let unread = || Why::Unread { signal: t.signal.clone(), for_s: long };
                (long > SILENT_S).then(unread)
            })
        };
        broken.or_else(silent)
    }
}

fn lack(target: &Target, sample: &Sample) -> Option<Lack> {
    let is = sample.values.get(&target.signal).copied();
    let met = is.is_some_and(|value| target.holds(value));
    let Target { signal, least, most } = target.clone();
    (!met).then_some(Lack { signal, is, least, most })
}

/// A procedure with its bands as its module sees them: in each signal's own unit, at its pins.
pub fn at_pins(c: &Circuit, of: &Procedure) -> Procedure {
    let mut own = of.clone();
    let staged = own.stages.iter_mut().flat_map(|s| &mut s.targets);
    for target in own.throughout.iter_mut().chain(staged) {
        let at = |physical: Option<f64>| physical.map(|p| at_pin(c, &target.signal, p));
        let ends = [at(target.least), at(target.most)];
        // Where the pin falls as what is felt rises, the least is the most; told at the band itself, for elsewhere
        // the sensor may be at its end.
        let end = target.least.or(target.most).unwrap_or_default();
        let rises = at(Some(end + 1.0)) >= at(Some(end - 1.0));
        [target.least, target.most] = if rises { ends } else { [ends[1], ends[0]] };
    }
    own
}

/// What is at the pin of a signal at a physical value; the same where the value at the pin is what counts.
fn at_pin(c: &Circuit, signal: &SignalId, physical: f64) -> f64 {
    let signals = &c.vehicle.signals;
    let number = signals.position(|s| s.id == *signal);
    let transfer = number.and_then(|k| signals[k].physical.as_ref()).map(|p| &p.transfer);
    match transfer {
        Some(Transfer::Table(points)) => {
            let mut back: Vec<(f64, f64)> = points.iter().map(|(raw, p)| (*p, *raw)).collect();
            back.sort_by(|a, b| a.0.total_cmp(&b.0));
            at_table(&back, physical)
        }
        Some(Transfer::Felt { stimulus, .. }) => {
            let Some((a, b)) = number.and_then(|k| c.software.pins(k)) else { return physical };
            let mut state = OperatingState { key: KeyPosition::On, ..OperatingState::default() };
            state.stimuli.insert(stimulus.clone(), Amount(physical));
            let solved = c.solve(&state, &[], None);
            solved.volts[a] - solved.volts[b]
        }
        Some(Transfer::Named(_)) | None => physical,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Warm above 80 °C, then 20 s between 60 and 80 km/h within two minutes, never above 120.
    fn drive() -> Procedure {
        let file = serde_json::json!({
            "id": "d", "name": "Drive", "teaches": "t",
            "throughout": [{"signal": "speed", "most": 120}],
            "stages": [
                {"name": "Warm it up", "targets": [{"signal": "coolant", "least": 80}]},
                {"name": "Hold 60 to 80", "targets": [{"signal": "speed", "least": 60, "most": 80}],
                 "hold_s": 20, "within_s": 120}
            ]
        });
        serde_json::from_value(file).unwrap()
    }

    fn sample(at_s: f64, coolant: f64, speed: f64) -> Sample {
        let values = [("coolant", coolant), ("speed", speed)];
        Sample { at_s, values: values.map(|(s, v)| (s.into(), v)).into_iter().collect() }
    }

    /// A sample a second, with what is read at each.
    fn seconds(n: usize, of: impl Fn(f64) -> (f64, f64)) -> Vec<Sample> {
        (0..n).map(|k| (k as f64, of(k as f64))).map(|(t, (c, s))| sample(t, c, s)).collect()
    }

    #[test]
    fn it_passes_once_every_stage_has_held_long_enough() {
        let of = drive();
        // Warm at second 10, at 70 km/h from second 15 on.
        let trace = seconds(36, |t| (70.0 + t, if t < 15.0 { 0.0 } else { 70.0 }));
        let run = Run::of_trace(of.clone(), &trace[..35]);
        assert_eq!((run.stage().unwrap().0, run.held_s()), (1, 19.0));
        assert_eq!(run.left_s(), Some(120.0 - 24.0));
        assert_eq!(Run::of_trace(of.clone(), &trace).stands(), &Stands::Passed);
    }

    #[test]
    fn a_break_begins_the_time_anew_and_so_does_what_nobody_saw() {
        let of = drive();
        let slow = |t: f64| (90.0, if t == 12.0 { 59.0 } else { 70.0 });
        let run = Run::of_trace(of.clone(), &seconds(31, slow));
        assert_eq!((run.stands(), run.held_s()), (&Stands::Running, 17.0));
        let mut gap = seconds(31, |_| (90.0, 70.0));
        gap.retain(|s| !(8.0..12.0).contains(&s.at_s));
        assert_eq!(Run::of_trace(of.clone(), &gap).held_s(), 18.0);
        // A value that is put in another's place, or not read, is none.
        let mut unread = seconds(10, |_| (90.0, 70.0));
        unread[5].values.remove("speed");
        let run = Run::of_trace(of.clone(), &unread[..6]);
        assert_eq!(
            run.lacking(),
            &[Lack { signal: "speed".into(), is: None, least: Some(60.0), most: Some(80.0) }]
        );
    }

    #[test]
    fn it_ends_by_itself_and_says_why() {
        let of = drive();
        let why = |trace: &[Sample]| match Run::of_trace(of.clone(), trace).stands {
            Stands::Failed { why } => why,
            other => panic!("{other:?}"),
        };
        let fast = why(&seconds(9, |t| (90.0, 60.0 + 10.0 * t)));
        assert_eq!(fast, Why::Beyond { signal: "speed".into(), is: 130.0 });
        let slow = why(&seconds(140, |_| (90.0, 40.0)));
        assert_eq!(slow, Why::Late { stage: "Hold 60 to 80".into(), within_s: 120.0 });
        let mut silent = seconds(20, |_| (50.0, 0.0));
        silent[4..].iter_mut().for_each(|s| s.values.clear());
        assert!(matches!(why(&silent), Why::Unread { for_s: 11.0, .. }), "{:?}", why(&silent));
    }

    proptest! {
        #[test]
        fn what_was_ended_stays_and_no_order_of_values_upsets_it(
            all in prop::collection::vec((-5.0..400.0_f64, 0.0..140.0_f64, 0.0..140.0_f64), 0..80),
        ) {
            let of = drive();
            let mut run = Run::new(of);
            let mut ended: Option<Stands> = None;
            for (at, coolant, speed) in all {
                run.take(&sample(at, coolant, speed));
                prop_assert!(run.held_s() >= 0.0);
                prop_assert!(run.left_s().is_none_or(|l| (0.0..=120.0).contains(&l)));
                if let Some(ended) = &ended {
                    prop_assert_eq!(run.stands(), ended);
                }
                if *run.stands() != Stands::Running {
                    ended = Some(run.stands().clone());
                }
            }
        }
    }
}
