//! Evidence: what was found, in which state, and how likely each hypothesis makes it.
//!
//! One file per kind. Most kinds look at what is predicted for a state and give a
//! [`Scorer`]; a few look at the fault itself, at where it lies and what one would see of it.
//! [`Likelihood`] holds the outcome for every hypothesis.

use crate::model::{HypIx, Model, ModelError, Snapshot};
use circuit::{Change, Fault, Instrument, Probe};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;
use utoipa::ToSchema;
use vehicle::{FailureType, OperatingState, PartId, PartIx, SignalId, TiVec, TroubleCode};

pub(crate) mod answer;
mod at_once;
pub(crate) mod code;
pub(crate) mod effect;
mod heard;
pub(crate) mod level;
pub(crate) mod moved;
pub(crate) mod reading;
pub(crate) mod recorded;
pub(crate) mod rolling;
mod scan;
pub(crate) mod seen;
pub(crate) mod signal;
pub(crate) mod substituted;
pub(crate) mod together;
pub(crate) mod tool;
mod weighed;

pub use seen::sights;
pub use together::LiveReading;

/// How strongly an effect shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Strength {
    /// As it should.
    Normal,
    /// Less than it should.
    Weak,
    /// Not at all.
    None,
}

/// Whether the symptom is there when something is found.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema, ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum Present {
    /// It shows.
    Yes,
    /// It does not show.
    No,
    /// Nobody has looked.
    #[default]
    Unknown,
}

/// What the eye finds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Sight {
    /// Chafed, broken, crushed, burnt.
    Damage,
    /// Green or white bloom, dull metal.
    Corrosion,
    /// Wet, or a water line.
    Water,
    /// A terminal pushed back, a connector not home.
    PushedBack,
    /// A terminal that does not grip a test pin.
    Loose,
    /// Looked, and there was nothing.
    Nothing,
}

/// What was found.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Finding {
    /// A meter reading.
    Reading {
        /// `volts`, `ohms` or `amps`.
        #[schemars(with = "String")]
        instrument: Instrument,
        /// Red lead, or the conductor for amps.
        red: String,
        /// Black lead.
        #[serde(default)]
        black: String,
        /// The value in V, Ohm or A; none is over limit (OL).
        value: Option<f64>,
    },
    /// What a meter held that was left on while the harness was moved, or the vehicle driven.
    Recorded {
        /// `volts` or `amps`.
        #[schemars(with = "String")]
        instrument: Instrument,
        /// Red lead, or the conductor for amps.
        red: String,
        /// Black lead.
        #[serde(default)]
        black: String,
        /// The lowest value in V or A.
        low: f64,
        /// The highest.
        high: f64,
    },
    /// An effect looked at, for example of a driven output.
    Effect {
        /// The part whose effect it is.
        part: PartId,
        /// How it showed.
        strength: Strength,
    },
    /// A code failing now, or its monitor run and passed.
    Code {
        /// Module part.
        module: PartId,
        /// Code.
        code: TroubleCode,
        /// Failure type, two hexadecimal digits.
        failure_type: FailureType,
        /// Failing now; else it ran and passed.
        failing: bool,
    },
    /// A module asked over the link.
    Answer {
        /// Module part.
        module: PartId,
        /// Whether it answered.
        answers: bool,
    },
    /// A live value read from a module.
    Signal {
        /// Id of the signal.
        signal: SignalId,
        /// In the signal's unit.
        value: f64,
    },
    /// Live values read at once of signals that feel the same, of which the state does not say how much
    /// there is.
    Together {
        /// The values; at least two.
        values: Vec<LiveReading>,
        /// How far what they feel may lie apart, one standard deviation in the unit of the stimulus: 0 of one
        /// pedal, a few kelvins of sensors after a cold night.
        #[serde(default)]
        apart: f64,
    },
    /// A level of a bus line in one of its phases, from a scope.
    Level {
        /// Bus.
        bus: String,
        /// Red lead.
        red: String,
        /// Black lead.
        black: String,
        /// While a dominant bit is sent; else recessive.
        dominant: bool,
        /// Who sends it, where that is known.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        sender: Option<PartId>,
        /// Volts.
        value: f64,
    },
    /// Frames of one member of a bus, looked for at another.
    Heard {
        /// Bus.
        bus: String,
        /// Module or bus part that sends.
        from: PartId,
        /// Member where the bus is tapped.
        at: PartId,
        /// Whether frames of the sender came.
        heard: bool,
    },
    /// The harness was moved at a place while something was watched.
    Moved {
        /// Place, connector or conductor that was moved.
        at: String,
        /// Whether the symptom or the reading changed with it.
        changed: bool,
    },
    /// Something was looked at.
    Seen {
        /// Place, connector, conductor, ground point, splice or part.
        at: String,
        /// What was seen.
        sight: Sight,
    },
    /// Something was put in the place of something else, and an effect watched.
    Substituted {
        /// Points that a fused jumper joined; none when a part was swapped.
        #[serde(default)]
        jumper: Option<[String; 2]>,
        /// Part that was swapped with a known-good one.
        #[serde(default)]
        swapped: Option<PartId>,
        /// The part whose effect was watched.
        part: PartId,
        /// How it showed then.
        strength: Strength,
    },
}

