//! What the reasoning makes of hands, eyes, two faults at once, faults that come and go, and bad
//! readings.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::common::{Exact, MODEL, follow, state};
use circuit::{Instrument, Probe, fault};
use diagnosis::costs::Prices;
use diagnosis::evidence::Sight;
use diagnosis::gate::{self, Standing};
use diagnosis::next::candidates::What;
use diagnosis::next::{self, Ask, CannotDo, why_not};
use diagnosis::prior::{Adjusted, Event, Known, Occurs, Recent};
use diagnosis::trial::Bench;
use diagnosis::{
    Evidence, Finding, LeftOut, Posterior, Present, Priors, Strength, coverage, odd_one_out,
    shared, suspects, what_if,
};
use proptest::prelude::*;
use vehicle::OperatingState;

fn volts(state: &OperatingState, red: &str, value: f64) -> Evidence {
    let finding = Finding::Reading {
        instrument: Instrument::Volts,
        red: red.into(),
        black: "BAT.-".into(),
        value: Some(value),
    };
    Evidence::new(state.clone(), finding)
}

fn left_out(evidence: &[Evidence], p: &Posterior) -> LeftOut {
    p.left_out(&MODEL, &Priors::told(&MODEL, evidence)).clone()
}

/// With all things taken to fail nearly alike, so that what is looked at does not hide behind wear.
fn alike(evidence: &[Evidence]) -> Posterior {
    let priors = Priors::told(&MODEL, evidence).even(&MODEL);
    Posterior::given(&MODEL, &priors, evidence).unwrap()
}

fn weak_washer() -> Evidence {
    let finding = Finding::Effect { part: "M7".into(), strength: Strength::Weak };
    Evidence {
        present: Present::Yes,
        complaint: true,
        ..Evidence::new(state("rear_washer"), finding)
    }
}

/// A first scan of a vehicle with something hidden, as one moment.
fn scan(hidden: &[&str], in_state: &str) -> Vec<Evidence> {
    let mut bench = Exact::with(hidden);
    bench.set(&state(in_state));
    let in_scan = |finding| Evidence { moment: 7, ..Evidence::new(state(in_state), finding) };
    bench.scan().into_iter().map(in_scan).collect()
}

fn of(p: &Posterior, item: &str) -> f64 {
    p.items[MODEL.item(&item.parse().unwrap()).unwrap()]
}

#[test]
fn a_shared_reference_dragged_down_is_found_without_a_module_condemned() {
    let hidden = "part:B2:loads_supply:9";
    let worked = follow(&[hidden], scan(&[hidden], "on"));
    assert_eq!(worked.named, "part:B2", "{worked:#?}");
    assert!(worked.right && worked.checks <= 8, "{worked:#?}");
}

#[test]
fn symptoms_share_what_could_cause_all_of_them_and_serves_nothing_that_works() {
    let evidence = scan(&["part:B2:loads_supply:9"], "on");
    let p = Posterior::new(&MODEL, &evidence).unwrap();
    let symptoms: Vec<usize> =
        (0..evidence.len()).filter(|k| shared::is_symptom(&evidence[*k].finding)).collect();
    assert!(symptoms.len() >= 3, "three codes at least");
    let s = shared::shared(&MODEL, &evidence, &p, &symptoms).unwrap();
    let b2 = s.items.iter().find(|i| i.item == "part:B2").expect("the sensor");
    assert_eq!((b2.causes, b2.ruled_out.as_str()), (symptoms.len(), ""));
    // The reference's conductor chafed to ground does the same; the sensors' ground lost would have set a
    // code of the manifold sensor that passed.
    let of = |item: &str| s.items.iter().find(|i| i.item == item).unwrap();
    assert_eq!(of("wire:189").ruled_out, "");
    let ground = of("terminal:X10.SG1");
    assert!(ground.ruled_out.contains("ran and passed"), "{ground:?}");
    assert!(s.items.iter().any(|i| i.ruled_out.is_empty() && i.causes == symptoms.len()));
}

