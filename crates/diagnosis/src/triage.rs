//! Codes in the order they matter (N6): which come from what is suspected, which only echo another
//! one, which have nothing to do with either.
//!
//! No list says what echoes what. Every hypothesis predicts which codes it sets and which modules
//! it silences; a code echoes another when whatever sets the other sets it as well, but not the
//! other way round, or when it only tells of what another module sends. Codes that the same
//! suspects set stand together.

use crate::ledger::{ReadCode, ScannedModule};
use crate::model::{ItemIx, Model};
use crate::own::Own;
use crate::posterior::Posterior;
use crate::prior::Priors;
use circuit::software::Verdict;
use serde::Serialize;
use utoipa::ToSchema;
use vehicle::{MonitorIx, OperatingState, PartId, PartIx, SignalSource, TiSlice, TiVec};

/// What a code is about, in the order in which one looks at them.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Matter {
    /// The module's own supply.
    Supply,
    /// Somebody is silent: the module itself, or one that another misses.
    Communication,
    /// A circuit: open, shorted, out of range.
    Circuit,
    /// What a module thinks of values: implausible, invalid, internal.
    Plausibility,
}

/// What a code is to the rest.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Role {
    /// Nothing else found explains it, and what is suspected would set it.
    Cause,
    /// Nothing that is suspected sets it.
    Unrelated,
    /// Stored earlier; it does not fail now.
    Old,
    /// Made by the technician's own doing.
    Own,
}

/// A code, or a silent module.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct CodeMark {
    /// Module part.
    pub module: PartId,
    /// Code and failure type; empty for a silent module.
    pub code: String,
    /// Meaning.
    pub text: String,
    /// What it is about.
    pub subject: Matter,
    /// Why it stands here, in words with numbers.
    pub reason: String,
}

/// A code with its echoes.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct Group {
    /// The one that matters.
    #[serde(flatten)]
    pub mark: CodeMark,
    /// What it is to the rest.
    pub role: Role,
    /// Share of the suspicion that would set it, 0 to 1.
    pub share: f64,
    /// Codes and silences that only echo it.
    pub echoes: Vec<CodeMark>,
}

/// A symptom while it is sorted.
struct Found {
    module: PartId,
    /// None for a silent module.
    code: Option<ReadCode>,
    monitor: Option<MonitorIx>,
}

/// What the hypotheses say of the symptoms.
struct Says {
    /// Prior weight of the hypotheses that set both of two symptoms.
    both: Vec<Vec<f64>>,
    /// Probability of those, after all that was found.
    both_now: Vec<Vec<f64>>,
    /// Whether each tells of what another module sends, not of the module's own pins or silence.
    hearsay: Vec<bool>,
    /// Probability of those that set each.
    share: Vec<f64>,
    /// The likeliest repair item that sets each, and its probability.
    item: Vec<Option<(ItemIx, f64)>>,
    /// The item that sets it most readily, whatever else was found.
    alone: Vec<Option<ItemIx>>,
}

/// From this on whatever sets one code nearly always sets the other.
const FOLLOWS: f64 = 0.6;
/// The way back must be so much rarer.
const RARER: f64 = 0.75;
/// Symptoms of which this share of the suspicion sets both, whichever is taken, stand together.
const TOGETHER: f64 = 0.8;
/// Below this nothing suspected sets a code.
const UNRELATED: f64 = 0.05;

fn says(
    model: &Model,
    priors: &Priors,
    posterior: &Posterior,
    state: &OperatingState,
    found: &[Found],
) -> Says {
    let p = model.predict_heard(state);
    let parts: Vec<Option<PartIx>> = found.iter().map(|f| model.circuit.part(&f.module)).collect();
    let n = found.len();
    let mut says = Says {
        both: vec![vec![0.0; n]; n],
        both_now: vec![vec![0.0; n]; n],
        hearsay: found.iter().map(|f| is_hearsay(model, f)).collect(),
        share: vec![0.0; n],
        item: vec![None; n],
        alone: vec![None; n],
    };
    let mut by_item: TiVec<ItemIx, Vec<f64>> = vec![vec![0.0; n]; model.items.len()].into();
    let mut before = by_item.clone();
    let mut sets = Vec::with_capacity(n);
    for (h, s) in model.faults.keys().zip(p.all_heard()).filter(|(_, s)| s.differs()) {
        sets.clear();
        sets.extend((0..n).filter(|k| match (found[*k].monitor, &found[*k].code, parts[*k]) {
            (Some(m), ..) => s.monitor(m) == Verdict::Failed,
            (None, None, Some(part)) => !s.answers(part) && p.healthy.answers(part),
            _ => false,
        }));
        let weight = priors.steady[h] + priors.wavering[h];
        let (probability, item) = (posterior.hypotheses[h], model.item_of[h]);
        for a in &sets {
            says.share[*a] += probability;
            by_item[item][*a] += probability;
            before[item][*a] += weight;
            for b in &sets {
                says.both[*a][*b] += weight;
                says.both_now[*a][*b] += probability;
            }
        }
    }
    let best = |sums: &TiSlice<ItemIx, Vec<f64>>, k: usize| {
        let items = sums.keys().max_by(|a, b| sums[*a][k].total_cmp(&sums[*b][k]))?;
        (sums[items][k] > 0.0).then_some((items, sums[items][k]))
    };
    for k in 0..n {
        says.item[k] = best(&by_item, k);
        says.alone[k] = best(&before, k).map(|b| b.0);
    }
    says
}