impl Finding {
    /// Signals whose live values it tells.
    pub(crate) fn signals(&self) -> Vec<&SignalId> {
        match self {
            Self::Signal { signal, .. } => vec![signal],
            Self::Together { values, .. } => values.iter().map(|v| &v.signal).collect(),
            _ => Vec::new(),
        }
    }

    /// Whether it is something a module said, so that it hangs on who is heard.
    pub(crate) fn is_heard(&self) -> bool {
        matches!(self, Self::Code { .. } | Self::Answer { .. })
    }

    /// The probe and the value of a reading; no value is over limit.
    pub fn reading(&self) -> Option<(Probe, Option<f64>)> {
        match self {
            Self::Reading { instrument, red, black, value } => Some((
                Probe { instrument: *instrument, red: red.clone(), black: black.clone() },
                *value,
            )),
            _ => None,
        }
    }
}

/// A finding in its state.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Evidence {
    /// The operating state, unplugged connectors included.
    #[serde(default)]
    pub state: OperatingState,
    /// Whether the symptom was there then.
    #[serde(default)]
    pub present: Present,
    /// Findings with the same number were made at once, as those of one scan are: a fault that comes
    /// and goes was there for all of them or for none. 0 stands alone.
    #[serde(default)]
    pub moment: u64,
    /// It is what the vehicle came for, seen by the customer and again at the intake: nobody errs about
    /// that as one may err about a finding on the way.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub complaint: bool,
    /// What was found.
    #[serde(flatten)]
    pub finding: Finding,
}

/// Chance that a reading is worthless: a probe that missed, a wrong cavity.
pub(crate) const BAD_PROBE: f64 = 0.02;
/// Chance that something else than what the vehicle came for is wrong with it.
pub(crate) const BESIDE_COMPLAINT: f64 = 1e-6;
/// Chance that a fault that comes and goes comes or goes before the next check is taken.
pub(crate) const TURNS: f64 = 0.2;
/// Chance that a fault that comes and goes is there, when nobody has looked at the symptom.
pub(crate) const THERE_BY_CHANCE: f64 = 0.5;

/// How likely every hypothesis makes a finding, or all findings of a moment, as natural logarithms.
#[derive(Debug, Clone)]
pub struct Likelihood {
    /// With the fault there, in the order of [`Model::faults`].
    pub there: TiVec<HypIx, f64>,
    /// With nothing wrong.
    pub away: f64,
    /// With something wrong that the vehicle file does not hold and that nothing in it resembles, see
    /// [`unforeseen`].
    pub elsewhere: f64,
    /// With a fault that comes and goes, where the finding is about just that; else it is as with the
    /// fault there while it is there, and as with nothing wrong while it is not.
    pub wavering: Option<TiVec<HypIx, f64>>,
    /// What was found, where it follows the number of a fault.
    pub read: Option<Read>,
}

/// Something that follows the number of a fault, as it was found.
#[derive(Debug, Clone, PartialEq)]
pub struct Read {
    /// State it was found in.
    pub state: OperatingState,
    /// What it is.
    pub shown: Shown,
    /// What it is kept under.
    pub(crate) key: String,
}