#[test]
fn what_was_touched_lately_is_suspected_more() {
    let evidence = [weak_washer()];
    let plain = Posterior::new(&MODEL, &evidence).unwrap();
    let recent = vec![Recent { at: "C4".into(), event: Event::Work }];
    let complaint = vec!["M7".into()];
    let known = Known { recent, complaint, ..Known::default() };
    let priors = Priors::new(&MODEL, &known);
    let after = Posterior::given(&MODEL, &priors, &evidence).unwrap();
    assert!(of(&after, "terminal:C4.7") > 1.8 * of(&plain, "terminal:C4.7"));
    assert!(of(&after, "ground:G6") < of(&plain, "ground:G6"));
    let list = suspects::suspects(&MODEL, &priors, &evidence, &after, 8).unwrap();
    let mut weights = list.iter().flat_map(|s| &s.weights);
    assert!(weights.any(|w| w.text.contains("worked on lately")), "{list:#?}");
    // The technician's own word and the shop's history do the same, and say why.
    let adjusted =
        Adjusted { item: "ground:G6".parse().unwrap(), factor: 20.0, reason: "saw rust".into() };
    let confirmed = [(vehicle::Item::part("M7"), 3)].into();
    let complaint = vec!["M7".into()];
    let known = Known { adjusted: vec![adjusted], confirmed, complaint, ..Known::default() };
    let after = Posterior::given(&MODEL, &Priors::new(&MODEL, &known), &evidence).unwrap();
    assert!(of(&after, "ground:G6") > 3.0 * of(&plain, "ground:G6"));
    assert!(of(&after, "part:M7") > 1.2 * of(&plain, "part:M7"));
}

#[test]
fn a_good_reading_refutes_a_steady_fault_and_not_one_that_comes_and_goes() {
    let on = state("rear_washer");
    let good = |present| {
        let reading = Evidence { present, ..volts(&on, "M7.1", 12.15) };
        vec![weak_washer(), reading]
    };
    let sometimes = Priors::new(&MODEL, &Known { occurs: Occurs::Sometimes, ..Known::default() });
    let sometimes = sometimes.even(&MODEL);
    let weigh = |evidence: &[Evidence]| Posterior::given(&MODEL, &sometimes, evidence).unwrap();
    let before = of(&weigh(&[weak_washer()]), "terminal:C4.7");
    let there = of(&weigh(&good(Present::Yes)), "terminal:C4.7");
    let away = of(&weigh(&good(Present::No)), "terminal:C4.7");
    let unknown = of(&weigh(&good(Present::Unknown)), "terminal:C4.7");
    assert!(there < 0.05 * before, "refuted while the symptom shows: {there} of {before}");
    assert!(away > 0.5 * before, "not while it is away: {away} of {before}");
    assert!(there < unknown && unknown < away, "{there} {unknown} {away}");
}

#[test]
fn moving_the_right_place_points_to_what_lies_there() {
    let complaint = vec!["M7".into()];
    let known = Known { occurs: Occurs::Sometimes, complaint, ..Known::default() };
    let sometimes = Priors::new(&MODEL, &known).even(&MODEL);
    let weigh = |changed| {
        let moved = Finding::Moved { at: "C4".into(), changed };
        let moved = Evidence::new(state("rear_washer"), moved);
        Posterior::given(&MODEL, &sometimes, &[weak_washer(), moved]).unwrap()
    };
    let before = Posterior::given(&MODEL, &sometimes, &[weak_washer()]).unwrap();
    let item = "terminal:C4.7";
    let (then, was) = (of(&weigh(true), item), of(&before, item));
    assert!(then > 2.0 * was, "{then} after {was}");
    assert_eq!(MODEL.items[weigh(true).ranking()[0].0], item);
    assert!(of(&weigh(false), item) < of(&before, item));
    let covered = coverage::wiggle(&MODEL, &before, "C4").unwrap();
    assert!(covered.proves.iter().any(|s| s.item == item), "{covered:#?}");
    assert!(covered.leaves.iter().any(|s| s.item == "ground:G6"), "{covered:#?}");
    assert!(coverage::wiggle(&MODEL, &before, "nowhere").is_err());
}

