//! `chalkeus trial`: how good the reasoning is, over many simulated jobs, on a vehicle file or on vehicles
//! made up for it.

mod report;

use super::core::vehicle;
use diagnosis::Model;
use diagnosis::trial::draw::Truths;
use diagnosis::trial::tally::Tally;
use diagnosis::trial::{Ending, Rules, Strategy, Worked};
use proving::generated::{self, Sort};
use proving::job::{self, Job, Kind};
use proving::ngspice::Spiced;
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::PathBuf;
use vehicle::Item;

/// Arguments of the trial.
#[derive(Debug, clap::Args)]
pub(super) struct Trial {
    /// Vehicle file.
    #[arg(required_unless_present = "made_up", conflicts_with = "made_up")]
    vehicle: Option<PathBuf>,
    /// So many vehicles made up from the seed, every third without modules, instead of a file.
    #[arg(long)]
    made_up: Option<u64>,
    /// What is hidden is written into a deck and solved by ngspice; on made-up vehicles without modules.
    #[arg(long, requires = "made_up", conflicts_with = "kind")]
    ngspice: bool,
    /// Jobs of each kind, on each vehicle.
    #[arg(long, default_value_t = 50)]
    jobs: usize,
    /// Seed of everything that is drawn.
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// Only jobs of this kind.
    #[arg(long, value_enum)]
    kind: Option<Only>,
    /// Only the engine, without the strategies it is compared with.
    #[arg(long)]
    engine_only: bool,
    /// How truths are drawn: as often as the engine itself believes; by the root of that; each sort of
    /// thing alike.
    #[arg(long, value_enum, default_value_t = Frequencies::Hard)]
    truths: Frequencies,
    /// No part is fitted to see, however cheap.
    #[arg(long)]
    checks_only: bool,
    /// Every job that was not right, with all that was done.
    #[arg(long)]
    verbose: bool,
    /// JSON on standard output.
    #[arg(long)]
    json: bool,
}

/// Kinds of jobs.
#[derive(Debug, Clone, Copy, clap::ValueEnum)]
enum Only {
    /// One fault of the file, its number off the grid.
    Single,
    /// Two faults at once.
    Double,
    /// One that comes and goes.
    Intermittent,
    /// One anywhere along a conductor, a drift, or a fault of the file, with aged contacts beside it.
    OffModel,
    /// Something that is not in the file.
    Foreign,
}