/// What follows the number of a fault.
#[derive(Debug, Clone, PartialEq)]
pub enum Shown {
    /// What a meter showed; infinite is over limit.
    Meter(Probe, f64),
    /// How strong the effect of a part was, and whether that is what the vehicle came for.
    Effect(PartId, Strength, bool),
}

impl Likelihood {
    /// Log-likelihood under a hypothesis as it comes and goes.
    pub fn wavering(&self, h: HypIx, present: Present) -> f64 {
        if let Some(own) = &self.wavering {
            return own[h];
        }
        self.while_wavering(self.there[h], present)
    }

    /// The same of a log-likelihood `there` with the fault there.
    pub(crate) fn while_wavering(&self, there: f64, present: Present) -> f64 {
        match present {
            Present::Yes => there,
            Present::No => self.away,
            Present::Unknown if there == self.away => there,
            Present::Unknown => {
                (THERE_BY_CHANCE * there.exp() + (1.0 - THERE_BY_CHANCE) * self.away.exp()).ln()
            }
        }
    }
}

/// Findings made at once, with how likely every hypothesis makes them together.
#[derive(Debug, Clone)]
pub struct Moment {
    /// Numbers of the pieces of evidence.
    pub pieces: Vec<usize>,
    /// Whether the symptom was there.
    pub present: Present,
    /// They are what the vehicle came for, which nobody errs about.
    pub complaint: bool,
    /// How likely every hypothesis makes them.
    pub likelihood: Arc<Likelihood>,
}

/// Sorts evidence into moments. What a scan finds is weighed at once; everything else alone.
///
/// # Errors
/// [`ModelError`] for evidence that does not fit the vehicle.
pub fn moments(model: &Model, evidence: &[Evidence]) -> Result<Vec<Moment>, ModelError> {
    let mut out = Vec::new();
    let mut scans: BTreeMap<(u64, &OperatingState), Vec<usize>> = BTreeMap::new();
    for (k, e) in evidence.iter().enumerate() {
        let of_scan = matches!(e.finding, Finding::Code { .. } | Finding::Answer { .. });
        match of_scan && e.moment != 0 {
            true => scans.entry((e.moment, &e.state)).or_default().push(k),
            false => out.push(Moment {
                pieces: vec![k],
                present: e.present,
                complaint: e.complaint,
                likelihood: e.likelihood(model)?,
            }),
        }
    }
    for ((_, state), pieces) in scans {
        let all: Vec<&Finding> = pieces.iter().map(|k| &evidence[*k].finding).collect();
        let likelihood = scan::likelihood(model, state, &all)?;
        let Evidence { present, complaint, .. } = evidence[pieces[0]];
        out.push(Moment { present, complaint, pieces, likelihood });
    }
    Ok(out)
}

/// Share of what an unknown fault does that is anything at all; the rest is as on a sound vehicle, which
/// most faults leave most of as it is.
pub(crate) const ANYTHING: f64 = 0.4;

/// Log-likelihood under an unknown fault of what is so likely on a sound vehicle as `away` says, and so
/// likely as `any` says if it could be anything.
fn unforeseen(away: f64, any: f64) -> f64 {
    (ANYTHING * any.exp() + (1.0 - ANYTHING) * away.exp()).ln()
}

/// Log-likelihood of a finding from what a hypothesis predicts for its state.
pub(crate) type Scorer<'a> = Box<dyn Fn(&Snapshot) -> f64 + Sync + 'a>;

/// Log-likelihood from what a fault itself is: of a steady one and of one that comes and goes.
pub(crate) type OfFault<'a> = Box<dyn Fn(&Fault) -> [f64; 2] + Sync + 'a>;

