//! What a check promises is what it gives, on average over what the engine itself holds possible.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{MODEL, state};
use circuit::{Fault, Instrument, Probe, fault};
use diagnosis::costs::Prices;
use diagnosis::evidence::Sight;
use diagnosis::next::{self, Ask, Ranked};
use diagnosis::trial::{self, Bench};
use diagnosis::{Evidence, Finding, Posterior, Present, Priors, Strength};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::collections::BTreeMap;
use vehicle::{OperatingState, SignalId};

/// Draws for each check.
const DRAWS: usize = 24;
/// Share of what was promised that may be gained. More than promised is no harm: a check is valued by
/// ranges of its value, and the value itself tells more than the range it falls into.
const LEAST: f64 = 0.8;
const MOST: f64 = 1.4;
/// Bits that nobody counts.
const SLIGHT: f64 = 0.03;
/// Standard deviations of the mean that are left to chance.
const DEVIATIONS: f64 = 2.6;

/// A vehicle drawn from what is believed, with a meter that scatters and leads that slip.
struct Drawn {
    hidden: Fault,
    state: OperatingState,
    rng: ChaCha8Rng,
}

impl Drawn {
    fn gauss(&mut self) -> f64 {
        (0..12).map(|_| self.rng.random::<f64>()).sum::<f64>() - 6.0
    }
}

impl Bench for Drawn {
    fn set(&mut self, state: &OperatingState) {
        self.state = state.clone();
    }
    fn present(&mut self) -> Present {
        Present::Yes
    }
    fn read(&mut self, probe: &Probe) -> Option<f64> {
        let c = &MODEL.circuit;
        let exact = c.measure(&self.state, &self.hidden.changes, probe).unwrap().value();
        let slipped = self.rng.random::<f64>() < 0.02;
        match exact.is_finite() {
            _ if slipped && probe.instrument == Instrument::Ohms => None,
            _ if slipped => Some(0.0),
            true => Some(exact + probe.instrument.sigma(exact) * self.gauss()),
            false => None,
        }
    }
    fn record(&mut self, probe: &Probe) -> [f64; 2] {
        [self.read(probe).unwrap_or(0.0); 2]
    }
    fn effect(&mut self, part: &str, _: Option<&Probe>, swapped: Option<&str>) -> Option<Strength> {
        let c = &MODEL.circuit;
        let gone = swapped.is_some_and(|id| self.hidden.repair_item.as_part() == Some(id));
        let changes = if gone { Vec::new() } else { self.hidden.changes.clone() };
        Some(match c.solve(&self.state, &changes, None).effect(c, c.part(part)?)? {
            f if f > 0.83 => Strength::Normal,
            f if f > 0.08 => Strength::Weak,
            _ => Strength::None,
        })
    }
    fn scan(&mut self) -> Vec<Finding> {
        crate::common::scan(&self.state, &self.hidden.changes)
    }
    fn values(&mut self, signals: &[SignalId]) -> Vec<Finding> {
        crate::common::values(&self.state, &self.hidden.changes, signals)
    }
    fn moved(&mut self, _: &str) -> bool {
        false
    }
    fn look(&mut self, at: &str) -> Sight {
        let chances = diagnosis::evidence::sights(&MODEL, at, &self.hidden);
        let mut left = self.rng.random::<f64>();
        let drawn = chances.into_iter().find(|(_, p)| {
            left -= p;
            left <= 0.0
        });
        drawn.map_or(Sight::Nothing, |(sight, _)| sight)
    }
    fn repair(&mut self, _: &vehicle::Item) -> bool {
        false
    }
    fn is_sound(&self) -> bool {
        false
    }
}