impl Says {
    /// Chance that `b` is there when `a` is, before anything was found.
    fn given(&self, b: usize, a: usize) -> f64 {
        match self.both[a][a] {
            0.0 => 0.0,
            all => self.both[a][b] / all,
        }
    }

    /// Whether the same suspects set both of two symptoms.
    fn together(&self, a: usize, b: usize) -> bool {
        let of = |k: usize| self.both_now[a][b] >= TOGETHER * self.both_now[k][k];
        self.both_now[a][b] > 0.0 && of(a) && of(b)
    }

    /// The symptom that another one echoes: the one after which it is surest. A circle is not
    /// possible: hearsay never leads what is not, and among the like the rarer leads.
    fn echoes(&self, k: usize, may: impl Fn(usize) -> bool) -> Option<usize> {
        let led = |j: &usize| {
            let (there, back) = (self.given(k, *j), self.given(*j, k));
            let leads = match (self.hearsay[*j], self.hearsay[k]) {
                (false, true) => true,
                (true, false) => false,
                _ => back <= RARER * there,
            };
            may(*j) && *j != k && there >= FOLLOWS && leads
        };
        (0..self.share.len())
            .filter(led)
            .max_by(|a, b| self.given(k, *a).total_cmp(&self.given(k, *b)))
    }
}

/// Sorts what the latest scan found, made in `state`; `own` are codes of the technician's own making,
/// with what made them.
pub fn triage(
    model: &Model,
    priors: &Priors,
    posterior: &Posterior,
    state: &OperatingState,
    modules: &[ScannedModule],
    own: &[Own],
) -> Vec<Group> {
    let mut found: Vec<Found> = Vec::new();
    for m in modules.iter().filter(|m| m.asked) {
        if !m.answered {
            found.push(Found { module: m.module.clone(), code: None, monitor: None });
        }
        for c in m.codes.iter().filter(|c| c.failing() || c.stored()) {
            let monitor = model.monitor_of(&m.module, c.code, c.failure_type);
            found.push(Found { module: m.module.clone(), code: Some(c.clone()), monitor });
        }
    }
    if found.is_empty() {
        return Vec::new();
    }
    let says = says(model, priors, posterior, state, &found);
    let made = |f: &Found| {
        let of = |o: &&Own| match (f.monitor, &f.code) {
            (Some(m), _) => o.makes(model, state, m),
            (None, None) => o.silences(state, &f.module),
            (None, Some(_)) => false,
        };
        own.iter().find(of).map(|o| &o.by)
    };
    // Codes of an earlier day stand for themselves: who was silent then is not known.
    let now = |k: usize| {
        made(&found[k]).is_none() && found[k].code.as_ref().is_none_or(ReadCode::failing)
    };
    // An echo of an echo belongs to where the chain begins.
    let first = |k: usize| {
        let mut at = k;
        for _ in 0..found.len() {
            match says.echoes(at, now) {
                Some(next) => at = next,
                None => break,
            }
        }
        at
    };
    let mut groups: Vec<(usize, Group)> = Vec::new();
    let mut echoes: Vec<(usize, usize)> = Vec::new();
    for (k, here) in found.iter().enumerate() {
        let role = match (made(here), now(k)) {
            (Some(_), _) => Role::Own,
            (None, false) => Role::Old,
            (None, true) if first(k) != k => {
                echoes.push((first(k), k));
                continue;
            }
            (None, true) if says.share[k] < UNRELATED => Role::Unrelated,
            (None, true) => Role::Cause,
        };
        let reason = match (role, made(here)) {
            (Role::Own, Some(by)) => format!("comes from {by}; it says nothing of the fault"),
            _ => reason(model, &says, k, role),
        };
        let mark = mark(model, here, reason);
        groups.push((k, Group { mark, role, share: says.share[k], echoes: Vec::new() }));
    }
    for (of, k) in echoes {
        let reason = format!(
            "{:.0} % of what sets {} sets this as well",
            100.0 * says.given(k, of),
            short(&found[of])
        );
        if let Some((_, group)) = groups.iter_mut().find(|(g, _)| *g == of) {
            group.echoes.push(mark(model, &found[k], reason));
        }
    }
    let mut out: Vec<Group> = Vec::new();
    let coarse = |g: &Group| (20.0 * g.share).round() as i64;
    groups.sort_by(|(a, x), (b, y)| {
        (x.role, x.mark.subject)
            .cmp(&(y.role, y.mark.subject))
            .then(coarse(y).cmp(&coarse(x)))
            // A silent module leads what others say of it.
            .then(y.mark.code.is_empty().cmp(&x.mark.code.is_empty()))
            // The most particular one leads.
            .then(says.both[*a][*a].total_cmp(&says.both[*b][*b]))
            .then_with(|| (&x.mark.module, &x.mark.code).cmp(&(&y.mark.module, &y.mark.code)))
    });
    let mut leaders: Vec<usize> = Vec::new();
    for (k, mut group) in groups {
        let with = leaders.iter().position(|l| group.role == Role::Cause && says.together(*l, k));
        match with {
            Some(at) => {
                group.mark.reason = format!(
                    "the same suspects set this and {} ({:.0} %)",
                    short(&found[leaders[at]]),
                    100.0 * says.both_now[leaders[at]][k]
                );
                let mine = std::mem::take(&mut group.echoes);
                out[at].echoes.push(group.mark);
                out[at].echoes.extend(mine);
            }
            None => {
                leaders.push(k);
                out.push(group);
            }
        }
    }
    for group in &mut out {
        group.echoes.sort_by(|a, b| (a.subject, &a.module).cmp(&(b.subject, &b.module)));
    }
    out
}

