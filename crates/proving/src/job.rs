//! A drawn job, ready to be worked any number of times alike.

use crate::ProvingError;
use crate::hands::{CUSTOMER, Hands, technician};
use crate::truth::{self, Truth};
use diagnosis::evidence::{Finding, Present};
use diagnosis::prior::{Known, Occurs, told_of};
use diagnosis::trial::draw::{self, Truths};
use diagnosis::trial::{self, Bench, Rules, Strategy, Worked};
use diagnosis::{Evidence, Model, Priors};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde::Serialize;
use vehicle::FaultId;

/// Kinds of jobs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    /// One fault of the file, its number off the grid.
    Single,
    /// Two faults at once.
    Double,
    /// One that comes and goes.
    Intermittent,
    /// One as vehicles have them, with aged contacts beside it.
    OffModel,
    /// Something that is not in the file.
    Foreign,
}

impl Kind {
    /// In a word.
    pub fn name(self) -> &'static str {
        match self {
            Self::Single => "single",
            Self::Double => "double",
            Self::Intermittent => "intermittent",
            Self::OffModel => "off model",
            Self::Foreign => "not in the file",
        }
    }
}

/// A drawn job.
#[derive(Debug, Clone)]
pub struct Job {
    /// What kind it is.
    pub kind: Kind,
    /// Seed of the vehicle's part values and of the technician's hands.
    pub seed: u64,
    /// What is hidden.
    pub truth: Truth,
    /// What the customer tells and the first scan finds.
    pub first: Vec<Evidence>,
}

/// Draws before it is given up that anything shows.
const MOST_DRAWN: usize = 400;

/// Draws faults until something shows, and what a customer would tell of it.
///
/// # Errors
/// [`ProvingError`].
pub fn draw(model: &Model, truths: Truths, kind: Kind, seed: u64) -> Result<Job, ProvingError> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    for _ in 0..MOST_DRAWN {
        let mut drawn = |count: usize| {
            let faults = (0..count).filter_map(|_| draw::fault(model, truths, &mut rng));
            Truth::of(model, faults.collect())
        };
        let truth = match kind {
            Kind::OffModel => truth::off_model(model, truths, &mut rng),
            Kind::Foreign => truth::foreign(model, &mut rng),
            Kind::Single | Kind::Intermittent => drawn(1),
            Kind::Double => drawn(2),
        };
        if kind == Kind::Intermittent {
            // As seldom as such a fault comes and goes; by the root, as the rates are with hard truths.
            let share = circuit::fault::named(&model.circuit, &truth.faults[0])
                .map_or(0.0, |f| circuit::place::wavering_share(&model.circuit, &f));
            if rng.random::<f64>() > share.sqrt() {
                continue;
            }
        }
        let Ok(Some(mut first)) = told(model, &truth, seed, &mut rng) else { continue };
        if kind == Kind::Double {
            // Both must show, or there is only one to find.
            let alone = |f: &FaultId| Truth::of(model, vec![f.clone()]);
            let mut show = Vec::new();
            for one in &truth.faults {
                show.push(told(model, &alone(one), seed, &mut rng)?.is_some());
            }
            if show.contains(&false) {
                continue;
            }
        }
        if kind == Kind::OffModel {
            // What is complained of must come of what is wrong, not of the age of the rest.
            let aged = Truth::of(model, truth.aged.clone());
            if told(model, &aged, seed, &mut rng)?.is_some() {
                continue;
            }
        }
        for e in &mut first {
            e.present = Present::Yes;
        }
        let mut vehicle = Hands::on(&truth, seed, technician(kind == Kind::Intermittent))?;
        let scanned = trial::first_scan(model, &mut vehicle);
        let known =
            |e: &Evidence| first.iter().any(|f| f.state == e.state && same(&f.finding, &e.finding));
        let more: Vec<Evidence> = scanned.into_iter().filter(|e| !known(e)).collect();
        first.extend(more);
        return Ok(Job { kind, seed, truth, first });
    }
    Err(ProvingError::NothingShows(model.circuit.vehicle.id.clone()))
}

/// The customer tells of how it is when it shows.
fn told(
    model: &Model,
    truth: &Truth,
    seed: u64,
    rng: &mut ChaCha8Rng,
) -> Result<Option<Vec<Evidence>>, ProvingError> {
    let mut vehicle = Hands::on(truth, seed, CUSTOMER)?;
    Ok(trial::complaint(model, &mut vehicle, rng))
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

impl Job {
    /// What the customer told and the first scan found wrong, in words.
    pub fn trouble(&self, model: &Model) -> Vec<String> {
        let wrong = |e: &&Evidence| {
            !matches!(
                e.finding,
                Finding::Answer { answers: true, .. } | Finding::Code { failing: false, .. }
            )
        };
        self.first.iter().filter(wrong).map(|e| diagnosis::words::evidence(model, e)).collect()
    }

    /// Works it.
    ///
    /// # Errors
    /// [`ProvingError`].
    pub fn work(
        &self,
        model: &Model,
        strategy: Strategy,
        rules: &Rules,
    ) -> Result<Worked, ProvingError> {
        let mut vehicle =
            Hands::on(&self.truth, self.seed, technician(self.kind == Kind::Intermittent))?;
        self.work_on(model, &mut vehicle, strategy, rules)
    }

    /// Works it, and where another fault is left when the one named is mended, that as well: how it went
    /// with the last one worked, and all minutes and checks.
    ///
    /// # Errors
    /// [`ProvingError`].
    pub fn work_out(
        &self,
        model: &Model,
        strategy: Strategy,
        rules: &Rules,
    ) -> Result<(Worked, Option<Worked>), ProvingError> {
        let first = self.work(model, strategy, rules)?;
        let left = if first.right { self.truth.without(&first.named) } else { None };
        let Some(truth) = left else { return Ok((first, None)) };
        let mut rng = ChaCha8Rng::seed_from_u64(self.seed ^ 0x1EF7);
        let Some(told) = told(model, &truth, self.seed, &mut rng)? else {
            return Ok((first, None));
        };
        let rest = Self { truth, first: told, ..self.clone() };
        let second = rest.work(model, strategy, rules)?;
        Ok((first, Some(second)))
    }

    /// Works it on a bench of one's own.
    ///
    /// # Errors
    /// [`ProvingError`].
    pub fn work_on(
        &self,
        model: &Model,
        bench: &mut impl Bench,
        strategy: Strategy,
        rules: &Rules,
    ) -> Result<Worked, ProvingError> {
        let mut rng = ChaCha8Rng::seed_from_u64(self.seed ^ 0xC0DE);
        let occurs = match self.kind {
            Kind::Intermittent => Occurs::Sometimes,
            _ => Occurs::Always,
        };
        let known = Known { occurs, complaint: told_of(&self.first), ..Known::default() };
        let priors = Priors::new(model, &known);
        let first = self.first.clone();
        Ok(trial::work(model, &priors, bench, first, strategy, rules.clone(), &mut rng)?)
    }
}