#[test]
fn what_is_recorded_tells_what_comes_and_goes_from_what_stays() {
    let complaint = vec!["M7".into()];
    let known = Known { occurs: Occurs::Sometimes, complaint, ..Known::default() };
    let sometimes = Priors::new(&MODEL, &known);
    let weigh = |low: Option<f64>, high| {
        let recorded = low.map(|low| {
            let (red, black) = ("M7.1".to_owned(), "BAT.-".to_owned());
            let found = Finding::Recorded { instrument: Instrument::Volts, red, black, low, high };
            // Nobody has looked whether it shows: that is what it is recorded for.
            Evidence::new(state("rear_washer"), found)
        });
        let evidence: Vec<Evidence> = [weak_washer()].into_iter().chain(recorded).collect();
        Posterior::given(&MODEL, &sometimes, &evidence).unwrap()
    };
    let (before, item) = (weigh(None, 0.0), "terminal:C4.7");
    // Full voltage, and gone for a moment: in the feed, and not in the pump or behind it.
    let gone = weigh(Some(5.9), 12.2);
    assert!(of(&gone, item) > 3.0 * of(&before, item), "{}", of(&gone, item));
    assert!(of(&gone, "part:M7") < 0.2 * of(&before, "part:M7"));
    // It stays: what feeds it is cleared but for the chance that nothing was to be seen meanwhile.
    let stays = weigh(Some(12.15), 12.2);
    let left = of(&stays, item) / of(&before, item);
    assert!(left < 0.3 && left > 0.02, "{left}");
    // A lead that slips for a moment shows nothing at all, and may not clear the pump for good.
    let slipped = weigh(Some(0.0), 12.2);
    assert!(of(&slipped, "part:M7") > of(&gone, "part:M7"));
}

#[test]
fn what_mostly_comes_and_goes_is_recorded_and_not_measured_while_it_is_away() {
    let complaint = vec!["M7".into()];
    let known = Known { occurs: Occurs::Sometimes, complaint, ..Known::default() };
    let priors = Priors::new(&MODEL, &known).even(&MODEL);
    let evidence = [weak_washer()];
    let posterior = Posterior::given(&MODEL, &priors, &evidence).unwrap();
    let kinds = |present| -> Vec<&'static str> {
        let ask = Ask {
            model: &MODEL,
            priors: &priors,
            evidence: &evidence,
            posterior: &posterior,
            present,
            now: &evidence[0].state,
            refused: &[],
            prices: &Prices::default(),
        };
        next::ranked(&ask).unwrap().iter().map(|r| r.candidate.kind()).collect()
    };
    let (away, there) = (kinds(Present::No), kinds(Present::Yes));
    assert!(away.contains(&"recorded") && !away.contains(&"volts"), "{away:?}");
    assert!(there.contains(&"volts") && !there.contains(&"recorded"), "{there:?}");
}

#[test]
fn a_customer_who_says_sometimes_speaks_for_contacts_and_against_filaments() {
    let weigh = |occurs| Priors::new(&MODEL, &Known { occurs, ..Known::default() });
    let odds = |occurs| {
        let p = Posterior::given(&MODEL, &weigh(occurs), &[]).unwrap();
        of(&p, "part:E11") / of(&p, "terminal:E11.1")
    };
    // A contact comes and goes in three of ten cases, a filament in one of a hundred; of what is steady
    // three in a hundred customers say "sometimes": (0.01 + 0.99 * 0.03) / (0.3 + 0.7 * 0.03) = 0.124.
    let fall = odds(Occurs::Sometimes) / odds(Occurs::Unknown);
    assert!((fall - 0.124).abs() < 0.002, "{fall}");
}

