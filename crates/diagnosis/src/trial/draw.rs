//! What is hidden in a job: drawn from the priors, with numbers off the grid.

use crate::model::Model;
use circuit::fault;
use rand::Rng;

/// How far a number is drawn off its grid point, as a factor: about half a step of most grids.
const OFF_GRID: f64 = 1.4;

/// A fault drawn by the weights of the hypotheses.
pub fn fault(model: &Model, rng: &mut impl Rng) -> String {
    let total: f64 = model.faults.iter().map(|f| f.prior).sum();
    let mut left = rng.random::<f64>() * total;
    for f in &model.faults {
        left -= f.prior;
        if left <= 0.0 {
            return off_grid(model, &f.id, rng);
        }
    }
    model.faults.last().map(|f| f.id.clone()).unwrap_or_default()
}

/// The same kind of fault with another number, where it has one that may be chosen freely.
fn off_grid(model: &Model, id: &str, rng: &mut impl Rng) -> String {
    let Some((head, number)) = id.rsplit_once(':').filter(|_| id.split(':').count() == 4) else {
        return id.to_owned();
    };
    let Ok(number) = number.parse::<f64>() else {
        return id.to_owned();
    };
    let moved = number * OFF_GRID.powf(2.0 * rng.random::<f64>() - 1.0);
    let other = format!("{head}:{moved:.4}");
    match fault::by_id(&model.circuit, &other) {
        Ok(_) => other,
        Err(_) => id.to_owned(),
    }
}
