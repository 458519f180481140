//! The next check: what tells most per minute.
//!
//! [`candidates`] come from the vehicle, [`value`] weighs them against what is still suspected; a
//! check that cannot tell anything is never proposed, and [`why_not`] says why.

mod beside;
pub mod candidates;
mod cannot;
mod describe;
pub mod fit;
mod value;
mod weigh;
pub mod why_not;

use crate::costs::Prices;
use crate::evidence::{Evidence, Finding, Present, reading};
use crate::model::{HypIx, ItemIx, Model, ModelError};
pub use crate::posterior::CERTAIN;
use crate::posterior::{Explains, Live, Posterior};
use crate::prior::Priors;
use crate::words;
pub use beside::{Beside, beside};
use candidates::{Candidate, Field, Here, What};
pub use cannot::{CannotDo, CheckId, Tool};
pub use describe::{Check, Outcome, SetupLine};
pub use fit::Fit;
use rayon::prelude::*;
use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};
use value::{Scales, Table};
use vehicle::{Item, OperatingState, SignalId};
pub(crate) use weigh::{Weighed, Weigher, likeliest_ways};

/// Everything a next check is chosen from.
#[derive(Debug, Clone, Copy)]
pub struct Ask<'a> {
    /// The vehicle with its hypotheses.
    pub model: &'a Model,
    /// What weighs before evidence.
    pub priors: &'a Priors,
    /// What was found.
    pub evidence: &'a [Evidence],
    /// What it adds up to.
    pub posterior: &'a Posterior,
    /// Whether the symptom shows now.
    pub present: Present,
    /// The state the vehicle is in.
    pub now: &'a OperatingState,
    /// What cannot be done here.
    pub refused: &'a [CannotDo],
    /// What work and parts cost here.
    pub prices: &'a Prices,
}

impl<'a> Ask<'a> {
    /// Where one stands.
    fn here(&self) -> Here<'a> {
        Here::after(self.model, self.posterior, self.evidence, self.now)
    }
}

/// Hypotheses that shape the next check at most, and tools that load the circuit, for which each of
/// them is solved anew, among the candidates that the sieve lets through.
const MOST_LIVE: usize = 1000;
const MOST_LOADING: usize = 4;
/// Hypotheses this much less likely than the leading one do not shape the next check.
const NEGLIGIBLE: f64 = 1e-3;
/// Hypotheses that the first sieve looks at, and candidates it lets through.
const SIEVE_HYPOTHESES: usize = 200;
const SIEVED: usize = 32;
/// Repairs that a sieve before it looks at, and candidates that one lets through.
const HEADS: usize = 64;
const COARSE: usize = 160;
/// Candidates let through beside them, in the place of those that a meter spoils.
const SPARE: usize = 8;
/// Candidates weighed before looking again whether the rest can still be better.
const AT_A_TIME: usize = 256;
/// Information about whether it is the leading item below which a check proves nothing, bits.
const WORTHLESS_PROOF_BITS: f64 = 0.15;
/// A proof tells at least this share of what the best one would.
const PLAIN: f64 = 0.6;
/// Information below which a check is not worth doing, bits.
const WORTHLESS_BITS: f64 = 0.02;
/// Best checks that are weighed again with a voltmeter's own load.
const LOADED: usize = 10;
/// Checks within this share of the best tie with it, and are told apart by what can follow.
pub(crate) const TIE: f64 = 0.85;
/// Checks that can follow one that ties.
pub(crate) const FOLLOWING: usize = 10;

/// A check with what it is worth.
#[derive(Debug, Clone)]
pub struct Ranked {
    /// The check.
    pub candidate: Candidate,
    /// Expected information, bits; for a proof, how plainly it would refute.
    pub bits: f64,
    /// Minutes of work, those lost by disturbing a contact included.
    pub minutes: f64,
}

/// Whether one item is nearly certain, so that a proof is wanted.
fn certain(ask: &Ask<'_>) -> Option<ItemIx> {
    let (top, probability) = ask.posterior.ranking()[0];
    (probability > CERTAIN && top != ask.model.elsewhere()).then_some(top)
}

/// The checks worth doing, best first; none where one item is proven.
///
/// # Errors
/// [`ModelError`].
pub fn ranked(ask: &Ask<'_>) -> Result<Vec<Ranked>, ModelError> {
    let valued = match certain(ask) {
        Some(top) => Challenge::of(ask, top).map_or_else(Vec::new, |c| c.proofs(ask)),
        None => searching(ask, &live_of(ask)),
    };
    Ok(valued.into_iter().map(ranked_of).collect())
}

