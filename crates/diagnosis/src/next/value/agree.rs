//! What sensors that have to agree could show: which of them says something else than the others.
//!
//! How much there is of what they feel nobody knows, so the chances are averaged over some amounts, as the
//! evidence is over all of them.

use super::table::{Table, Words, phi};
use super::{Held, MOST_BINS, Scales, by_weight};
use crate::evidence::signal::{STEP, WRONG, sigma};
use crate::live::{felt, physical};
use crate::model::{HypIx, Model, Predictions};
use crate::next::candidates::Candidate;
use circuit::NodeId;
use std::sync::Arc;
use vehicle::{Amount, OperatingState, PartId, PartIx, SignalId};

/// What the values show when it is none of the likelier outcomes.
const NO_WORDS: &str = "anything else";
/// Deviations from the others beyond which a sensor disagrees.
const DISAGREES: f64 = 3.0;
/// Where between the ends of what they all can feel it is looked, as shares.
const AT: [f64; 2] = [1.0 / 3.0, 2.0 / 3.0];
/// A step to find how steep a value is, as a share of the range.
const ON: f64 = 0.01;

/// How a sensor stands to the others.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Says {
    Less,
    Alike,
    More,
    /// Its module does not believe it.
    NotBelieved,
    /// Its module does not work.
    Nothing,
}

const SAYINGS: f64 = 5.0;

impl Says {
    fn mirrored(self) -> Self {
        match self {
            Self::Less => Self::More,
            Self::More => Self::Less,
            same => same,
        }
    }
}

struct Member {
    name: String,
    module: PartIx,
    module_id: PartId,
    pins: (NodeId, NodeId),
    believed: Option<[f64; 2]>,
}

/// The vehicle at one amount of what they feel.
struct Amounts {
    predictions: Arc<Predictions>,
    at: Candidate,
    /// Of each sensor: volts of the sound vehicle, their deviation, and volts per unit of what is felt.
    sound: Vec<[f64; 3]>,
}

/// What a sensor says under an explanation.
enum Said {
    /// So much more than there is, in the unit of what is felt, with its deviation.
    Real {
        by: f64,
        sigma: f64,
    },
    Not(Says),
}

fn members(model: &Model, signals: &[SignalId]) -> Option<(Vec<Member>, Vec<String>, [f64; 2])> {
    let v = &model.circuit.vehicle;
    let mut stimuli: Vec<String> = Vec::new();
    let mut range = [f64::NEG_INFINITY, f64::INFINITY];
    let mut out = Vec::new();
    for id in signals {
        let number = v.signals.position(|s| s.id == *id)?;
        let signal = &v.signals[number];
        let stimulus = felt(&v.signals.raw, signal)?;
        let [least, most] = v.stimuli.iter().find(|s| s.id == stimulus)?.range?;
        range = [range[0].max(least), range[1].min(most)];
        if !stimuli.iter().any(|s| s == stimulus) {
            stimuli.push(stimulus.to_owned());
        }
        out.push(Member {
            name: signal.name.clone(),
            module: model.circuit.part(&signal.module)?,
            module_id: signal.module.clone(),
            pins: model.circuit.software.pins(number)?,
            believed: physical(&v.signals.raw, signal).and_then(|p| p.valid),
        });
    }
    (range[0] < range[1]).then_some((out, stimuli, range))
}

impl Amounts {
    fn of(
        model: &Model,
        c: &Candidate,
        members: &[Member],
        felt: (&[String], f64, f64),
        some: &[HypIx],
    ) -> Self {
        let (stimuli, amount, step) = felt;
        let state = |amount: f64| {
            let mut state = OperatingState::clone(&c.state);
            state.stimuli.extend(stimuli.iter().map(|s| (s.clone(), Amount(amount))));
            state
        };
        let at = Candidate { state: state(amount).into(), ..c.clone() };
        let predictions = model.predict_some(&at.state, some);
        let on = model.circuit.solve(&state(amount + step), &[], None);
        let sound = members.iter().map(|m| {
            let (a, b) = m.pins;
            let volts = predictions.healthy.between(a, b);
            let tolerance = model.scatter(&predictions, &at.state, |s| s.between(a, b));
            [volts, tolerance, (on.volts[a] - on.volts[b] - volts) / step]
        });
        let sound = sound.collect();
        Self { predictions, at, sound }
    }

