//! `chalkeus trial`: how good the reasoning is, over many simulated jobs.
//!
//! The only place beside the demo that sets up stand-ins; it hands the diagnosing side a
//! [`Bench`] that answers as a vehicle does, and keeps what is hidden for the referee.

use super::core::{print, say, vehicle};
use diagnosis::evidence::{Finding, Present, Sight, Strength};
use diagnosis::ledger::ReadCode;
use diagnosis::trial::draw::Truths;
use diagnosis::trial::tally::{BANDS, Tally};
use diagnosis::trial::{self, Bench, Rules, Strategy, Worked};
use diagnosis::{Evidence, Model, Priors};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde::Serialize;
use serde_json::json;
use standin::Setup;
use standin::direct::{Care, Direct};
use std::collections::BTreeMap;
use std::path::PathBuf;
use vehicle::OperatingState;

/// Arguments of the trial.
#[derive(Debug, clap::Args)]
pub(super) struct Trial {
    /// Vehicle file.
    vehicle: PathBuf,
    /// Jobs of each kind.
    #[arg(long, default_value_t = 50)]
    jobs: usize,
    /// Seed of everything that is drawn.
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// Only jobs of this kind.
    #[arg(long, value_enum)]
    kind: Option<Kind>,
    /// Only the engine, without the strategies it is compared with.
    #[arg(long)]
    engine_only: bool,
    /// How truths are drawn: as often as the engine itself believes; by the root of that; each sort of
    /// thing alike.
    #[arg(long, value_enum, default_value_t = Frequencies::Hard)]
    truths: Frequencies,
    /// Every job that was not right, with all that was done.
    #[arg(long)]
    verbose: bool,
    /// JSON on standard output.
    #[arg(long)]
    json: bool,
}

/// Kinds of jobs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, clap::ValueEnum)]
#[serde(rename_all = "snake_case")]
enum Kind {
    /// One fault.
    Single,
    /// Two faults at once.
    Double,
    /// One that comes and goes.
    Intermittent,
}

/// How often what is hidden.
#[derive(Debug, Clone, Copy, clap::ValueEnum)]
enum Frequencies {
    /// As the engine believes.
    Believed,
    /// By the root of that.
    Hard,
    /// Each sort alike.
    Even,
}

impl From<Frequencies> for Truths {
    fn from(f: Frequencies) -> Self {
        match f {
            Frequencies::Believed => Self::Believed,
            Frequencies::Hard => Self::Hard,
            Frequencies::Even => Self::Even,
        }
    }
}

/// The stand-in as the trial's bench.
struct UnderHands {
    vehicle: Direct,
    rng: ChaCha8Rng,
}

/// Share of checks at which the technician knows whether the symptom shows.
const KNOWS: f64 = 0.7;
/// Chance of a probe that missed, and of a misjudged effect.
const BAD_PROBE: f64 = 0.015;
const MISJUDGED: f64 = 0.001;

fn strength(effect: f64) -> Strength {
    match effect {
        f if f > 0.83 => Strength::Normal,
        f if f > 0.08 => Strength::Weak,
        _ => Strength::None,
    }
}

impl Bench for UnderHands {
    fn set(&mut self, state: &OperatingState) {
        self.vehicle.set(state);
    }
    fn present(&mut self) -> Present {
        match (self.rng.random::<f64>() < KNOWS, self.vehicle.shows()) {
            (false, _) => Present::Unknown,
            (true, true) => Present::Yes,
            (true, false) => Present::No,
        }
    }
    fn read(&mut self, probe: &circuit::Probe) -> Option<f64> {
        self.vehicle.read(probe)
    }
    fn record(&mut self, probe: &circuit::Probe) -> [f64; 2] {
        self.vehicle.record(probe)
    }
    fn effect(
        &mut self,
        part: &str,
        jumper: Option<&circuit::Probe>,
        swapped: Option<&str>,
    ) -> Option<Strength> {
        self.vehicle.effect(part, jumper, swapped).map(strength)
    }
    fn scan(&mut self) -> Vec<Finding> {
        let mut out = Vec::new();
        for said in self.vehicle.scan() {
            out.push(Finding::Answer { module: said.module.clone(), answers: said.answered });
            for (code, failure_type, status) in said.codes {
                let read = ReadCode { code, failure_type, status, ..ReadCode::default() };
                if read.failing() || read.tested_now() {
                    out.push(Finding::Code {
                        module: said.module.clone(),
                        failing: read.failing(),
                        code: read.code,
                        failure_type: read.failure_type,
                    });
                }
            }
        }
        out
    }
    fn moved(&mut self, at: &str) -> bool {
        self.vehicle.moved(at)
    }
    fn look(&mut self, at: &str) -> Sight {
        use circuit::marks::Mark;
        match self.vehicle.look(at) {
            None => Sight::Nothing,
            Some(Mark::Damage) => Sight::Damage,
            Some(Mark::Corrosion) => Sight::Corrosion,
            Some(Mark::Water) => Sight::Water,
            Some(Mark::PushedBack) => Sight::PushedBack,
            Some(Mark::Loose) => Sight::Loose,
        }
    }
    fn repair(&mut self, item: &str) -> bool {
        self.vehicle.repair(item)
    }
    fn is_sound(&self) -> bool {
        self.vehicle.truth().is_empty()
    }
}

