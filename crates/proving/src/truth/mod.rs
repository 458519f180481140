//! What is really wrong with a vehicle: with numbers and places that the reasoning has not thought of, or
//! not in its file at all.
//!
//! A truth that no fault of the file can express is a change of the vehicle itself: the stand-in gets the
//! changed vehicle, the reasoning the file.

mod chafe;
mod drift;
mod foreign;

use crate::between;
use circuit::fault;
use diagnosis::Model;
use diagnosis::trial::draw::{self, Truths};
use rand::Rng;
use rand::seq::IndexedRandom;
use rand_chacha::ChaCha8Rng;
use vehicle::{ConnectorId, FaultId, Item, Vehicle};

/// What is hidden.
#[derive(Debug, Clone)]
pub struct Truth {
    /// The vehicle as it really is.
    pub vehicle: Vehicle,
    /// Faults of it.
    pub faults: Vec<FaultId>,
    /// Contacts that are a little bad beside them, and not what is complained of.
    pub aged: Vec<FaultId>,
    /// Repair items of which each mends something that is complained of.
    pub right: Vec<Item>,
    /// Nothing in the file is it.
    pub foreign: bool,
    /// In words, for the referee's log.
    pub text: String,
}

impl Truth {
    /// Faults of the file and nothing else.
    pub fn of(model: &Model, faults: Vec<FaultId>) -> Self {
        let text = faults.iter().map(FaultId::to_string).collect::<Vec<_>>().join(" and ");
        let vehicle = model.circuit.vehicle.clone();
        let right = faults.iter().flat_map(mending).collect();
        Self { vehicle, faults, aged: Vec::new(), right, foreign: false, text }
    }

    /// Whether naming an item was right.
    pub fn is_right(&self, item: &Item) -> bool {
        self.right.contains(item)
    }

    /// What is left when an item was repaired; none where nothing is.
    pub fn without(&self, item: &Item) -> Option<Self> {
        let faults: Vec<FaultId> =
            self.faults.iter().filter(|f| !mending(f).contains(item)).cloned().collect();
        let right = faults.iter().flat_map(mending).collect();
        (!faults.is_empty()).then(|| Self { faults, right, ..self.clone() })
    }
}

/// Items of which each mends a fault: its own, and of two conductors that are rubbed through to each other
/// either.
fn mending(fault: &FaultId) -> Vec<Item> {
    match &fault.of {
        Item::Pair(a, b) => vec![Item::wire(a), Item::wire(b), fault.of.clone()],
        own => vec![own.clone()],
    }
}

/// As many digits as somebody would read.
fn rounded(ohms: f64) -> f64 {
    (ohms * 1e4).round() / 1e4
}

/// Contacts of any vehicle that are a little bad beside what is wrong, and how bad, ohms.
const AGED: usize = 3;
const AGED_OHMS: (f64, f64) = (0.005, 0.06);

/// One fault as vehicles have them: a place along a conductor, a drift of a part's own law, or a fault of
/// the file with any number; with some aged contacts beside it.
pub fn off_model(model: &Model, truths: Truths, rng: &mut ChaCha8Rng) -> Truth {
    let drawn = match rng.random_range(0..10) {
        0..2 => chafe::drawn(model, rng),
        2..4 => drift::drawn(model, rng),
        _ => None,
    };
    let mut truth = drawn
        .unwrap_or_else(|| Truth::of(model, draw::fault(model, truths, rng).into_iter().collect()));
    let contacts: Vec<&(ConnectorId, String)> = model.circuit.terminal_branch.keys().collect();
    for (connector, cavity) in contacts.choose_multiple(rng, AGED) {
        let ohms = between(AGED_OHMS.0, AGED_OHMS.1, rng);
        let contact = Item::Terminal(format!("{connector}.{cavity}").into());
        let is_there = truth.faults.iter().any(|f| f.of == contact);
        let aged = FaultId::new(contact, "series", Some(rounded(ohms)));
        if fault::named(&model.circuit, &aged).is_some() && !is_there {
            truth.aged.push(aged);
        }
    }
    truth
}

/// Something that nothing in the file is.
pub fn foreign(model: &Model, rng: &mut ChaCha8Rng) -> Truth {
    loop {
        let drawn = match rng.random_range(0..3) {
            0 => foreign::exchanged(model, rng),
            1 => foreign::bridged(model, rng),
            _ => foreign::back_fed(model, rng),
        };
        if let Some(truth) = drawn {
            return truth;
        }
    }
}
