//! A vehicle whose faults are written into its deck and solved by ngspice: another solver, and faults that
//! the engine's own fault models had no part in.
//!
//! For vehicles without modules. What relays and fuses do follows from the solution by rules of its own.

use crate::job::{Job, Kind};
use crate::truth::Truth;
use crate::{ProvingError, between, strength};
use circuit::{
    BranchId, Change, Circuit, Law, NodeId, Of, Probe, Shown, fault, marks, meter::Leads, spice,
};
use diagnosis::evidence::{Present, Sight, Strength};
use diagnosis::trial::{self, Bench};
use diagnosis::{Finding, Model};
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::collections::BTreeMap;
use std::io::Write;
use std::process::{Command, Stdio};
use std::sync::Arc;
use vehicle::element::{Fuse, Relay};
use vehicle::{Element, FaultId, Item, OperatingState, PartId, SignalId, TiSlice, TiVec, Vehicle};

/// What is changed in a deck.
#[derive(Debug, Clone, Copy)]
enum Edit {
    /// So many ohms more in a conductor or contact.
    Series { branch: BranchId, ohms: f64 },
    /// A conductor rubbed through to the body at a share of its length.
    Chafed { branch: BranchId, share: f64, ohms: f64 },
}

/// A vehicle with an edited deck.
#[derive(Debug)]
pub struct Spiced {
    circuit: Arc<Circuit>,
    edits: Vec<Edit>,
    /// The fault of the file that leaves the same marks.
    like: FaultId,
    /// Repair items that are right.
    pub right: Vec<Item>,
    /// In words.
    pub text: String,
    state: OperatingState,
    rng: ChaCha8Rng,
    solved: BTreeMap<String, Solved>,
    mended: bool,
    failed: Option<String>,
}

/// Node voltages, and that of the spot where a conductor is chafed.
#[derive(Debug, Clone, Default)]
struct Solved {
    volts: TiVec<NodeId, f64>,
    spot: f64,
}

/// Resistance that a bad contact or conductor gets, ohms; now and then it is open altogether.
const SERIES: (f64, f64) = (0.02, 2e4);
const OPEN_OHMS: f64 = 1e12;
const OPEN_SHARE: f64 = 0.35;
/// Resistance of a chafed spot, ohms.
const CHAFED: (f64, f64) = (0.03, 500.0);
/// Contacts that are a little bad as well, and how bad, ohms.
const AGED: usize = 3;
const AGED_OHMS: (f64, f64) = (0.003, 0.05);
/// Draws before it is given up that anything shows.
const MOST_DRAWN: u64 = 60;
/// Rounds of relays and fuses.
const ROUNDS: usize = 12;
/// A fuse blows above so many times its rating (ISO 8820-3).
const BLOWS_AT: f64 = 1.35;
/// Share of the marks that one would expect which are really there to see.
const VISIBLE: f64 = 0.7;
/// Chance of a probe that missed, of a value misread.
const SLIPS: f64 = 0.015;
const MISREAD: f64 = 0.025;