fn technician(kind: Kind) -> Care {
    Care { bad_probe: BAD_PROBE, misjudged: MISJUDGED, wavers: kind == Kind::Intermittent }
}

/// A drawn job, ready to be worked any number of times alike.
struct Drawn {
    kind: Kind,
    seed: u64,
    faults: Vec<String>,
    first: Vec<Evidence>,
}

/// How a customer sees it: no probes, and a complaint is a complaint.
const CUSTOMER: Care = Care { bad_probe: 0.0, misjudged: 0.0, wavers: false };

fn bench(model: &Model, drawn: (&[String], u64), care: Care) -> Result<UnderHands, String> {
    let (faults, seed) = drawn;
    let setup = Setup {
        vehicle: model.circuit.vehicle.clone(),
        faults: faults.to_vec(),
        seed,
        vin: String::new(),
        odometer_km: 61_240,
        flexes: false,
        past: Vec::new(),
    };
    let vehicle = Direct::new(setup, care).map_err(|e| e.to_string())?;
    Ok(UnderHands { vehicle, rng: ChaCha8Rng::seed_from_u64(seed ^ 0x5EED) })
}

/// Draws faults until something shows, and what a customer would tell of it.
fn draw(model: &Model, truths: Truths, kind: Kind, seed: u64) -> Result<Drawn, String> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    loop {
        let mut faults = vec![trial::draw::fault(model, truths, &mut rng)];
        if kind == Kind::Double {
            faults.push(trial::draw::fault(model, truths, &mut rng));
        }
        if kind == Kind::Intermittent {
            // As seldom as such a fault comes and goes; by the root, as the rates are with hard truths.
            let share = circuit::fault::by_id(&model.circuit, &faults[0])
                .map_or(0.0, |f| circuit::place::wavering_share(&model.circuit, &f));
            if rng.random::<f64>() > share.sqrt() {
                continue;
            }
        }
        // The customer tells of how it is when it shows.
        let told =
            |faults: &[String], rng: &mut ChaCha8Rng| -> Result<Option<Vec<Evidence>>, String> {
                let mut vehicle = bench(model, (faults, seed), CUSTOMER)?;
                Ok(trial::complaint(model, &mut vehicle, rng))
            };
        let Some(mut first) = told(&faults, &mut rng)? else { continue };
        if kind == Kind::Double {
            // Both must show, or there is only one to find.
            let mut both = true;
            for one in &faults {
                both &= told(std::slice::from_ref(one), &mut rng)?.is_some();
            }
            if !both {
                continue;
            }
        }
        for e in &mut first {
            e.present = Present::Yes;
        }
        let mut vehicle = bench(model, (&faults, seed), technician(kind))?;
        let scanned = trial::first_scan(model, &mut vehicle);
        let known =
            |e: &Evidence| first.iter().any(|f| f.state == e.state && same(&f.finding, &e.finding));
        let more: Vec<Evidence> = scanned.into_iter().filter(|e| !known(e)).collect();
        first.extend(more);
        return Ok(Drawn { kind, seed, faults, first });
    }
}

/// Whether two findings ask the same.
fn same(a: &Finding, b: &Finding) -> bool {
    match (a, b) {
        (Finding::Answer { module: x, .. }, Finding::Answer { module: y, .. }) => x == y,
        (
            Finding::Code { module: x, code: c, failure_type: f, .. },
            Finding::Code { module: y, code: d, failure_type: g, .. },
        ) => x == y && c == d && f == g,
        _ => false,
    }
}

#[derive(Debug, Serialize)]
struct Line {
    kind: Kind,
    strategy: Strategy,
    seed: u64,
    hidden: Vec<String>,
    #[serde(flatten)]
    worked: Worked,
}