    /// What each sensor says; its deviation with what they may lie apart.
    fn said(&self, members: &[Member], s: &Held<'_>, apart: f64) -> Vec<Said> {
        let of = |(m, at): (&Member, &[f64; 3])| {
            let [sound, tolerance, slope] = *at;
            if !s.alive(m.module) {
                return Said::Not(Says::Nothing);
            }
            let volts = s.between(m.pins.0, m.pins.1);
            if m.believed.is_some_and(|[low, high]| !(low..=high).contains(&volts)) {
                return Said::Not(Says::NotBelieved);
            }
            // What a sensor that feels nothing says is as likely anything.
            let slope = if slope.abs() > f64::EPSILON { slope } else { f64::EPSILON };
            let own = sigma(volts, tolerance, STEP * (volts - sound));
            Said::Real { by: (volts - sound) / slope, sigma: (own / slope).hypot(apart) }
        };
        members.iter().zip(&self.sound).map(of).collect()
    }
}

/// How far a sensor is from the middle of the others that are real, and the deviation of that.
fn from_others(said: &[Said], k: usize) -> Option<(f64, f64)> {
    let Said::Real { by, sigma } = said[k] else { return None };
    let mut others: Vec<(f64, f64)> = (said.iter().enumerate())
        .filter(|(i, _)| *i != k)
        .filter_map(|(_, s)| match s {
            Said::Real { by, sigma } => Some((*by, *sigma)),
            Said::Not(_) => None,
        })
        .collect();
    others.sort_by(|a, b| a.0.total_cmp(&b.0));
    let n = others.len();
    if n == 0 {
        return Some((0.0, sigma));
    }
    let middle = 0.5 * (others[(n - 1) / 2].0 + others[n / 2].0);
    let spread = others.iter().map(|o| o.1).sum::<f64>() / n as f64 / (n as f64).sqrt();
    Some((by - middle, sigma.hypot(spread)))
}

/// How each stands to the others, as it would be without any scatter.
fn shows(said: &[Said], edges: &[f64]) -> Vec<Says> {
    let of = |k: usize| match (&said[k], from_others(said, k)) {
        (Said::Not(says), _) => *says,
        (_, Some((by, _))) if by < -edges[k] => Says::Less,
        (_, Some((by, _))) if by > edges[k] => Says::More,
        _ => Says::Alike,
    };
    (0..said.len()).map(of).collect()
}

/// Chance of an outcome.
fn chance(said: &[Said], edges: &[f64], shows: &[Says]) -> f64 {
    let wrong = WRONG / SAYINGS;
    let real: Vec<usize> =
        (0..said.len()).filter(|k| matches!(said[*k], Said::Real { .. })).collect();
    let of = |k: usize| {
        let right = match from_others(said, k) {
            None => f64::from(u8::from(matches!(said[k], Said::Not(says) if says == shows[k]))),
            Some((by, sigma)) => {
                let below = |edge: f64| phi((edge - by) / sigma);
                match shows[k] {
                    Says::Less => below(-edges[k]),
                    Says::More => 1.0 - below(edges[k]),
                    Says::Alike => below(edges[k]) - below(-edges[k]),
                    Says::NotBelieved | Says::Nothing => 0.0,
                }
            }
        };
        (1.0 - WRONG) * right + wrong
    };
    match real[..] {
        // One of two says less where the other one says more.
        [a, b] => {
            let rest: f64 = (0..said.len()).filter(|k| *k != a && *k != b).map(of).product();
            let alike = shows[b] == shows[a].mirrored();
            rest * if alike { of(a) } else { wrong }
        }
        _ => (0..said.len()).map(of).product(),
    }
}