/// How a kind of evidence is weighed.
enum Kind<'a> {
    /// By what is predicted for the state; beside it the log-likelihood if it could be anything.
    Predicted(Scorer<'a>, f64),
    /// By a value with its meter on.
    Reading(Probe, f64),
    /// By the lowest and the highest value of a meter.
    Recorded(recorded::Recording),
    /// By voltages while something on a bus is held dominant.
    Phase(level::InPhase<'a>, f64),
    /// By what the fault itself is and where it lies: log-likelihood of a steady one and of one that
    /// comes and goes; with nothing wrong; outside of the file.
    OfFault(OfFault<'a>, f64, f64),
    /// By values that are weighed as one.
    AtOnce(Box<dyn at_once::AtOnce>),
    /// By an effect with a jumper on or a part swapped.
    Substituted(substituted::Swap),
}

impl Kind<'_> {
    /// The probe of what a meter showed.
    fn probe(&self) -> Option<&Probe> {
        match self {
            Self::Reading(probe, _) => Some(probe),
            Self::Recorded(recording) => Some(recording.probe()),
            _ => None,
        }
    }
}

/// See [`Evidence::prepare`].
pub(crate) struct Prepared<'a> {
    pub(crate) state: &'a OperatingState,
    kind: Kind<'a>,
    expected: Option<Arc<reading::Expected>>,
}

impl Prepared<'_> {
    /// Log-likelihood under each of several pairs of faults; `snapshots` are what they predict for
    /// the state.
    pub(crate) fn under_pairs(
        &self,
        model: &Model,
        pairs: &[[HypIx; 2]],
        snapshots: Option<&[Arc<Snapshot>]>,
    ) -> Result<Vec<f64>, ModelError> {
        let faults = |pair: &[HypIx; 2]| pair.map(|h| &model.faults[h]);
        if let Some(probe) = self.kind.probe() {
            let values = model.shown_under_pairs(self.state, probe, pairs)?;
            let of = |(pair, value)| self.metered(&faults(pair), value);
            return Ok(pairs.iter().zip(values).map(of).collect());
        }
        let snapshot = |k: usize| snapshots.and_then(|s| s.get(k)).map(AsRef::as_ref);
        let each = pairs.iter().enumerate();
        each.map(|(k, pair)| self.under(model, &faults(pair), snapshot(k))).collect()
    }

    /// Log-likelihood of what a meter showed under faults at once with which it reads a value; nothing is
    /// said of it where it is not of a meter.
    fn metered(&self, faults: &[&Fault], value: f64) -> f64 {
        match (&self.kind, &self.expected) {
            (Kind::Reading(probe, read), Some(expected)) => {
                expected.under(probe.instrument, faults, *read, value)
            }
            (Kind::Recorded(recording), Some(expected)) => recording.under(expected, faults, value),
            _ => 0.0,
        }
    }

    /// Whether it is weighed by what is predicted for its state.
    pub(crate) fn is_predicted(&self) -> bool {
        matches!(self.kind, Kind::Predicted(..))
    }

    /// Log-likelihood under several faults at once; `snapshot` is what they predict for the state.
    pub(crate) fn under(
        &self,
        model: &Model,
        faults: &[&Fault],
        snapshot: Option<&Snapshot>,
    ) -> Result<f64, ModelError> {
        let changes = || faults.iter().flat_map(|f| f.changes.clone()).collect::<Vec<Change>>();
        Ok(match &self.kind {
            Kind::Predicted(score, _) => match snapshot {
                Some(s) => score(s),
                None => score(&model.snapshot(self.state, &changes())),
            },
            Kind::Reading(probe, _) => {
                self.metered(faults, model.reads(self.state, &changes(), probe)?)
            }
            Kind::Recorded(recording) => {
                self.metered(faults, model.reads(self.state, &changes(), recording.probe())?)
            }
            Kind::Phase(phase, _) => phase.under(model, self.state, &changes()),
            Kind::OfFault(of, away, _) => {
                faults.iter().map(|f| of(f)[0]).max_by(f64::total_cmp).unwrap_or(*away)
            }
            Kind::AtOnce(values) => values.under(model, self.state, &changes()),
            Kind::Substituted(swap) => swap.under(model, self.state, faults)?,
        })
    }
}

impl Evidence {
    /// A finding in a state, with the symptom not looked at.
    pub fn new(state: OperatingState, finding: Finding) -> Self {
        Self { state, present: Present::Unknown, moment: 0, complaint: false, finding }
    }

    /// Whether the vehicle has everything it speaks of.
    pub fn fits(&self, model: &Model) -> bool {
        self.check(model).is_ok()
    }