/// Every check that could tell anything, as far as the likeliest suspects show, but for tools that
/// load the circuit; best first.
pub fn useful(ask: &Ask<'_>) -> Vec<Ranked> {
    let live = live_of(ask);
    let rough = likeliest(&live);
    let scales = Scales::new(ask.model, ask.posterior, &rough);
    let mut candidates = open(ask, &rough, false);
    candidates.retain(|c| !loads(c));
    solve_ahead(ask.model, &candidates, &rough);
    let all = rank(ask, &scales, WORTHLESS_BITS, None, 0.0, candidates);
    all.into_iter().map(ranked_of).collect()
}

/// What could be done next.
#[derive(Debug, Clone, Default)]
pub struct Moves {
    /// Checks, best first.
    pub checks: Vec<Check>,
    /// A part that could be fitted instead.
    pub fit: Option<Fit>,
}

/// The checks worth doing, best first, as [`ranked`] has them, and a part to fit instead if that is the
/// cheaper way to a proven repair.
///
/// # Errors
/// [`ModelError`].
pub fn ranked_or_fit(ask: &Ask<'_>) -> Result<(Vec<Ranked>, Option<Fit>), ModelError> {
    let top = certain(ask);
    let valued = match top {
        Some(top) => Challenge::of(ask, top).map_or_else(Vec::new, |c| c.proofs(ask)),
        None => searching(ask, &live_of(ask)),
    };
    let first = &valued[..valued.len().min(1)];
    let costs = match top {
        Some(_) => fit::proof_costs(ask, first),
        None => fit::check_costs(ask, first),
    };
    let fit = costs.first().and_then(|cost| fit::best(ask, first, *cost)).filter(Fit::is_cheaper);
    Ok((valued.into_iter().map(ranked_of).collect(), fit))
}

/// The best `most` checks, best first, as the technician reads them.
///
/// # Errors
/// [`ModelError`].
pub fn checks(ask: &Ask<'_>, most: usize) -> Result<Moves, ModelError> {
    let challenge = match certain(ask) {
        Some(top) => match Challenge::of(ask, top) {
            None => return Ok(Moves::default()),
            challenge => challenge,
        },
        None => None,
    };
    let believed = ask;
    let (valued, ask, doubt) = match &challenge {
        Some(c) => (c.proofs(ask), Ask { posterior: &c.posterior, ..*ask }, Some(c.doubt.as_str())),
        None => (searching(ask, &live_of(ask)), *ask, None),
    };
    let mut distinct: Vec<Valued> = Vec::new();
    for v in valued {
        // The same step in another state is no other choice.
        if distinct.len() < most && distinct.iter().all(|d| !d.candidate.is_like(&v.candidate)) {
            distinct.push(v);
        }
    }
    // The tables are of the same explanations.
    let live = live_of(&ask);
    let scales = Scales::new(ask.model, ask.posterior, &live);
    let (costs, fit) = match challenge {
        None => {
            let costs = fit::check_costs(&ask, &distinct);
            let fit = costs.first().and_then(|cost| fit::best(&ask, &distinct, *cost));
            (costs, fit)
        }
        // What is nearly certain is proven, unless it is so cheap that to fit it is the proof.
        Some(_) => {
            let costs = fit::proof_costs(believed, &distinct);
            let fit = costs.first().and_then(|cost| fit::best(believed, &distinct, *cost));
            (costs, fit)
        }
    };
    let described = |(v, cost): (Valued, f64)| {
        let told = describe::Told {
            doubt,
            sets_apart: scales.sets_apart(&v.table),
            outcomes: scales.outcomes(&v.table),
            cost,
        };
        describe::describe(&ask, &ranked_of(v), told)
    };
    let checks = distinct.into_iter().zip(costs).map(described).collect::<Result<_, _>>()?;
    Ok(Moves { checks, fit })
}

/// What shapes the next check: the likeliest, in their fixed order.
pub(crate) fn live_of(ask: &Ask<'_>) -> Vec<Live> {
    let mut live = ask.posterior.live(ask.model, NEGLIGIBLE, ask.present);
    if live.len() > MOST_LIVE {
        let mut p: Vec<f64> = live.iter().map(|l| l.p).collect();
        p.sort_by(|a, b| b.total_cmp(a));
        let least = p[MOST_LIVE];
        live.retain(|l| l.p >= least);
    }
    live
}