#[test]
fn looking_counts_for_what_can_be_seen_there() {
    let seen = |sight| {
        let look = Finding::Seen { at: "G6".into(), sight };
        Posterior::new(&MODEL, &[weak_washer(), Evidence::new(state("on"), look)]).unwrap()
    };
    let before = of(&Posterior::new(&MODEL, &[weak_washer()]).unwrap(), "ground:G6");
    assert!(of(&seen(Sight::Corrosion), "ground:G6") > 3.0 * before);
    assert!(of(&seen(Sight::Nothing), "ground:G6") < before);
}

#[test]
fn a_jumper_proves_what_it_bridges_and_is_refused_where_it_harms() {
    let p = alike(&[weak_washer()]);
    let on = state("rear_washer");
    let whole = coverage::jumper(&MODEL, &p, &on, "R30", "M7.1", "M7").unwrap();
    assert_eq!(whole.refused, Vec::<String>::new());
    let item = |list: &[coverage::Share], id: &str| list.iter().any(|s| s.item == id);
    assert!(item(&whole.proves, "terminal:C4.7"), "{whole:#?}");
    assert!(item(&whole.leaves, "ground:G6") && !item(&whole.proves, "ground:G6"), "{whole:#?}");
    assert!(item(&whole.leaves, "part:M7"), "{whole:#?}");
    // From the feed to ground: the jumper's fuse.
    let short = coverage::jumper(&MODEL, &p, &on, "R30", "G6", "M7").unwrap();
    assert!(short.refused[0].contains("fuse would blow"), "{short:#?}");
    // Twelve volts on a sensor's line.
    let signal = coverage::jumper(&MODEL, &p, &on, "R30", "X10.REF1", "M7").unwrap();

    assert!(signal.refused.iter().any(|r| r.contains("signal pin")), "{signal:#?}");
    // As evidence: with the jumper the pump runs, so the fault is bridged.
    let works = Finding::Substituted {
        jumper: Some(["R30".into(), "M7.1".into()]),
        swapped: None,
        part: "M7".into(),
        strength: Strength::Normal,
    };
    let works = Evidence { present: Present::Yes, ..Evidence::new(on, works) };
    let after = alike(&[weak_washer(), works]);
    assert!(of(&after, "ground:G6") < 0.3 * of(&p, "ground:G6"));
    assert!(of(&after, "terminal:C4.7") > of(&p, "terminal:C4.7"));
}

#[test]
fn a_known_good_part_clears_or_convicts_the_one_it_stands_in_for() {
    let there = |finding| Evidence {
        present: Present::Yes,
        ..Evidence::new(state("rear_washer"), finding)
    };
    let nothing = Finding::Effect { part: "M7".into(), strength: Strength::None };
    let complaint = there(nothing);
    let swapped = |strength| Finding::Substituted {
        jumper: None,
        swapped: Some("K9".into()),
        part: "M7".into(),
        strength,
    };
    let after = |found| of(&alike(&[complaint.clone(), found]), "part:K9");
    let before = of(&alike(std::slice::from_ref(&complaint)), "part:K9");
    let convicted = after(there(swapped(Strength::Normal)));
    assert!(convicted > 0.2 && convicted > 5.0 * before, "{before} {convicted}");
    assert!(after(there(swapped(Strength::None))) < 0.1 * before);
    // Where nobody knows whether the symptom is there, it may be gone by chance: much less is proven.
    let maybe = Evidence::new(state("rear_washer"), swapped(Strength::Normal));
    assert!(after(maybe) < convicted);
}

#[test]
fn insulation_between_neighbours_shows_what_joins_them() {
    let p = alike(&scan(&["pair:189+190:bridge:22"], "on"));
    let covered = coverage::insulation(&MODEL, &p, "189", "190").unwrap();
    assert!(covered.proves.iter().any(|s| s.item == "pair:189+190"), "{covered:#?}");
    assert!(covered.text.contains("unplugged") && covered.text.contains("battery off"));
    // Past both splices: nothing that joins them is left, and so it would tell.
    assert!(covered.refused.is_empty(), "{covered:#?}");
    let reading = covered.reading.unwrap();
    assert!(["XB1", "XB2", "XB3", "X10"].iter().all(|x| reading.state.unplugged.contains(*x)));
}