    /// Refuses what speaks of something the vehicle does not have; nothing is weighed for it.
    ///
    /// # Errors
    /// [`ModelError`] that names it.
    pub fn check(&self, model: &Model) -> Result<(), ModelError> {
        self.kind(model).map(|_| ())
    }

    /// How likely every hypothesis makes it.
    ///
    /// # Errors
    /// [`ModelError`] for names the vehicle does not have.
    pub fn likelihood(&self, model: &Model) -> Result<Arc<Likelihood>, ModelError> {
        model.weighed(&self.key(), || self.weigh(model))
    }

    /// What it is kept under when it was weighed: all that its likelihoods follow from.
    pub(crate) fn key(&self) -> String {
        serde_json::to_string(&(&self.state, self.complaint, &self.finding)).unwrap_or_default()
    }

    /// What of it follows the number of a fault.
    pub(crate) fn read(&self) -> Option<Read> {
        let shown = match &self.finding {
            Finding::Reading { instrument, red, black, value } => {
                let (instrument, red, black) = (*instrument, red.clone(), black.clone());
                Shown::Meter(Probe { instrument, red, black }, value.unwrap_or(f64::INFINITY))
            }
            Finding::Effect { part, strength } => {
                Shown::Effect(part.clone(), *strength, self.complaint)
            }
            _ => return None,
        };
        Some(Read { state: self.state.clone(), shown, key: self.key() })
    }

    fn weigh(&self, model: &Model) -> Result<Likelihood, ModelError> {
        Ok(match self.kind(model)? {
            Kind::Predicted(score, any) => {
                let p = match self.finding.is_heard() {
                    true => model.predict_heard(&self.state),
                    false => model.predict_all(&self.state),
                };
                let away = score(&p.healthy);
                // Most hypotheses leave a state as it is: what they predict is scored once.
                let of = |s: &Snapshot| if s.differs() { score(s) } else { away };
                let there = p.all_heard().map(of).collect();
                let elsewhere = unforeseen(away, any);
                Likelihood { there, away, elsewhere, wavering: None, read: self.read() }
            }
            Kind::Reading(probe, read) => {
                let expected = model.expect(&self.state, &probe)?;
                let of = |(value, sigma): (f64, f64)| {
                    reading::log_likelihood(probe.instrument, read, value, sigma)
                };
                let away = of((expected.healthy, expected.sigma));
                let there = expected.faults.iter().map(|x| of(*x)).collect();
                let elsewhere = unforeseen(away, probe.instrument.any(read).ln());
                Likelihood { there, away, elsewhere, wavering: None, read: self.read() }
            }
            Kind::Recorded(recording) => {
                recording.all(&*model.expect(&self.state, recording.probe())?)
            }
            Kind::Phase(phase, any) => {
                let (there, away) = phase.all(model, &self.state);
                let elsewhere = unforeseen(away, any);
                Likelihood { there, away, elsewhere, wavering: None, read: None }
            }
            Kind::AtOnce(values) => {
                let (there, away) = values.all(model, &self.state);
                let elsewhere = unforeseen(away, values.any());
                Likelihood { there, away, elsewhere, wavering: None, read: None }
            }
            Kind::OfFault(of, away, any) => {
                let elsewhere = unforeseen(away, any);
                let both = model.faults.iter().map(of);
                let (there, wavering) = both.map(|[steady, wavering]| (steady, wavering)).unzip();
                Likelihood { there, away, elsewhere, wavering: Some(wavering), read: None }
            }
            Kind::Substituted(swap) => {
                let (there, away) = swap.all(model, &self.state)?;
                let elsewhere = swap.elsewhere();
                Likelihood { there, away, elsewhere, wavering: None, read: None }
            }
        })
    }

    /// The same evidence ready to be weighed against several faults at once, again and again.
    ///
    /// # Errors
    /// [`ModelError`] for names the vehicle does not have.
    pub(crate) fn prepare<'a>(&'a self, model: &'a Model) -> Result<Prepared<'a>, ModelError> {
        let kind = self.kind(model)?;
        let expected = kind.probe().map(|probe| model.expect(&self.state, probe)).transpose()?;
        Ok(Prepared { state: &self.state, kind, expected })
    }