/// The likeliest explanations, as far as the first sieve looks.
fn likeliest(live: &[Live]) -> Vec<Live> {
    let mut list = live.to_vec();
    list.sort_by(|a, b| b.p.total_cmp(&a.p).then(a.repair.cmp(&b.repair)));
    list.truncate(SIEVE_HYPOTHESES);
    list
}

fn open(ask: &Ask<'_>, live: &[Live], in_any_state: bool) -> Vec<Candidate> {
    let field = Field::new(ask.model, ask.posterior, live, ask.here(), ask.present);
    let all = candidates::all(&field);
    let refused = |c: &Candidate| {
        !ask.refused.is_empty() && {
            let id = c.id();
            ask.refused.iter().any(|r| r.names(c, &id))
        }
    };
    let open = |c: &Candidate| !refused(c) && !taken(ask.evidence, c, in_any_state);
    all.into_par_iter().filter(open).collect()
}

/// What is lost by disturbing a contact that comes and goes.
struct Wavering<'a> {
    ask: &'a Ask<'a>,
    /// Explanations that come and go: the weight of that, and their repair items.
    live: Vec<(f64, &'a Item)>,
    /// Their weight by what would be disturbed, as far as it was asked for.
    at: Mutex<HashMap<String, f64>>,
}

impl<'a> Wavering<'a> {
    fn new(ask: &'a Ask<'a>, live: &[Live]) -> Self {
        let of = |l: &Live| match l.what {
            Explains::Fault(h) => {
                let share = ask.posterior.share_wavering(h);
                (share > 0.01).then(|| (l.p * share, &ask.model.faults[h].repair_item))
            }
            _ => None,
        };
        Self { ask, live: live.iter().filter_map(of).collect(), at: Mutex::default() }
    }

    fn at(&self, owner: &str) -> f64 {
        let mut at = self.at.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(weight) = at.get(owner) {
            return *weight;
        }
        let here = |item: &Item| circuit::place::lies_at(&self.ask.model.circuit, item, owner);
        let weight = self.live.iter().filter(|w| here(w.1)).map(|w| w.0).sum();
        at.insert(owner.to_owned(), weight);
        weight
    }

    /// Minutes that a check loses on average.
    fn minutes(&self, c: &Candidate) -> f64 {
        c.disturbs(self.ask.now).into_iter().map(|(owner, lost)| lost * self.at(owner)).sum()
    }
}

struct Valued {
    candidate: Candidate,
    table: Table,
    bits: f64,
    minutes: f64,
}

impl Valued {
    fn rate(&self) -> f64 {
        self.bits / self.minutes
    }
}

/// Weighs candidates, best first; of those that by what they can give at most cannot come among the
/// best `most`, or not reach `floor` bits a minute, only some.
fn rank(
    ask: &Ask<'_>,
    scales: &Scales<'_>,
    least: f64,
    most: Option<usize>,
    floor: f64,
    candidates: Vec<Candidate>,
) -> Vec<Valued> {
    let wavering = Wavering::new(ask, scales.live);
    let here = ask.here();
    let mut waiting: Vec<(f64, f64, usize, Candidate)> = candidates
        .into_par_iter()
        .enumerate()
        .filter(|(_, c)| c.at_most > least)
        .map(|(k, c)| (c.minutes(ask.model, &here), k, c))
        .map(|(minutes, k, c)| (c.at_most / minutes, minutes, k, c))
        .filter(|(promise, ..)| *promise >= floor)
        .collect();
    waiting.par_sort_unstable_by(|a, b| b.0.total_cmp(&a.0).then(a.2.cmp(&b.2)));
    let mut valued: Vec<(f64, usize, Valued)> = Vec::new();
    let mut rates: Vec<f64> = Vec::new();
    let mut waiting = waiting.into_iter().peekable();
    while let Some((promise, ..)) = waiting.peek() {
        if let Some(most) = most.filter(|most| *most > 0 && rates.len() >= *most) {
            let (_, least_of_most, _) =
                rates.select_nth_unstable_by(most - 1, |a, b| b.total_cmp(a));
            if promise < least_of_most {
                break;
            }
        }
        let before = valued.len();
        let some: Vec<_> = waiting.by_ref().take(AT_A_TIME).collect();
        valued.par_extend(some.into_par_iter().filter_map(|(_, quick, k, candidate)| {
            let table = scales.table(&candidate)?;
            let bits = scales.information(&table);
            (bits > least).then(|| {
                let minutes = quick + wavering.minutes(&candidate);
                (bits / minutes, k, Valued { candidate, table, bits, minutes })
            })
        }));
        rates.extend(valued[before..].iter().map(|v| v.0));
    }
    // Of those that are worth the same the first, whatever was weighed first.
    valued.sort_unstable_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
    valued.into_iter().map(|(.., v)| v).collect()
}