#[test]
fn two_faults_at_once_are_tried_when_one_does_not_explain_it() {
    let on = state("rear_washer");
    let hidden = ["terminal:C4.7:series:2.2", "ground:G6:series:1"];
    let mut bench = Exact::with(&hidden);
    bench.set(&on);
    let read = |bench: &mut Exact, red: &str| {
        volts(&on, red, bench.read(&Probe::volts(red, "BAT.-")).unwrap())
    };
    let points = ["C4.7:cabin", "C4.7:engine", "M7.1", "M7.2", "G6"];
    let mut evidence = vec![weak_washer()];
    evidence.extend(points.map(|red| read(&mut bench, red)));
    let p = alike(&evidence);
    let told: Vec<_> = p.ranking()[..4].iter().map(|(i, p)| (&MODEL.items[*i], *p)).collect();
    assert!(!p.pairs.is_empty(), "{told:?}");
    let best = p.pairs[0];
    let mut names = [best.a, best.b].map(|h| MODEL.faults[h].repair_item.clone());
    names.sort_by_key(ToString::to_string);
    assert_eq!(names, ["ground:G6", "terminal:C4.7"], "{:?}", p.ranking()[..4].to_vec());
    let both = (of(&p, "ground:G6"), of(&p, "terminal:C4.7"));
    // The battery's own ground could raise G6 as well: these readings do not rule it out.
    // Nor do they rule out what nobody drew: two more readings nobody expected are no proof of what did it.
    assert!(both.0 > 0.15 && both.1 > 0.2, "{both:?} {:?}", p.pairs.len());
    let list =
        suspects::suspects(&MODEL, &Priors::told(&MODEL, &evidence), &evidence, &p, 3).unwrap();
    let both = list.iter().filter(|s| names.contains(&s.repair_item));
    let told: Vec<bool> = both.map(|s| !s.together_with.is_empty()).collect();
    assert_eq!(told, [true; 2], "{list:#?}");
}

#[test]
fn what_no_fault_predicts_makes_what_nobody_drew_likelier_and_healthy_readings_do_not_refute_it() {
    let on = state("rear_washer");
    let mut bench = Exact::with(&["terminal:C4.7:series:2.2"]);
    bench.set(&on);
    let mut evidence = vec![weak_washer()];
    for red in ["C4.7:cabin", "C4.7:engine", "M7.1", "M7.2"] {
        evidence.push(volts(&on, red, bench.read(&Probe::volts(red, "BAT.-")).unwrap()));
    }
    let explained = of(&alike(&evidence), "elsewhere");
    assert!(explained < 0.05, "{explained}");
    // A live line where the pump is grounded, and nothing between it and the ground point.
    evidence.extend([volts(&on, "G6", 9.0), volts(&on, "M7.2", 0.02), volts(&on, "K9.87", 5.0)]);
    let odd = of(&alike(&evidence), "elsewhere");
    assert!(odd > 5.0 * explained && odd > 0.2, "{explained} {odd}");
    // What is sound elsewhere in the van says little about it.
    let park = state("low_beam");
    for part in ["E13", "E14", "E21"] {
        let finding = Finding::Effect { part: part.into(), strength: Strength::Normal };
        evidence.push(Evidence::new(park.clone(), finding));
    }
    let after = of(&alike(&evidence), "elsewhere");
    assert!(after > 0.5 * odd, "{odd} {after}");
}