impl Spiced {
    /// A vehicle with part values within tolerance and something drawn that is wrong with it.
    ///
    /// # Errors
    /// [`ProvingError`].
    pub fn new(vehicle: &Vehicle, seed: u64) -> Result<Self, ProvingError> {
        let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0x591CE);
        let mut vehicle = vehicle.clone();
        let mut gauss = || (0..12).map(|_| rng.random::<f64>()).sum::<f64>() - 6.0;
        circuit::tolerance::draw(&mut vehicle, &mut gauss);
        let circuit = Arc::new(Circuit::new(vehicle)?);
        let plain: Vec<BranchId> = circuit
            .branches
            .keys()
            .filter(|k| matches!(circuit.branches[*k].of, Of::Wire(_) | Of::Terminal(..)))
            .collect();
        let branch = plain.choose(&mut rng).copied().ok_or(ProvingError::NoConductor)?;
        let is_wire = matches!(circuit.branches[branch].of, Of::Wire(_));
        let item = item_of(&circuit, branch);
        let (edit, how, like) = if is_wire && rng.random::<f64>() < 0.35 {
            let (share, ohms) =
                (rng.random_range(0.05..0.95), between(CHAFED.0, CHAFED.1, &mut rng));
            let how = format!("chafed at {:.0} % through {ohms:.2} ohms", 100.0 * share);
            (
                Edit::Chafed { branch, share, ohms },
                how,
                FaultId::new(item.clone(), "ground", Some(ohms)),
            )
        } else {
            let open = rng.random::<f64>() < OPEN_SHARE;
            let ohms = if open { OPEN_OHMS } else { between(SERIES.0, SERIES.1, &mut rng) };
            let like = match open {
                true => FaultId::new(item.clone(), "open", None),
                false => FaultId::new(item.clone(), "series", Some(ohms)),
            };
            let how = format!("{ohms:.3} ohms in series");
            (Edit::Series { branch, ohms }, how, like)
        };
        let mut edits = vec![edit];
        for other in plain.choose_multiple(&mut rng, AGED).filter(|k| **k != branch) {
            let ohms = between(AGED_OHMS.0, AGED_OHMS.1, &mut rng);
            edits.push(Edit::Series { branch: *other, ohms });
        }
        Ok(Self {
            circuit,
            edits,
            like,
            text: format!("{item}: {how}"),
            right: vec![item],
            state: OperatingState::default(),
            rng,
            solved: BTreeMap::new(),
            mended: false,
            failed: None,
        })
    }

    /// A job on a model's vehicle with what the customer tells of it; none where nothing shows.
    ///
    /// # Errors
    /// [`ProvingError`].
    pub fn job(model: &Model, seed: u64) -> Result<Option<(Job, Self)>, ProvingError> {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        for again in 0..MOST_DRAWN {
            let mut bench = Self::new(&model.circuit.vehicle, seed.wrapping_add(again << 32))?;
            let told = trial::complaint(model, &mut bench, &mut rng);
            if let Some(why) = bench.failed {
                return Err(ProvingError::Ngspice(why));
            }
            let Some(first) = told else { continue };
            // It must come of what is wrong, not of what has aged beside it.
            bench.mended = true;
            let still = first.iter().any(|e| match &e.finding {
                Finding::Effect { part, .. } => {
                    bench.set(&e.state);
                    bench.effect(part, None, None) != Some(Strength::Normal)
                }
                _ => false,
            });
            bench.mended = false;
            if still {
                continue;
            }
            let truth = Truth {
                right: bench.right.clone(),
                text: bench.text.clone(),
                ..Truth::of(model, Vec::new())
            };
            return Ok(Some((Job { kind: Kind::OffModel, seed, truth, first }, bench)));
        }
        Ok(None)
    }

    /// Why the other solver failed, if it did.
    pub fn failed(&self) -> Option<&str> {
        self.failed.as_deref()
    }

    fn solve(&mut self, leads: Option<Leads>) -> Solved {
        let key = format!("{:?} {leads:?} {}", self.state, self.mended);
        if let Some(hit) = self.solved.get(&key) {
            return hit.clone();
        }
        let solved = match self.settled(leads) {
            Ok(solved) => solved,
            Err(e) => {
                self.failed = Some(e.to_string());
                Solved { volts: vec![0.0; self.circuit.nodes].into(), spot: 0.0 }
            }
        };
        self.solved.insert(key, solved.clone());
        solved
    }

    /// Solves until no relay or fuse changes any more.
    fn settled(&self, leads: Option<Leads>) -> Result<Solved, ProvingError> {
        let sound = self.circuit.solve(&self.state, &[], None);
        let mut laws = sound.laws.clone();
        let meter = leads.and_then(Leads::extra);
        let mut solved = Solved { volts: sound.volts.clone(), spot: 0.0 };
        for _ in 0..ROUNDS {
            let start = &solved.volts;
            let deck = spice::deck_of(&self.circuit, "job", &laws, start, &[] as &[Change], meter);
            let deck = self.edited(&deck);
            solved = run(&deck, self.circuit.nodes)?;
            if !self.switched(&solved.volts, &mut laws) {
                break;
            }
        }
        Ok(solved)
    }

    /// Edits that are there: the first is what is wrong, the others have aged.
    fn there(&self) -> &[Edit] {
        &self.edits[usize::from(self.mended)..]
    }

    /// The deck with what is wrong written into its cards.
    fn edited(&self, deck: &str) -> String {
        let mut lines: Vec<String> = deck.lines().map(str::to_owned).collect();
        for edit in self.there() {
            let (Edit::Series { branch, .. } | Edit::Chafed { branch, .. }) = edit;
            let card = format!("Rb{branch} ");
            let Some(at) = lines.iter().position(|l| l.starts_with(&card)) else { continue };
            let words: Vec<&str> = lines[at].split_whitespace().collect();
            let [name, a, b, ohms] = words[..] else { continue };
            let sound: f64 = ohms.parse().unwrap_or(0.0);
            lines[at] = match *edit {
                Edit::Series { ohms, .. } => format!("{name} {a} {b} {:e}", sound + ohms),
                Edit::Chafed { share, ohms, .. } => format!(
                    "{name} {a} cut {:e}\n{name}far cut {b} {:e}\nRspot cut 0 {ohms:e}",
                    sound * share,
                    sound * (1.0 - share)
                ),
            };
        }
        lines.join("\n") + "\n"
    }

    /// Relays by the voltage of their coil, fuses by their current; whether anything changed.
    fn switched(&self, volts: &TiSlice<NodeId, f64>, laws: &mut TiSlice<BranchId, Law>) -> bool {
        let mut changed = false;
        for placed in &self.circuit.devices {
            let part = &self.circuit.vehicle.parts[placed.part];
            let across = |k: BranchId| {
                let b = &self.circuit.branches[k];
                volts[b.from] - volts[b.to]
            };
            match &part.elements[placed.element] {
                Element::Relay(Relay { pull_in_volts, drop_out_volts, contact_ohms, .. }) => {
                    // Branches: the coil, the make contact, the break contact if there is one.
                    let [coil, make, rest @ ..] = &placed.branches[..] else { continue };
                    let closed = matches!(laws[*make], Law::Ohms(r) if r < 1e6);
                    let pull = across(*coil).abs();
                    let wants =
                        if closed { pull > *drop_out_volts } else { pull >= *pull_in_volts };
                    if wants != closed {
                        let contact = Law::Ohms(*contact_ohms);
                        laws[*make] = if wants { contact } else { Law::OPEN };
                        for k in rest.iter().take(1) {
                            laws[*k] = if wants { Law::OPEN } else { contact };
                        }
                        changed = true;
                    }
                }
                Element::Fuse(Fuse { rating_amps, .. }) => {
                    let k = placed.branches[0];
                    if let Law::Ohms(r) = laws[k]
                        && r < 1e6
                        && (across(k) / r).abs() > BLOWS_AT * rating_amps
                    {
                        laws[k] = Law::OPEN;
                        changed = true;
                    }
                }
                _ => {}
            }
        }
        changed
    }

    fn gauss(&mut self) -> f64 {
        let sum: f64 = (0..12).map(|_| self.rng.random::<f64>()).sum();
        (sum - 6.0).clamp(-2.5, 2.5)
    }

    fn shown(&mut self, probe: &Probe) -> Option<f64> {
        let leads = probe.leads(&self.circuit).ok()?;
        let Solved { volts, spot } = self.solve(Some(leads));
        let shown = match leads {
            Leads::Between(_, a, b) => leads.reads(volts[a] - volts[b]),
            Leads::Around(k) => Shown::Value(self.amps(k, &volts, spot)),
        };
        match shown {
            Shown::Value(v) => Some(v + 0.4 * probe.instrument.sigma(v) * self.gauss()),
            Shown::OverLimit => None,
        }
    }

    /// What a clamp shows at the end where a conductor begins, amperes.
    fn amps(&self, branch: BranchId, volts: &TiSlice<NodeId, f64>, spot: f64) -> f64 {
        let Law::Ohms(sound) = self.circuit.branches[branch].law else { return 0.0 };
        let b = &self.circuit.branches[branch];
        let mut ohms = sound;
        for edit in self.there() {
            match *edit {
                Edit::Series { branch: k, ohms: more } if k == branch => ohms += more,
                Edit::Chafed { branch: k, share, .. } if k == branch => {
                    return (volts[b.from] - spot) / (sound * share);
                }
                _ => {}
            }
        }
        (volts[b.from] - volts[b.to]) / ohms
    }
}