/// A hypothesis drawn from a posterior, its number anywhere in its cell.
fn draw(p: &Posterior, rng: &mut ChaCha8Rng) -> Fault {
    loop {
        let mut left = rng.random::<f64>();
        let drawn = p.hypotheses.position(|x| {
            left -= x;
            left <= 0.0
        });
        let Some(h) = drawn.filter(|h| *h < MODEL.faults.next_key()) else { continue };
        let f = &MODEL.faults[h];
        let Some((low, high)) = MODEL.grids.cell(h) else { return f.clone() };
        let number = (low + rng.random::<f64>() * (high - low)).exp();
        return fault::named(&MODEL.circuit, &f.id.with(number)).unwrap();
    }
}

#[test]
fn what_is_promised_is_what_is_gained() {
    let effect = |output: &str, part: &str, strength| {
        let finding = Finding::Effect { part: part.into(), strength };
        Evidence { complaint: true, ..Evidence::new(state(output), finding) }
    };
    let situations = [
        ("rear_washer", vec![effect("rear_washer", "M7", Strength::Weak)]),
        ("rear_wiper", vec![effect("rear_wiper", "M9", Strength::None)]),
    ];
    let mut rng = ChaCha8Rng::seed_from_u64(7);
    let mut sums: BTreeMap<&str, [f64; 3]> = BTreeMap::new();
    for (now, first) in situations {
        let priors = Priors::told(&MODEL, &first);
        let mut evidence = first;
        for step in 0..2 {
            let posterior = Posterior::given(&MODEL, &priors, &evidence).unwrap();
            let ask = Ask {
                model: &MODEL,
                priors: &priors,
                evidence: &evidence,
                posterior: &posterior,
                present: Present::Yes,
                now: &state(now),
                refused: &[],
                prices: &Prices::default(),
            };
            // What is nearly certain is proven, which is worth something else.
            if posterior.ranking()[0].1 > next::CERTAIN {
                break;
            }
            let before = diagnosis::entropy(&posterior.items.raw);
            let mut best: BTreeMap<&str, Ranked> = BTreeMap::new();
            for r in next::useful(&ask).into_iter().chain(next::ranked(&ask).unwrap()) {
                best.entry(r.candidate.kind()).or_insert(r);
            }
            for (kind, r) in &best {
                let mut gains = Vec::with_capacity(DRAWS);
                for _ in 0..DRAWS {
                    let hidden = draw(&posterior, &mut rng);
                    let rng = ChaCha8Rng::seed_from_u64(rng.random());
                    let mut bench = Drawn { hidden, state: OperatingState::default(), rng };
                    let mut all = evidence.clone();
                    all.extend(trial::perform(&mut bench, &r.candidate, 9));
                    let after = Posterior::given(&MODEL, &priors, &all).unwrap();
                    gains.push(before - diagnosis::entropy(&after.items.raw));
                }
                let gained = gains.iter().sum::<f64>() / DRAWS as f64;
                let scatter = gains.iter().map(|g| (g - gained).powi(2)).sum::<f64>();
                let sum = sums.entry(kind).or_default();
                sum[0] += r.bits;
                sum[1] += gained;
                // Variance of the mean.
                sum[2] += scatter / (DRAWS * (DRAWS - 1)) as f64;
            }
            // On with the best check, and what it shows of something drawn.
            let Some(next) = next::ranked(&ask).unwrap().into_iter().next() else { break };
            let hidden = draw(&posterior, &mut rng);
            let own = ChaCha8Rng::seed_from_u64(rng.random());
            let mut bench = Drawn { hidden, state: OperatingState::default(), rng: own };
            evidence.extend(trial::perform(&mut bench, &next.candidate, step + 2));
        }
    }
    let mut told = 0;
    for (kind, [promised, gained, variance]) in sums {
        // A few draws do not tell a share more or less from what chance makes of it.
        let chance = DEVIATIONS * variance.sqrt() + SLIGHT;
        eprintln!("{kind}: promised {promised:.2}, gained {gained:.2} +- {:.2}", variance.sqrt());
        let range = LEAST * promised - chance..=MOST * promised + chance;
        assert!(range.contains(&gained), "{kind}: promised {promised:.2}, gained {gained:.2}");
        told += usize::from(chance < promised);
    }
    assert!(told >= 3, "of {told} kinds of check anything could be told");
}