#[test]
fn the_reading_that_does_not_fit_is_named() {
    let on = state("rear_washer");
    let mut evidence = vec![
        weak_washer(),
        volts(&on, "C4.7:cabin", 12.2),
        volts(&on, "C4.7:engine", 7.3),
        volts(&on, "M7.1", 7.2),
        volts(&on, "M7.2", 0.05),
    ];
    let clean = Posterior::new(&MODEL, &evidence).unwrap();
    assert_eq!(odd_one_out(&MODEL, &evidence, &clean, &left_out(&evidence, &clean)), None);
    // A probe that slipped: the relay's output at ground with the pump running.
    evidence.push(volts(&on, "K9.87", 3.1));
    let p = Posterior::new(&MODEL, &evidence).unwrap();
    let odd = odd_one_out(&MODEL, &evidence, &p, &left_out(&evidence, &p)).expect("an odd one");
    assert_eq!(odd.evidence, 5, "{odd:?}");
    assert_eq!(odd.item, "terminal:C4.7", "{odd:?}");
}

fn gate_of(evidence: &[Evidence], module: &str) -> Option<gate::Gate> {
    let posterior = Posterior::new(&MODEL, evidence).unwrap();
    gate::gate(&MODEL, evidence, &posterior, module).unwrap()
}

#[test]
fn a_module_is_named_only_after_its_supplies_grounds_and_bus() {
    let on = state("on");
    let silent = Finding::Answer { module: "A3".into(), answers: false };
    let mut evidence = vec![Evidence::new(on.clone(), silent)];
    let first = gate_of(&evidence, "A3").unwrap();
    assert_eq!(first.open, first.points.len());
    let texts: Vec<&str> = first.points.iter().map(|p| p.text.as_str()).collect();
    assert!(texts.iter().any(|t| t.contains("supply at pin 30, under load")), "{texts:?}");
    assert!(texts.iter().any(|t| t.contains("ground at pin 31, under load")), "{texts:?}");
    assert!(texts.iter().any(|t| t.contains("high at its own pin")), "{texts:?}");
    // Every point offers a check; done on a sound vehicle, each one is proven by it.
    for p in &first.points {
        let finding = match p.check().what {
            What::Reading(probe) => Finding::Reading {
                instrument: probe.instrument,
                value: Some(MODEL.circuit.measure(&p.state, &[], &probe).unwrap().value()),
                red: probe.red,
                black: probe.black,
            },
            What::Look { at } => Finding::Seen { at, sight: Sight::Nothing },
            other => panic!("{other:?}"),
        };
        evidence.push(Evidence::new(p.state.clone(), finding));
    }
    let proven = gate_of(&evidence, "A3").unwrap();
    assert_eq!(proven.open, 0, "{proven:#?}");
    // Off the load a good voltage proves nothing, and a bad one clears the module.
    let x330 = &first.points.iter().find(|p| p.text.contains("pin 30")).unwrap().red;
    let standing = |e: Evidence| {
        let g = gate_of(&[e], "A3").unwrap();
        g.points.iter().find(|p| p.red == *x330).unwrap().standing
    };
    // A spread contact shows on no harness side: it has a point of its own.
    let contact = first.points.iter().find(|p| p.quantity == "seen" && p.red == *x330).unwrap();
    evidence.push(Evidence::new(
        on.clone(),
        Finding::Seen { at: contact.red.clone(), sight: Sight::Loose },
    ));
    assert_eq!(gate_of(&evidence, "A3").unwrap().open, 1);
    assert_eq!(standing(volts(&on, x330, 6.0)), Standing::Failed);
    assert_eq!(standing(volts(&OperatingState::default(), x330, 12.6)), Standing::Open);
    assert!(gate_of(&[], "M7").is_none());
}