impl Scales<'_> {
    /// Sensors compared: its outcomes are which of them say something else than the others.
    pub(super) fn agree(&self, c: &Candidate, signals: &[SignalId], apart: f64) -> Option<Table> {
        let (members, stimuli, [least, most]) = members(self.model, signals)?;
        let some: Vec<HypIx> = super::hypotheses(self.live).collect();
        let amounts: Vec<Amounts> = (AT.iter())
            .map(|share| {
                let felt = (&stimuli[..], least + share * (most - least), ON * (most - least));
                Amounts::of(self.model, c, &members, felt, &some)
            })
            .collect();
        let sound: Vec<Vec<Said>> = (amounts.iter())
            .map(|a| a.said(&members, &Held::Here(&a.predictions.healthy), apart))
            .collect();
        let edges: Vec<Vec<f64>> = (sound.iter())
            .map(|said| {
                let edge = |k| from_others(said, k).map_or(0.0, |(_, sigma)| DISAGREES * sigma);
                (0..said.len()).map(edge).collect()
            })
            .collect();
        let held: Vec<Option<Vec<Vec<Said>>>> = (self.live.iter())
            .map(|l| {
                let at = |a: &Amounts| {
                    let s = self.snapshot(&a.predictions, &a.at, l, false)?;
                    Some(a.said(&members, &s, apart))
                };
                amounts.iter().map(at).collect()
            })
            .collect();
        let of_live = held.iter().zip(&self.weights).flat_map(|(said, w)| {
            let each = said.iter().flatten().zip(&edges);
            each.map(move |(said, edges)| (shows(said, edges), w / AT.len() as f64))
        });
        let as_sound = sound.iter().zip(&edges).map(|(said, edges)| (shows(said, edges), 0.0));
        let mut outcomes = by_weight(of_live.chain(as_sound));
        if outcomes.len() < 2 {
            return None;
        }
        outcomes.truncate(MOST_BINS - 1);
        let row = |each: &Vec<Vec<Said>>| {
            let of = |shows: &Vec<Says>| {
                let chances = each.iter().zip(&edges).map(|(said, e)| chance(said, e, shows));
                chances.sum::<f64>() / AT.len() as f64
            };
            let mut chances: Vec<f64> = outcomes.iter().map(of).collect();
            let rest = 1.0 - chances.iter().sum::<f64>();
            chances.push(rest.max(0.0));
            chances
        };
        let healthy = row(&sound);
        let mut words: Vec<String> = outcomes.iter().map(|o| words(&members, o)).collect();
        words.push(NO_WORDS.to_owned());
        let mut k = 0;
        Some(self.rows(Words::Given(words), &healthy, 0.0, |_, into| {
            let said = &held[k];
            k += 1;
            into.extend(said.iter().flat_map(&row));
            said.is_some()
        }))
    }
}

/// Who says something else than the others.
fn words(members: &[Member], shows: &[Says]) -> String {
    let said = |(m, says): (&Member, &Says)| match says {
        Says::Alike => None,
        Says::Less => Some(format!("{} says less", m.name)),
        Says::More => Some(format!("{} says more", m.name)),
        Says::NotBelieved => Some(format!("{} is not believed", m.name)),
        Says::Nothing => Some(format!("{} silent", m.module_id)),
    };
    let mut out: Vec<String> = members.iter().zip(shows).filter_map(said).collect();
    out.dedup();
    match &out[..] {
        [] => "all agree".to_owned(),
        [first, second, _, ..] => format!("{first}, {second} and {} more", out.len() - 2),
        few => few.join(" and "),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn real(by: f64) -> Said {
        Said::Real { by, sigma: 2.0 }
    }

    #[test]
    fn the_odd_one_of_three_is_told_and_of_two_nobody_knows_which() {
        // One is 20 K below two that agree; the middle of the others of either of these is 10 K below.
        let three = [real(-20.0), real(0.0), real(0.0)];
        let edges = vec![12.0; 3];
        assert_eq!(shows(&three, &edges), [Says::Less, Says::Alike, Says::Alike]);
        let two = [real(-20.0), real(0.0)];
        let (less, more) = ([Says::Less, Says::More], [Says::More, Says::Less]);
        assert_eq!(shows(&two, &edges), less);
        // 20 K with a deviation of 2.8 K: less for sure, and never both less.
        assert!(chance(&two, &edges, &less) > 0.99);
        assert!(chance(&two, &edges, &more) < 1e-3);
        assert!(chance(&two, &edges, &[Says::Less, Says::Less]) < 1e-3);
    }

    #[test]
    fn chances_of_all_outcomes_of_two_make_one() {
        let two = [real(3.0), real(0.0)];
        let edges = vec![6.0; 2];
        let all = [Says::Less, Says::Alike, Says::More];
        let sum: f64 = all.iter().map(|s| chance(&two, &edges, &[*s, s.mirrored()])).sum();
        // Both may say what makes no sense with a chance of some ten thousandths.
        assert!((sum - 1.0).abs() < 2e-3, "{sum}");
    }

    #[test]
    fn who_says_nothing_is_no_yardstick() {
        let said = [Said::Not(Says::NotBelieved), real(0.0), real(1.0)];
        let edges = vec![12.0; 3];
        assert_eq!(shows(&said, &edges), [Says::NotBelieved, Says::Alike, Says::Alike]);
        assert_eq!(from_others(&[Said::Not(Says::Nothing), real(5.0)], 1), Some((0.0, 2.0)));
    }
}