/// Ever finer sieves: by the likeliest explanation of each repair, by the likeliest explanations,
/// by all of them. With `whether`, what counts is whether it is that item.
fn sieve(
    ask: &Ask<'_>,
    live: &[Live],
    least: f64,
    in_any_state: bool,
    whether: Option<ItemIx>,
) -> Vec<Valued> {
    let scales = |live| match whether {
        Some(top) => Scales::whether(ask.model, ask.posterior, live, top),
        None => Scales::new(ask.model, ask.posterior, live),
    };
    let plain = |sieved: Vec<Valued>| sieved.into_iter().map(|v| v.candidate).collect();
    let rough = likeliest(live);
    let heads = heads(&rough);
    let (head_scales, rough_scales) = (scales(&heads), scales(&rough));
    let (heavy, mut light): (Vec<Candidate>, Vec<Candidate>) =
        open(ask, &rough, in_any_state).into_iter().partition(loads);
    solve_ahead(ask.model, &light, &rough);
    if light.len() > COARSE {
        let mut sieved = rank(ask, &head_scales, 0.0, Some(COARSE), 0.0, light);
        sieved.truncate(COARSE);
        light = plain(sieved);
    }
    let mut sieved = rank(ask, &rough_scales, least, Some(SIEVED + SPARE), 0.0, light);
    sieved.truncate(SIEVED + SPARE);
    sieved.retain(|v| !is_trap(ask, &v.candidate));
    sieved.truncate(SIEVED);
    // Of tools that load the circuit only a few, and only what can still come among the others.
    let floor = if sieved.len() < SIEVED { 0.0 } else { sieved[SIEVED - 1].rate() };
    let mut loading = rank(ask, &rough_scales, least, Some(MOST_LOADING), floor, heavy);
    loading.truncate(MOST_LOADING);
    sieved.extend(loading);
    sieved.sort_by(|a, b| b.rate().total_cmp(&a.rate()));
    let beside = Scales::beside(ask.posterior, ask.model, live);
    let matters: Vec<HypIx> = value::hypotheses(live).chain(beside.iter().copied()).collect();
    let mut states: Vec<&OperatingState> = sieved.iter().map(|v| &*v.candidate.state).collect();
    states.sort();
    states.dedup();
    for state in states {
        ask.model.predict_some(state, &matters);
    }
    let fine = || scales(live).with(&beside);
    let mut ranked = rank(ask, &fine(), least, None, 0.0, plain(sieved));
    let rest = ranked.split_off(ranked.len().min(LOADED));
    let mut best = rank(ask, &fine().loaded(), least, None, 0.0, plain(ranked));
    best.extend(rest);
    best.sort_by(|a, b| b.rate().total_cmp(&a.rate()));
    best
}

/// Solves what is weighed in the states that it is asked about, as far as predictions of the whole state
/// are looked at.
fn solve_ahead(model: &Model, candidates: &[Candidate], live: &[Live]) {
    let hypotheses: Vec<HypIx> = value::hypotheses(live).collect();
    let mut states: Vec<&OperatingState> = candidates
        .iter()
        .filter(|c| match &c.what {
            What::Reading(p) | What::Record(p) => p.instrument.leaves_alone(),
            What::Effect { .. }
            | What::Swap { .. }
            | What::Scan
            | What::RollCall
            | What::Values { .. } => true,
            // It is looked at where what they feel is some amount or other.
            What::Agree { .. } => false,
            What::Jumper { .. } | What::Move { .. } | What::Look { .. } => false,
        })
        .map(|c| &*c.state)
        .collect();
    states.sort();
    states.dedup();
    for state in states {
        model.predict_some(state, &hypotheses);
    }
}