#[test]
fn one_may_ask_what_one_would_read_and_why_not_there() {
    let evidence = [weak_washer()];
    let p = Posterior::new(&MODEL, &evidence).unwrap();
    let list =
        suspects::suspects(&MODEL, &Priors::told(&MODEL, &evidence), &evidence, &p, 3).unwrap();
    let on = state("rear_washer");
    let probe = Probe::volts("M7.1", "BAT.-");
    let also = Some("wire:62:open");
    let ifs = what_if::what_if(&MODEL, &on, &probe, &list, also).unwrap();
    let open = ifs.last().unwrap();
    assert_eq!(open.item, Some(vehicle::Item::wire("62")));
    assert!(!ifs[0].differs && open.differs && open.reads.starts_with('0'), "{ifs:#?}");
    let suspected =
        |item: &Option<vehicle::Item>| list.iter().any(|s| Some(&s.repair_item) == item.as_ref());
    assert!(ifs.iter().any(|i| suspected(&i.item) && i.differs), "{ifs:#?}");
    let ask = Ask {
        model: &MODEL,
        priors: &Priors::told(&MODEL, &evidence),
        evidence: &evidence,
        posterior: &p,
        present: Present::Yes,
        now: &on,
        refused: &[],
        prices: &Prices::default(),
    };
    // Unplugged, nothing draws current: the trap is named and a better check offered.
    let open = why_not::worth(&ask, &on.without("M7"), &probe).unwrap();
    assert!(open.traps.iter().any(|t| t.contains("Nothing draws current")), "{open:#?}");
    let better = open.better.expect("a better check");
    assert!(better.information_bits / better.minutes > open.bits / open.minutes);
    // Live ohms, a lamp on a module's output, ten megohms on a floating line.
    let ohms = Probe { instrument: Instrument::Ohms, red: "M7.1".into(), black: "M7.2".into() };
    let live = why_not::worth(&ask, &on, &ohms).unwrap();
    assert!(live.traps.iter().any(|t| t.contains("circuit is live")), "{live:#?}");
    let lamp = Probe { instrument: Instrument::Lamp21, red: "XB1.1".into(), black: "BAT.-".into() };
    let heavy = why_not::worth(&ask, &state("on"), &lamp).unwrap();
    assert!(heavy.traps.iter().any(|t| t.contains("false fault")), "{heavy:#?}");
    assert!(why_not::worth(&ask, &on, &Probe::volts("C4.99", "BAT.-")).is_err());
    // Every proposed check is worth at least as much per minute as those after it, up to a tie.
    let checks = next::checks(&ask, 5).unwrap().checks;
    let rates: Vec<f64> = checks.iter().map(|c| c.information_bits / c.minutes).collect();
    assert!(rates.windows(2).all(|w| w[1] <= w[0] / 0.8), "{rates:?}");
    assert!(checks.iter().all(|c| !c.outcomes.is_empty() && !c.setup.is_empty()));
}

#[test]
fn a_refused_check_gives_way_to_the_next_best() {
    let evidence = [weak_washer()];
    let p = Posterior::new(&MODEL, &evidence).unwrap();
    let on = state("rear_washer");
    let ask = |refused: &[CannotDo]| {
        let ask = Ask {
            model: &MODEL,
            priors: &Priors::told(&MODEL, &evidence),
            evidence: &evidence,
            posterior: &p,
            present: Present::Yes,
            now: &on,
            refused,
            prices: &Prices::default(),
        };
        next::checks(&ask, 2).unwrap().checks
    };
    let first = ask(&[]);
    let without = ask(&[CannotDo::from(first[0].id.clone())]);
    assert!(without.iter().all(|c| c.id != first[0].id));
    let no_clamp = ask(&[CannotDo::from("amps *".to_owned())]);
    assert!(no_clamp.iter().all(|c| c.quantity != "amps"));
}

