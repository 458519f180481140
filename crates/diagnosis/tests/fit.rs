//! A part fitted as a check: when it is offered, and when not.
#![allow(missing_docs, clippy::unwrap_used)]

use crate::common::{MODEL, state};
use diagnosis::costs::Prices;
use diagnosis::next::{self, Ask, CannotDo, Moves};
use diagnosis::prior::{Known, Occurs, told_of};
use diagnosis::{Evidence, Finding, Posterior, Present, Priors, Strength};

fn lost(in_state: &str, part: &str) -> Evidence {
    let finding = Finding::Effect { part: part.into(), strength: Strength::None };
    Evidence { complaint: true, present: Present::Yes, ..Evidence::new(state(in_state), finding) }
}

fn moves(evidence: &[Evidence], occurs: Occurs, prices: &Prices, refused: &[CannotDo]) -> Moves {
    let known = Known { occurs, complaint: told_of(evidence), ..Known::default() };
    let priors = Priors::new(&MODEL, &known);
    let posterior = Posterior::given(&MODEL, &priors, evidence).unwrap();
    let ask = Ask {
        model: &MODEL,
        priors: &priors,
        evidence,
        posterior: &posterior,
        present: Present::Yes,
        now: &evidence[0].state,
        refused,
        prices,
    };
    next::checks(&ask, 3).unwrap()
}

fn beam() -> Evidence {
    let mut on = state("on");
    on.outputs.insert("low_beam_left".into());
    let finding = Finding::Effect { part: "E11".into(), strength: Strength::None };
    Evidence { complaint: true, present: Present::Yes, ..Evidence::new(on, finding) }
}

#[test]
fn a_lamp_is_fitted_rather_than_measured_and_its_cost_adds_up() {
    let prices = Prices::default();
    let fit = moves(&[beam()], Occurs::Always, &prices, &[]).fit.unwrap();
    assert_eq!(fit.part, "E11");
    assert!(fit.is_cheaper() && fit.probability > 0.9, "{fit:?}");
    // Work and the lamp, and what is left to do in the few cases in which it was not that.
    let own = prices.labour(fit.minutes) + fit.price;
    assert!(fit.cost >= own && fit.cost < own + 10.0, "{fit:?}");
}

#[test]
fn a_dear_hour_speaks_for_fitting_and_a_dear_part_against_it() {
    let at = |labour_per_hour, lamp| {
        let kinds = [(vehicle::PartKind::Lamp, lamp)].into();
        let prices = Prices { labour_per_hour, kinds, ..Prices::default() };
        moves(&[beam()], Occurs::Always, &prices, &[]).fit
    };
    let gain = |fit: &next::Fit| fit.check_cost - fit.cost;
    let (cheap, dear) = (at(40.0, 6.0).unwrap(), at(200.0, 6.0).unwrap());
    assert!(gain(&dear) > gain(&cheap), "{cheap:?} {dear:?}");
    // Above an hour of work a part is condemned only when it is proven.
    assert!(at(90.0, 95.0).is_none());
}

#[test]
fn what_comes_and_goes_is_not_hidden_under_a_new_part() {
    let washer = lost("rear_washer", "M7");
    let always = moves(std::slice::from_ref(&washer), Occurs::Always, &Prices::default(), &[]);
    let sometimes = moves(&[washer], Occurs::Sometimes, &Prices::default(), &[]);
    assert!(sometimes.fit.is_none(), "{:?}", sometimes.fit);
    assert!(always.checks.iter().all(|c| c.cost > 0.0));
}

#[test]
fn what_is_not_at_hand_is_not_offered_again_and_a_module_never_is() {
    let refused = [CannotDo::Fit("E11".to_owned())];
    assert!(moves(&[beam()], Occurs::Always, &Prices::default(), &refused).fit.is_none());
    let finding = Finding::Answer { module: "A28".into(), answers: false };
    let silent = Evidence { present: Present::Yes, ..Evidence::new(state("on"), finding) };
    let fit = moves(&[silent], Occurs::Always, &Prices::default(), &[]).fit;
    let of_module = |f: &next::Fit| {
        MODEL.circuit.part(&f.part).is_some_and(|p| MODEL.circuit.vehicle.parts[p].module.is_some())
    };
    assert!(!fit.as_ref().is_some_and(of_module), "{fit:?}");
}