impl From<Only> for Kind {
    fn from(only: Only) -> Self {
        match only {
            Only::Single => Self::Single,
            Only::Double => Self::Double,
            Only::Intermittent => Self::Intermittent,
            Only::OffModel => Self::OffModel,
            Only::Foreign => Self::Foreign,
        }
    }
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

/// A worked job, for whoever reads them one by one.
#[derive(Debug, Serialize)]
struct Line {
    vehicle: String,
    kind: &'static str,
    strategy: Strategy,
    seed: u64,
    hidden: String,
    /// What the customer told and the first scan found wrong.
    told: Vec<String>,
    #[serde(flatten)]
    worked: Worked,
}

/// Figures by kind of job and strategy.
type Tallies = BTreeMap<(&'static str, Strategy), Tally>;

/// Keeps the score.
struct Referee<'a> {
    arguments: &'a Trial,
    tallies: Tallies,
    lines: Vec<Line>,
}

/// Kinds in the order they are worked.
const KINDS: [Kind; 5] =
    [Kind::Single, Kind::Double, Kind::Intermittent, Kind::OffModel, Kind::Foreign];
/// What is called a kind of job here, though it is only solved elsewhere.
const BY_NGSPICE: &str = "ngspice";

pub(super) fn run(arguments: &Trial) -> Result<(), String> {
    let mut referee = Referee { arguments, tallies: Tallies::new(), lines: Vec::new() };
    match (&arguments.vehicle, arguments.made_up) {
        (Some(path), _) => {
            let model =
                Model::new(vehicle(path)?).map_err(|e| format!("{}: {e}", path.display()))?;
            referee.every_kind(&model)?;
        }
        (None, many) => {
            for n in 0..many.unwrap_or(0) {
                let seed = arguments.seed.wrapping_mul(1009).wrapping_add(n);
                let plain = arguments.ngspice || n % 3 == 0;
                let sort = if plain { Sort::Plain } else { Sort::WithModules };
                let model =
                    Model::new(generated::vehicle(sort, seed)).map_err(|e| e.to_string())?;
                match arguments.ngspice {
                    true => referee.by_ngspice(&model)?,
                    false => referee.every_kind(&model)?,
                }
            }
        }
    }
    report::print(arguments.json, arguments.seed, &referee.tallies, &referee.lines);
    Ok(())
}

impl Referee<'_> {
    fn strategies(&self) -> &'static [Strategy] {
        if self.arguments.engine_only { &[Strategy::Engine] } else { &Strategy::ALL }
    }

    fn rules(&self) -> Rules {
        Rules { fits: !self.arguments.checks_only, ..Rules::default() }
    }

    fn seed(&self, n: usize, kind: u64) -> u64 {
        self.arguments.seed.wrapping_mul(1_000_003).wrapping_add(n as u64 * 7 + kind)
    }

    fn every_kind(&mut self, model: &Model) -> Result<(), String> {
        let only: Option<Kind> = self.arguments.kind.map(Kind::from);
        for kind in KINDS.into_iter().filter(|k| only.is_none_or(|only| only == *k)) {
            for n in 0..self.arguments.jobs {
                let seed = self.seed(n, kind as u64);
                let job = match job::draw(model, self.arguments.truths.into(), kind, seed) {
                    Ok(job) => job,
                    // A vehicle in which nothing of a kind can be found has no such jobs.
                    Err(proving::ProvingError::NothingShows(_)) => break,
                    Err(e) => return Err(e.to_string()),
                };
                for strategy in self.strategies() {
                    self.work(model, &job, *strategy)?;
                }
            }
        }
        Ok(())
    }

    fn work(&mut self, model: &Model, job: &Job, strategy: Strategy) -> Result<(), String> {
        let rules = self.rules();
        let said = |e: proving::ProvingError| e.to_string();
        let (mut worked, second) = match job.kind {
            Kind::Double => job.work_out(model, strategy, &rules).map_err(said)?,
            _ => (job.work(model, strategy, &rules).map_err(said)?, None),
        };
        let touches = worked.right;
        if job.truth.foreign {
            worked.right = is_recognised(&worked);
        }
        let both = worked.right && second.as_ref().is_none_or(|w| w.right);
        let tally = self.tallies.entry((job.kind.name(), strategy)).or_default();
        tally.both += usize::from(job.kind == Kind::Double && both);
        tally.touched += usize::from(job.truth.foreign && touches);
        self.took(model, (job.kind.name(), strategy), job, worked);
        Ok(())
    }

    fn by_ngspice(&mut self, model: &Model) -> Result<(), String> {
        for n in 0..self.arguments.jobs {
            let seed = self.seed(n, KINDS.len() as u64);
            for strategy in self.strategies() {
                let Some((job, mut bench)) = Spiced::job(model, seed).map_err(|e| e.to_string())?
                else {
                    continue;
                };
                let worked = job.work_on(model, &mut bench, *strategy, &self.rules());
                let worked = worked.map_err(|e| e.to_string())?;
                if let Some(why) = bench.failed() {
                    return Err(format!("seed {seed}: ngspice: {why}"));
                }
                self.took(model, (BY_NGSPICE, *strategy), &job, worked);
            }
        }
        Ok(())
    }

    fn took(
        &mut self,
        model: &Model,
        (kind, strategy): (&'static str, Strategy),
        job: &Job,
        worked: Worked,
    ) {
        let is_module = diagnosis::gate::is_module(&model.circuit, &worked.named);
        self.tallies.entry((kind, strategy)).or_default().add(&worked, is_module);
        let line = Line {
            vehicle: model.circuit.vehicle.id.clone(),
            kind,
            strategy,
            seed: job.seed,
            hidden: job.truth.text.clone(),
            told: job.trouble(model),
            worked,
        };
        if self.arguments.verbose && !line.worked.right {
            report::tell(&line);
        }
        self.lines.push(line);
    }
}

/// Whether a job ended with the word that it is nothing of the file, or with no item above one half.
fn is_recognised(w: &Worked) -> bool {
    w.named == Item::Elsewhere || (w.probability < 0.5 && w.ending != Ending::Proven)
}