#[test]
fn live_values_and_buses_are_evidence_too() {
    // The body module's own reading of its supply, through a burnt fuse.
    let low = Finding::Signal { signal: "body_supply".into(), value: 9.0 };
    let p = Posterior::new(&MODEL, &[Evidence::new(state("on"), low)]).unwrap();
    // Whatever leads moves that very signal, and the clean reading of it refutes it again.
    let leading = p.ranking()[..3].to_vec();
    let high = Finding::Signal { signal: "body_supply".into(), value: 12.0 };
    let after = Posterior::new(&MODEL, &[Evidence::new(state("on"), high)]).unwrap();
    for (item, probability) in leading.into_iter().filter(|(i, _)| MODEL.items[*i] != "elsewhere") {
        assert!(after.items[item] < 0.5 * probability, "{}", MODEL.items[item]);
    }
    // A body line held at half its dominant level speaks for that bus.
    let bus = &MODEL.circuit.vehicle.buses.iter().find(|b| b.id == "body").unwrap().id;
    let high = |value| Finding::Level {
        bus: bus.clone(),
        red: "X3.H".into(),
        black: "BAT.-".into(),
        dominant: false,
        sender: None,
        value,
    };
    let sound = Posterior::new(&MODEL, &[Evidence::new(state("on"), high(2.5))]).unwrap();
    let short = Posterior::new(&MODEL, &[Evidence::new(state("on"), high(0.02))]).unwrap();
    let on_bus = |p: &Posterior| of(p, "wire:347");
    assert!(on_bus(&short) > 5.0 * on_bus(&sound), "{} {}", on_bus(&short), on_bus(&sound));
    // No frames of the rear module at the gateway: its feeds, its lines, itself.
    let gone =
        Finding::Heard { bus: bus.clone(), from: "A3".into(), at: "A2".into(), heard: false };
    let p = alike(&[Evidence::new(state("on"), gone)]);
    assert!(of(&p, "wire:347") + of(&p, "part:A3") + of(&p, "wire:21") > 0.02);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(10))]
    /// True evidence never speaks against the true item beyond what noise can do: a reading of the
    /// hidden fault itself, taken anywhere on the washer's circuit, off by half a meter's tolerance.
    #[test]
    fn true_evidence_does_not_lower_the_truth(
        which in 0..4usize,
        point in prop::sample::select(vec!["K9.87", "C4.7:cabin", "C4.7:engine", "M7.1", "M7.2", "G6", "F23.2"]),
        noise in -0.5..0.5f64,
    ) {
        let hidden = ["terminal:C4.7:series:2.2", "wire:62:series:4.7", "ground:G6:series:2.2", "part:K9:contact_series:4.7"][which];
        let f = fault::by_id(&MODEL.circuit, hidden).unwrap();
        let on = state("rear_washer");
        let mut bench = Exact::with(&[hidden]);
        bench.set(&on);
        let value = bench.read(&Probe::volts(point, "BAT.-")).unwrap();
        let read = volts(&on, point, value + noise * Instrument::Volts.sigma(value));
        let before = Posterior::new(&MODEL, &[weak_washer()]).unwrap();
        let after = Posterior::new(&MODEL, &[weak_washer(), read]).unwrap();
        prop_assert!(of(&after, &f.repair_item.to_string()) > 0.85 * of(&before, &f.repair_item.to_string()));
    }
}

#[test]
fn a_suspect_is_proven_when_it_stands_without_any_one_finding() {
    let across = |in_state: &str| {
        Evidence::new(
            state(in_state),
            Finding::Reading {
                instrument: Instrument::Volts,
                red: "C4.7:cabin".into(),
                black: "C4.7:engine".into(),
                value: Some(4.78),
            },
        )
    };
    let mut evidence = vec![weak_washer(), across("rear_wash_stalk")];
    let top = MODEL.item(&"terminal:C4.7".parse().unwrap()).unwrap();
    let p = Posterior::new(&MODEL, &evidence).unwrap();
    let without = left_out(&evidence, &p);
    let (_, stands) = without.weakest(top).unwrap();
    assert!(p.items[top] > 0.3, "{}", p.items[top]);
    assert!(stands < 0.8 && !without.proves(top), "{stands}");
    // Put in doubt it is as likely as not, and what the doubted finding tells it from is the rest.
    let doubted = without.challenged(&MODEL, &p, top);
    let own: f64 = MODEL.variants(top).iter().map(|h| doubted.hypotheses[*h]).sum();
    assert!((own - 0.5).abs() < 1e-6, "{own}");
    // The same drop in another state is another reading.
    evidence.push(across("rear_washer"));
    evidence.push(volts(&state("rear_washer"), "C4.7:engine", 7.45));
    let p = Posterior::new(&MODEL, &evidence).unwrap();
    assert!(left_out(&evidence, &p).proves(top), "{:?}", left_out(&evidence, &p).weakest(top));
}