/// Whether a symptom tells of what another module sends.
fn is_hearsay(model: &Model, f: &Found) -> bool {
    let v = &model.circuit.vehicle;
    let Some(monitor) = f.monitor.map(|m| &v.monitors[m]) else { return false };
    let of = |id: &str| v.signals.iter().find(|s| s.id == id);
    monitor
        .fails
        .signals()
        .into_iter()
        .filter_map(of)
        .any(|s| matches!(s.from, SignalSource::Arrives(_) | SignalSource::Received { .. }))
}

fn short(f: &Found) -> String {
    match &f.code {
        Some(c) => format!("{}-{}", c.code, c.failure_type),
        None => format!("the silence of {}", f.module),
    }
}

fn reason(model: &Model, says: &Says, k: usize, role: Role) -> String {
    let alone = || says.alone[k].map(|i| model.item_text(&model.items[i]));
    match role {
        Role::Cause => match says.item[k] {
            Some((item, p)) => format!(
                "{:.0} % of what is suspected sets it, first of all {} ({:.0} %)",
                100.0 * says.share[k],
                model.item_text(&model.items[item]),
                100.0 * p
            ),
            None => String::new(),
        },
        Role::Old if says.share[k] < UNRELATED => {
            "an earlier entry; nothing that is suspected sets it".into()
        }
        Role::Old => format!(
            "an earlier entry; {:.0} % of what is suspected would set it",
            100.0 * says.share[k]
        ),
        _ => match alone() {
            Some(item) => format!("a fault of its own: most readily {item}"),
            None => "no fault of this vehicle file sets it in this state".into(),
        },
    }
}

fn mark(model: &Model, f: &Found, reason: String) -> CodeMark {
    let v = &model.circuit.vehicle;
    let monitor = f.monitor.map(|m| &v.monitors[m]);
    CodeMark {
        module: f.module.clone(),
        code: f.code.as_ref().map(|c| format!("{}-{}", c.code, c.failure_type)).unwrap_or_default(),
        text: match (monitor, &f.code) {
            (Some(m), _) => m.text.clone(),
            (None, Some(_)) => "not in the vehicle file".into(),
            (None, None) => {
                let name = v.parts.iter().find(|p| p.id == f.module).map(|p| p.name.as_str());
                format!("{} does not answer", name.unwrap_or(&f.module))
            }
        },
        subject: match (monitor, &f.code) {
            (Some(m), _) => subject(model, m),
            (None, None) => Matter::Communication,
            (None, Some(c)) if c.code.letter() == 'U' => Matter::Communication,
            (None, Some(_)) => Matter::Circuit,
        },
        reason,
    }
}

/// What a monitor is about: what it looks at, and the group of its failure type (SAE J2012-DA: 1x
/// general electrical, 2x signal, others of algorithms, values and the module itself).
pub fn subject(model: &Model, monitor: &vehicle::Monitor) -> Matter {
    let v = &model.circuit.vehicle;
    let looks_at = monitor.fails.signals();
    let of = |id: &str| v.signals.iter().find(|s| s.id == id);
    let is_supply = |pin: &str| {
        let part = v.parts.iter().find(|p| p.id == monitor.module);
        part.is_some_and(|p| {
            p.elements.iter().any(|e| e.feed().is_some_and(|feed| feed.plus == pin))
        })
    };
    let any = |test: &dyn Fn(&SignalSource) -> bool| {
        looks_at.iter().any(|id| of(id).is_some_and(|s| test(&s.from)))
    };
    if any(&|s| matches!(s, SignalSource::PinVolts { pin, .. } if is_supply(pin))) {
        Matter::Supply
    } else if any(&|s| matches!(s, SignalSource::Arrives(_))) {
        Matter::Communication
    } else if monitor.failure_type.byte().is_some_and(|byte| byte >> 4 == 1)
        && !any(&|s| matches!(s, SignalSource::Received { .. }))
    {
        Matter::Circuit
    } else {
        Matter::Plausibility
    }
}
