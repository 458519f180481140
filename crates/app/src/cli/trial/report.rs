//! What a trial prints.

use super::super::core::{print as print_json, say};
use super::{Line, Tallies};
use diagnosis::trial::tally::BANDS;
use serde_json::json;

/// The tables, or everything as JSON.
pub(super) fn print(as_json: bool, seed: u64, tallies: &Tallies, lines: &[Line]) {
    if as_json {
        let figures: Vec<_> = tallies
            .iter()
            .map(|((kind, strategy), t)| {
                json!({
                    "kind": kind, "strategy": strategy, "counts": t,
                    "accuracy": t.accuracy(), "accuracy_when_proven": t.accuracy_when_proven(),
                    "good_module_condemned": t.condemned(),
                    "mean_checks": t.mean_checks(), "mean_minutes": t.mean_minutes(),
                    "mean_cost": t.mean_cost(),
                })
            })
            .collect();
        print_json(&json!({"seed": seed, "figures": figures, "jobs": lines}));
        return;
    }
    say(
        "| jobs | strategy | n | right (95 % interval) | proven | right when proven | good module | checks | minutes | worst tenth | under 0.1 bit | log loss | cost | fitted |",
    );
    say("|---|---|---|---|---|---|---|---|---|---|---|---|---|---|");
    for ((kind, strategy), t) in tallies {
        let (low, high) = t.interval();
        say(&format!(
            "| {kind} | {} | {} | {:.1} % ({:.1} to {:.1}) | {} | {:.1} % | {:.1} % | {:.1} | {:.1} | {:.0} | {:.1} % | {:.2} | {:.0} | {} |",
            strategy.text(),
            t.jobs,
            100.0 * t.accuracy(),
            100.0 * low,
            100.0 * high,
            t.proven,
            100.0 * t.accuracy_when_proven(),
            100.0 * t.condemned(),
            t.mean_checks(),
            t.mean_minutes(),
            t.worst_tenth(),
            100.0 * t.idle(),
            t.log_loss(),
            t.mean_cost(),
            t.fitted,
        ));
    }
    for ((kind, strategy), t) in tallies {
        if t.both > 0 {
            let share = 100.0 * t.both as f64 / t.jobs as f64;
            say(&format!("{kind}, {}: both found in {} ({share:.1} %)", strategy.text(), t.both));
        }
        if t.touched > 0 {
            let n = t.touched;
            say(&format!("{kind}, {}: named what it touches in {n}", strategy.text()));
        }
    }
    say(
        "\n| jobs | strategy | claimed | jobs | of them right, with its 95 % interval | mean log loss |\n|---|---|---|---|---|---|",
    );
    for ((kind, strategy), t) in tallies {
        for (band, of) in BANDS.iter().zip(&t.bands).filter(|(_, of)| of.jobs > 0) {
            let (low, high) = of.interval();
            say(&format!(
                "| {kind} | {} | {} | {} | {:.1} % ({:.1} to {:.1}) | {:.2} |",
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
    for ((kind, strategy), t) in tallies {
        for (check, of) in &t.by_check {
            say(&format!(
                "| {kind} | {} | {check} | {} | {:.1} | {:.2} | {:.0} % |",
                strategy.text(),
                of.times,
                of.promised,
                of.gained / of.promised,
                100.0 * of.idle as f64 / of.times as f64,
            ));
        }
    }
}

/// A job that was not right, with all that was done.
pub(super) fn tell(line: &Line) {
    let w = &line.worked;
    say(&format!(
        "WRONG {} {} {} seed {}: hidden {}, named {} ({:.0} %, then {}), {:?} after {} checks",
        line.vehicle,
        line.kind,
        line.strategy.text(),
        line.seed,
        line.hidden,
        w.named,
        100.0 * w.probability,
        w.second,
        w.ending,
        w.checks
    ));
    for told in &line.told {
        say(&format!("    told: {told}"));
    }
    for step in &w.log {
        say(&format!("    {step}"));
    }
}