/// The likeliest explanation of each repair, for all that call for it; the likeliest repairs only.
fn heads(rough: &[Live]) -> Vec<Live> {
    let mut heads: Vec<Live> = Vec::new();
    // They come likeliest first.
    for l in rough {
        match heads.iter_mut().find(|h| h.repair == l.repair) {
            Some(head) => head.p += l.p,
            None => heads.push(*l),
        }
    }
    heads.sort_by(|a, b| b.p.total_cmp(&a.p).then(a.repair.cmp(&b.repair)));
    heads.truncate(HEADS);
    heads
}

/// Whether a check is a reading that the meter itself spoils.
fn is_trap(ask: &Ask<'_>, c: &Candidate) -> bool {
    match &c.what {
        What::Reading(p) | What::Record(p) => reading::is_spoiled(ask.model, &c.state, p),
        _ => false,
    }
}

/// Whether a check loads the circuit, so that each hypothesis has to be solved anew for it.
fn loads(c: &Candidate) -> bool {
    match &c.what {
        What::Jumper { .. } => true,
        What::Reading(p) => !p.instrument.leaves_alone(),
        _ => false,
    }
}

fn ranked_of(v: Valued) -> Ranked {
    Ranked { candidate: v.candidate, bits: v.bits, minutes: v.minutes }
}

/// What tells most per minute of what is wrong, best first.
fn searching(ask: &Ask<'_>, live: &[Live]) -> Vec<Valued> {
    let (model, posterior) = (ask.model, ask.posterior);
    let mut sieved = sieve(ask, live, WORTHLESS_BITS, false, None);
    // The same step in another state is no other one: of those the best state.
    let mut kept: Vec<Candidate> = Vec::new();
    sieved.retain(|v| {
        let first = !kept.iter().any(|k| k.is_like(&v.candidate));
        kept.extend(first.then(|| v.candidate.clone()));
        first
    });
    // Where the first step ties, the second one decides.
    let best = sieved.first().map_or(0.0, |v| v.bits / v.minutes);
    let ties = sieved.iter().take_while(|v| v.bits / v.minutes > TIE * best).count();
    if ties > 1 {
        let scales = Scales::new(model, posterior, live);
        let following: Vec<(Table, f64)> =
            sieved.iter().take(FOLLOWING).map(|v| (v.table.clone(), v.minutes)).collect();
        let rate = |v: &Valued| scales.two_steps((&v.table, v.minutes), &following);
        let mut tied: Vec<(f64, Valued)> = sieved.drain(..ties).map(|v| (rate(&v), v)).collect();
        tied.sort_by(|a, b| b.0.total_cmp(&a.0));
        sieved.splice(0..0, tied.into_iter().map(|(_, v)| v));
    }
    sieved
}

/// A suspect that is nearly certain, put in doubt: one piece of evidence, whichever, may be wrong.
struct Challenge {
    top: ItemIx,
    /// What would be believed then; see [`LeftOut::challenged`].
    posterior: Posterior,
    /// What it hangs on, in words.
    doubt: String,
}

impl Challenge {
    /// None where the suspect stands without any one piece of evidence and whatever the rates.
    fn of(ask: &Ask<'_>, top: ItemIx) -> Option<Self> {
        let left_out = ask.posterior.left_out(ask.model, ask.priors);
        if left_out.proves(top) {
            return None;
        }
        let posterior = left_out.challenged(ask.model, ask.posterior, top);
        let doubt = match (left_out.on_rates(top), left_out.weakest(top)) {
            (Some(p), _) => {
                format!(
                    "Such things fail often; if they did not, it would stand at {:.0} %",
                    100.0 * p
                )
            }
            (None, Some((moment, p))) => {
                let text = words::at_once(ask.model, ask.evidence, &ask.posterior.moments[moment]);
                format!("Without “{text}” it would stand at {:.0} %", 100.0 * p)
            }
            (None, None) => "Nothing speaks for it yet but what the vehicle came for".to_owned(),
        };
        Some(Self { top, posterior, doubt })
    }

    /// Checks that would refute the suspect even so, best first.
    fn proofs(&self, ask: &Ask<'_>) -> Vec<Valued> {
        let ask = Ask { posterior: &self.posterior, ..*ask };
        let live = live_of(&ask);
        // The same leads in another state prove little: a proof is a reading of its own.
        let mut list = sieve(&ask, &live, WORTHLESS_PROOF_BITS, true, Some(self.top));
        list.retain(|v| !matches!(v.candidate.what, What::Move { .. }));
        // Of what refutes well the quickest: a quick look that would hardly refute proves hardly more.
        let best = list.iter().map(|v| v.bits).fold(0.0, f64::max);
        list.retain(|v| v.bits > PLAIN * best);
        list
    }
}