pub(super) fn run(arguments: &Trial) -> Result<(), String> {
    let path = &arguments.vehicle;
    let model = Model::new(vehicle(path)?).map_err(|e| format!("{}: {e}", path.display()))?;
    let strategies: &[Strategy] =
        if arguments.engine_only { &[Strategy::Engine] } else { &Strategy::ALL };
    let mut tallies: BTreeMap<(Kind, Strategy), Tally> = BTreeMap::new();
    let mut lines = Vec::new();
    let truths = arguments.truths.into();
    for kind in [Kind::Single, Kind::Double, Kind::Intermittent]
        .into_iter()
        .filter(|k| arguments.kind.is_none_or(|only| only == *k))
    {
        for n in 0..arguments.jobs as u64 {
            let seed = arguments.seed.wrapping_mul(1_000_003).wrapping_add(n * 7 + kind as u64);
            let drawn = draw(&model, truths, kind, seed)?;
            for strategy in strategies {
                let worked = work(&model, &drawn, *strategy)?;
                let is_module = worked.named.strip_prefix("part:").is_some_and(|id| {
                    model
                        .circuit
                        .part(id)
                        .is_some_and(|p| model.circuit.vehicle.parts[p].module.is_some())
                });
                tallies.entry((kind, *strategy)).or_default().add(&worked, is_module);
                if arguments.verbose && !worked.right {
                    tell(&drawn, *strategy, &worked);
                }
                lines.push(Line {
                    kind,
                    strategy: *strategy,
                    seed: drawn.seed,
                    hidden: drawn.faults.clone(),
                    worked,
                });
            }
        }
    }
    if arguments.json {
        let figures: Vec<_> = tallies
            .iter()
            .map(|((kind, strategy), t)| {
                json!({
                    "kind": kind, "strategy": strategy, "counts": t,
                    "accuracy": t.accuracy(), "accuracy_when_proven": t.accuracy_when_proven(),
                    "good_module_condemned": t.condemned(),
                    "mean_checks": t.mean_checks(), "mean_minutes": t.mean_minutes(),
                })
            })
            .collect();
        print(
            &json!({"vehicle": model.circuit.vehicle.id, "seed": arguments.seed, "figures": figures, "jobs": lines}),
        );
        return Ok(());
    }
    say(
        "| jobs | strategy | n | right | proven | right when proven | good module | checks | minutes | worst tenth |",
    );
    say("|---|---|---|---|---|---|---|---|---|---|");
    for ((kind, strategy), t) in &tallies {
        say(&format!(
            "| {} | {} | {} | {:.1} % | {} | {:.1} % | {:.1} % | {:.1} | {:.1} | {:.0} |",
            format!("{kind:?}").to_lowercase(),
            strategy.text(),
            t.jobs,
            100.0 * t.accuracy(),
            t.proven,
            100.0 * t.accuracy_when_proven(),
            100.0 * t.condemned(),
            t.mean_checks(),
            t.mean_minutes(),
            t.worst_tenth()
        ));
    }
    say(
        "\n| jobs | strategy | claimed | jobs | of them right, with its 95 % interval | mean log loss |\n|---|---|---|---|---|---|",
    );
    for ((kind, strategy), t) in &tallies {
        for (band, of) in BANDS.iter().zip(&t.bands).filter(|(_, of)| of.jobs > 0) {
            let (low, high) = of.interval();
            say(&format!(
                "| {} | {} | {} | {} | {:.1} % ({:.1} to {:.1}) | {:.2} |",
                format!("{kind:?}").to_lowercase(),
                strategy.text(),
                band.name,
                of.jobs,
                100.0 * of.right as f64 / of.jobs as f64,
                100.0 * low,
                100.0 * high,
                of.log_loss / of.jobs as f64,
            ));
        }
    }
    say(
        "\n| jobs | strategy | kind of check | times | promised, bits | gained of promised | gained under a tenth of a bit |\n|---|---|---|---|---|---|---|",
    );
    for ((kind, strategy), t) in &tallies {
        for (check, of) in &t.by_check {
            say(&format!(
                "| {} | {} | {check} | {} | {:.1} | {:.2} | {:.0} % |",
                format!("{kind:?}").to_lowercase(),
                strategy.text(),
                of.times,
                of.promised,
                of.gained / of.promised,
                100.0 * of.idle as f64 / of.times as f64,
            ));
        }
    }
    Ok(())
}

fn work(model: &Model, drawn: &Drawn, strategy: Strategy) -> Result<Worked, String> {
    let mut vehicle = bench(model, (&drawn.faults, drawn.seed), technician(drawn.kind))?;
    let mut rng = ChaCha8Rng::seed_from_u64(drawn.seed ^ 0xC0DE);
    let known = diagnosis::Known {
        occurs: match drawn.kind {
            Kind::Intermittent => diagnosis::prior::Occurs::Sometimes,
            _ => diagnosis::prior::Occurs::Always,
        },
        complaint: diagnosis::prior::told_of(&drawn.first),
        ..diagnosis::Known::default()
    };
    let priors = Priors::new(model, &known);
    let first = drawn.first.clone();
    trial::work(model, &priors, &mut vehicle, first, strategy, Rules::default(), &mut rng)
        .map_err(|e| e.to_string())
}

fn tell(drawn: &Drawn, strategy: Strategy, w: &Worked) {
    say(&format!(
        "WRONG {:?} {} seed {}: hidden {}, named {} ({:.0} %, then {}), {:?} after {} checks",
        drawn.kind,
        strategy.text(),
        drawn.seed,
        drawn.faults.join(" and "),
        w.named,
        100.0 * w.probability,
        w.second,
        w.ending,
        w.checks
    ));
    for e in drawn.first.iter().filter(|e| {
        !matches!(
            e.finding,
            Finding::Answer { answers: true, .. } | Finding::Code { failing: false, .. }
        )
    }) {
        say(&format!("    told: {:?}", e.finding));
    }
    for line in &w.log {
        say(&format!("    {line}"));
    }
}