    /// What makes a log-likelihood of what is predicted for the state, for kinds that follow from it.
    pub(crate) fn scorer<'a>(&'a self, model: &'a Model) -> Option<Scorer<'a>> {
        match self.kind(model) {
            Ok(Kind::Predicted(score, _)) => Some(score),
            _ => None,
        }
    }

    fn kind<'a>(&'a self, model: &'a Model) -> Result<Kind<'a>, ModelError> {
        model.circuit.check_state(&self.state)?;
        Ok(match &self.finding {
            Finding::Reading { instrument, red, black, value } => {
                let probe =
                    Probe { instrument: *instrument, red: red.clone(), black: black.clone() };
                probe.leads(&model.circuit)?;
                Kind::Reading(probe, value.unwrap_or(f64::INFINITY))
            }
            Finding::Recorded { instrument, red, black, low, high } => {
                let probe =
                    Probe { instrument: *instrument, red: red.clone(), black: black.clone() };
                probe.leads(&model.circuit)?;
                Kind::Recorded(recorded::Recording::new(probe, [*low, *high])?)
            }
            Finding::Effect { part, strength } => Kind::Predicted(
                effect::scorer(model, &self.state, part, *strength, self.complaint)?,
                (1.0f64 / 3.0).ln(),
            ),
            Finding::Code { module, code, failure_type, failing } => Kind::Predicted(
                code::scorer(
                    model,
                    &self.state,
                    (module, *code, *failure_type),
                    *failing,
                    self.complaint,
                )?,
                code::elsewhere(*failing),
            ),
            Finding::Answer { module, answers } => Kind::Predicted(
                answer::scorer(model, &self.state, module, *answers, self.complaint)?,
                answer::elsewhere(),
            ),
            Finding::Together { values, apart } => {
                Kind::AtOnce(match rolling::Rolling::new(model, &self.state, values)? {
                    Some(rates) => Box::new(rates),
                    None => Box::new(together::Together::new(model, &self.state, values, *apart)?),
                })
            }
            Finding::Signal { signal, value } => {
                let one = LiveReading { signal: signal.clone(), value: *value };
                if let Some(rate) = rolling::Rolling::new(model, &self.state, &[one])? {
                    Kind::AtOnce(Box::new(rate))
                } else if signal::depends(model, &self.state, signal) {
                    let alone = together::Together::alone(model, &self.state, signal, *value)?;
                    Kind::AtOnce(Box::new(alone))
                } else {
                    let score = signal::scorer(model, &self.state, signal, *value)?;
                    Kind::Predicted(score, -(signal::SPAN.ln()))
                }
            }
            Finding::Level { bus, red, black, dominant, sender, value } => Kind::Phase(
                level::level(
                    model,
                    &self.state,
                    bus,
                    [red, black],
                    dominant.then_some(sender.as_ref()),
                    *value,
                )?,
                -(level::SPAN.ln()),
            ),
            Finding::Heard { bus, from, at, heard } => {
                Kind::Phase(heard::heard(model, bus, from, at, *heard)?, 0.5f64.ln())
            }
            Finding::Moved { at, changed } => {
                let (of, away) = moved::scorer(model, at, *changed)?;
                Kind::OfFault(of, away, 0.5f64.ln())
            }
            Finding::Seen { at, sight } => {
                let (of, away) = seen::scorer(model, at, *sight)?;
                Kind::OfFault(of, away, away)
            }
            Finding::Substituted { jumper, swapped, part, strength } => Kind::Substituted(
                substituted::swap(model, jumper.as_ref(), swapped.as_deref(), part, *strength)?,
            ),
        })
    }
}

/// Index of a part, or the error that names it.
pub(crate) fn part(model: &Model, id: &str) -> Result<PartIx, ModelError> {
    model.circuit.part(id).ok_or_else(|| ModelError::Unknown { what: "part", id: id.to_owned() })
}

/// Refuses the name of a place or thing that the vehicle does not have.
pub(crate) fn known_place(model: &Model, at: &str) -> Result<(), ModelError> {
    let unknown = || ModelError::Unknown { what: "place or thing", id: at.to_owned() };
    circuit::place::exists(&model.circuit, at).then_some(()).ok_or_else(unknown)
}