/// What one would repair at a conductor or contact.
fn item_of(circuit: &Circuit, branch: BranchId) -> Item {
    match &circuit.branches[branch].of {
        Of::Wire(w) => Item::wire(&circuit.vehicle.wires[*w].id),
        Of::Terminal(connector, cavity) => Item::Terminal(format!("{connector}.{cavity}").into()),
        Of::Ground(g) => Item::Ground(circuit.vehicle.grounds[*g].id.clone()),
        Of::Device { .. } | Of::Lead(_) | Of::Seat(_) => Item::Elsewhere,
    }
}

/// Node voltages of a deck.
fn run(deck: &str, nodes: usize) -> Result<Solved, ProvingError> {
    let failed = |what: &dyn std::fmt::Display| ProvingError::Ngspice(what.to_string());
    let mut child = Command::new("ngspice")
        .args(["-b", "/dev/stdin"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .map_err(|e| failed(&e))?;
    if let Some(mut stdin) = child.stdin.take() {
        stdin.write_all(deck.as_bytes()).map_err(|e| failed(&e))?;
    }
    let out = child.wait_with_output().map_err(|e| failed(&e))?;
    let text = String::from_utf8_lossy(&out.stdout);
    let (mut volts, mut spot, mut found) = (vec![0.0; nodes], 0.0, 0);
    for line in text.lines() {
        let mut words = line.split_whitespace();
        let (Some(name), Some(value)) = (words.next(), words.next_back()) else { continue };
        let name = name.trim_start_matches("V(").trim_end_matches(')');
        if name.eq_ignore_ascii_case("cut") {
            spot = value.parse().unwrap_or(0.0);
        }
        if let (Ok(node), Ok(value)) = (name.parse::<usize>(), value.parse::<f64>())
            && let Some(at) = volts.get_mut(node)
        {
            *at = value;
            found += 1;
        }
    }
    match found + 1 >= nodes {
        true => Ok(Solved { volts: volts.into(), spot }),
        false => Err(failed(&format!(
            "{found} of {nodes} nodes solved: {}",
            String::from_utf8_lossy(&out.stderr).lines().next().unwrap_or("")
        ))),
    }
}

impl Bench for Spiced {
    fn set(&mut self, state: &OperatingState) {
        self.state = state.clone();
    }
    fn present(&mut self) -> Present {
        Present::Yes
    }
    fn read(&mut self, probe: &Probe) -> Option<f64> {
        if self.rng.random::<f64>() < SLIPS {
            return (probe.instrument != circuit::Instrument::Ohms).then_some(0.0);
        }
        let shown = self.shown(probe)?;
        Some(match self.rng.random::<f64>() < MISREAD {
            true if self.rng.random::<bool>() => shown * 10.0,
            true => shown / 10.0,
            false => shown,
        })
    }
    fn record(&mut self, probe: &Probe) -> [f64; 2] {
        [self.shown(probe).unwrap_or(f64::INFINITY); 2]
    }
    fn effect(
        &mut self,
        part: &str,
        jumper: Option<&Probe>,
        swapped: Option<&str>,
    ) -> Option<Strength> {
        let at = self.circuit.part(part)?;
        let leads = jumper.and_then(|p| p.leads(&self.circuit).ok());
        // Conductors and contacts are what is wrong here; another part changes nothing.
        let _ = swapped;
        let volts = self.solve(leads).volts;
        let laws = self.circuit.solve(&self.state, &[], None).laws;
        self.circuit.effect(at, &volts, &laws).map(strength)
    }
    fn scan(&mut self) -> Vec<Finding> {
        Vec::new()
    }
    /// From the solved voltages; a module that is fed with less than it needs says nothing.
    fn values(&mut self, signals: &[SignalId]) -> Vec<Finding> {
        let volts = self.solve(None).volts;
        // What turns is solved once more, half a tooth on.
        let later = self.circuit.teeth_on(&self.state).map(|on| {
            let state = std::mem::replace(&mut self.state, on);
            let volts = self.solve(None).volts;
            self.state = state;
            volts
        });
        let c = &self.circuit;
        let v = &c.vehicle;
        let between = |k| c.software.pins(k).map(|(a, b)| volts[a] - volts[b]);
        let counted = |k| {
            let (ring, later) = (c.software.ring(k)?, later.as_ref().unwrap_or(&volts));
            let counts =
                c.software.counts(k, |a, b| volts[a] - volts[b], |a, b| later[a] - later[b]);
            Some(if counts { volts[ring] } else { 0.0 })
        };
        let is_fed = |module: &PartId| {
            let needs = (v.parts.iter().filter(|p| p.id == *module))
                .flat_map(|p| &p.elements)
                .find_map(|e| if let Element::Supply(s) = e { Some(s.min_volts) } else { None });
            let own = |s: &vehicle::Signal| {
                s.module == *module && s.did == Some(v.identifiers.supply.did)
            };
            let gets = v.signals.position(own).and_then(between);
            gets.zip(needs).is_none_or(|(gets, needs)| gets >= needs)
        };
        let of = |id: &SignalId| {
            let k = v.signals.position(|s| s.id == *id)?;
            let read = between(k).or_else(|| counted(k));
            read.filter(|_| is_fed(&v.signals[k].module))
        };
        let read: Vec<Option<f64>> = signals.iter().map(of).collect();
        trial::values_read(v, signals, &read)
    }
    fn moved(&mut self, _at: &str) -> bool {
        self.rng.random::<f64>() < 0.02
    }
    fn look(&mut self, at: &str) -> Sight {
        let mut thrown = self.rng.random::<f64>() / VISIBLE;
        let like = fault::named(&self.circuit, &self.like);
        let marks = like.map(|f| marks::found_at(&self.circuit, &f, at)).unwrap_or_default();
        for (mark, chance) in marks {
            thrown -= chance;
            if thrown < 0.0 {
                return crate::sight(mark);
            }
        }
        Sight::Nothing
    }
    fn repair(&mut self, item: &Item) -> bool {
        self.mended |= self.right.contains(item);
        self.mended
    }
    fn is_sound(&self) -> bool {
        self.mended
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use crate::generated::{self, Sort};

    /// Relays and fuses settle by rules of their own here, and the fault is written into the deck by hand:
    /// where both agree with the engine's fault model, neither is likely to be wrong.
    #[test]
    fn a_fault_written_into_the_deck_does_what_the_engine_says_of_it() {
        let (mut compared, mut moved) = (0, 0);
        for seed in 1..=5 {
            let vehicle = generated::vehicle(Sort::Plain, seed);
            let mut bench = Spiced::new(&vehicle, seed).unwrap();
            bench.edits.truncate(1);
            if matches!(bench.edits[0], Edit::Chafed { .. }) {
                continue;
            }
            let fault = fault::named(&bench.circuit, &bench.like).unwrap();
            let points: Vec<String> =
                bench.circuit.node_of.keys().step_by(9).take(12).cloned().collect();
            let states = bench.circuit.vehicle.states.clone();
            for named in states.iter().step_by(3) {
                bench.set(&named.state);
                for red in &points {
                    let probe = Probe::volts(red, &bench.circuit.reference.clone());
                    let leads = probe.leads(&bench.circuit).unwrap();
                    let Leads::Between(_, a, b) = leads else { continue };
                    let solved = bench.solve(Some(leads));
                    let theirs = solved.volts[a] - solved.volts[b];
                    let measure = |changes: &[Change]| {
                        bench.circuit.measure(&named.state, changes, &probe).unwrap().value()
                    };
                    let (ours, sound) = (measure(&fault.changes), measure(&[]));
                    let off = (ours - theirs).abs();
                    assert!(off < 0.02, "{seed} {} {red} {}: {ours} {theirs}", fault.id, named.id);
                    compared += 1;
                    moved += usize::from((ours - sound).abs() > 0.1);
                }
            }
            assert_eq!(bench.failed(), None);
        }
        assert!(compared > 50 && moved > 0, "{compared} compared, {moved} moved by the fault");
    }
}
