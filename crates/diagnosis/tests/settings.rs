//! A unit that was fitted and not set up is named: by its codes, by what it holds, by the work that was done.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{MODEL, ranked, state, values};
use diagnosis::prior::{Event, Known, Recent};
use diagnosis::{Evidence, Finding, Posterior, Priors, Strength, next};
use vehicle::Item;

fn complaint() -> Evidence {
    let none = Finding::Effect { part: "M21".into(), strength: Strength::None };
    Evidence::new(state("one_touch"), none)
}

fn top(posterior: &Posterior) -> Vec<(Item, f64)> {
    let all = posterior.ranking().into_iter().take(3);
    all.map(|(k, p)| (MODEL.items[k].clone(), p)).collect()
}

#[test]
fn after_work_on_the_module_its_setup_is_suspected_first() {
    let evidence = [complaint()];
    let recent = vec![Recent { at: "A20".into(), event: Event::Work }];
    let known = Known { recent, complaint: vec!["M21".into()], ..Known::default() };
    let priors = Priors::new(&MODEL, &known);
    let posterior = Posterior::given(&MODEL, &priors, &evidence).unwrap();
    let list = top(&posterior);
    assert_eq!(list[0].0, Item::part("Z20"), "{list:?}");
    assert!(list[0].1 > 5.0 * list[1].1, "{list:?}");
    // Of another module's work nothing follows for this one.
    let recent = vec![Recent { at: "A21".into(), event: Event::Work }];
    let known = Known { recent, complaint: vec!["M21".into()], ..Known::default() };
    let posterior = Posterior::given(&MODEL, &Priors::new(&MODEL, &known), &evidence).unwrap();
    assert_ne!(top(&posterior)[0].0, Item::part("Z20"));
}

#[test]
fn what_the_module_holds_is_proposed_to_be_read_and_decides() {
    let mut evidence = vec![complaint()];
    let checks = ranked(&evidence, &state("on"), &[]);
    let reads = |r: &&next::Ranked| match &r.candidate.what {
        next::candidates::What::Values { signals } => {
            signals.iter().any(|s| *s == "window_stop_left")
        }
        _ => false,
    };
    let check = checks.iter().take(3).find(reads).expect("what it holds is worth reading");
    let next::candidates::What::Values { signals } = &check.candidate.what else { panic!() };
    let blank = circuit::fault::by_id(&MODEL.circuit, "part:Z20:blank").unwrap();
    let at = (*check.candidate.state).clone();
    let read = values(&at, &blank.changes, signals);
    evidence.extend(read.into_iter().map(|f| Evidence::new(at.clone(), f)));
    let list = top(&Posterior::new(&MODEL, &evidence).unwrap());
    assert_eq!(list[0].0, Item::part("Z20"), "{list:?}");
    assert!(list[0].1 > 0.95, "{list:?}");
}