/// Which outcome of a check each explanation makes most likely; none when it cannot tell anything.
pub(crate) fn divide(
    model: &Model,
    posterior: &Posterior,
    live: &[Live],
    c: &Candidate,
) -> Option<Vec<u8>> {
    Scales::new(model, posterior, live).table(c).map(|t| t.likeliest())
}

fn taken(evidence: &[Evidence], c: &Candidate, in_any_state: bool) -> bool {
    if let What::Values { signals } | What::Agree { signals, .. } = &c.what {
        let there = |e: &&Evidence| in_any_state || e.state == *c.state;
        let read: Vec<&SignalId> =
            evidence.iter().filter(there).flat_map(|e| e.finding.signals()).collect();
        return signals.iter().all(|signal| read.contains(&signal));
    }
    evidence.iter().any(|e| {
        let alike = in_any_state || e.state == *c.state;
        match (&e.finding, &c.what) {
            (Finding::Reading { instrument, red, black, .. }, What::Reading(p))
            | (Finding::Recorded { instrument, red, black, .. }, What::Record(p)) => {
                alike
                    && *instrument == p.instrument
                    && ((*red == p.red && *black == p.black)
                        || (*red == p.black && *black == p.red))
            }
            (Finding::Effect { part, .. }, What::Effect { part: p }) => alike && part == p,
            (Finding::Code { .. }, What::Scan) => alike,
            (Finding::Answer { .. }, What::RollCall) => alike,
            // Once is enough, whatever the state.
            (Finding::Moved { at, .. }, What::Move { at: here })
            | (Finding::Seen { at, .. }, What::Look { at: here }) => at == here,
            (
                Finding::Substituted { jumper: Some([a, b]), .. },
                What::Jumper { red, black, .. },
            ) => a == red && b == black,
            (Finding::Substituted { swapped: Some(id), .. }, What::Swap { swapped, .. }) => {
                id == swapped
            }
            _ => false,
        }
    })
}

/// `terminal:C4.7` as `terminal C4.7`; a part by its id alone.
pub(crate) fn short(item: &Item) -> String {
    match item {
        Item::Part(id) => id.to_string(),
        Item::Wire(id) => format!("conductor {id}"),
        Item::Pair(a, b) => format!("conductors {a} and {b}"),
        Item::Terminal(id) => format!("terminal {id}"),
        Item::Connector(id) => format!("connector {id}"),
        Item::Splice(id) => format!("splice {id}"),
        Item::Ground(id) => format!("ground {id}"),
        Item::Elsewhere => "not in this file".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::evidence::Strength;

    #[test]
    fn what_is_left_out_unweighed_could_not_have_come_first() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
        let text = std::fs::read_to_string(path).unwrap();
        let model = Model::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
        let state = |id: &str| {
            model.circuit.vehicle.states.iter().find(|s| s.id == id).unwrap().state.clone()
        };
        let washer = Finding::Effect { part: "M7".into(), strength: Strength::Weak };
        let silent = Finding::Answer { module: "A3".into(), answers: false };
        for found in [("rear_washer", washer), ("on", silent)] {
            let evidence = [Evidence::new(state(found.0), found.1)];
            let posterior = Posterior::new(&model, &evidence).unwrap();
            let ask = Ask {
                model: &model,
                priors: model.plain(),
                evidence: &evidence,
                posterior: &posterior,
                present: Present::Yes,
                now: &evidence[0].state,
                refused: &[],
                prices: &Prices::default(),
            };
            let live = likeliest(&live_of(&ask));
            let scales = Scales::new(&model, &posterior, &live);
            let candidates = open(&ask, &live, false);
            let few = rank(&ask, &scales, WORTHLESS_BITS, Some(SIEVED), 0.0, candidates.clone());
            let all = rank(&ask, &scales, WORTHLESS_BITS, None, 0.0, candidates);
            assert!(few.len() < all.len(), "nothing was left out: {}", all.len());
            for (a, b) in few.iter().zip(&all).take(SIEVED) {
                assert_eq!(a.candidate.id(), b.candidate.id());
            }
            for v in &all {
                let (bits, most) = (v.bits, v.candidate.at_most);
                assert!(bits <= most + 1e-9, "{}: {bits} of {most}", v.candidate.id());
            }
        }
    }
}
