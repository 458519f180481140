//! For who pays: what was wrong, how that was shown, what was done, what it proves and what it does not.

use super::{Read, mended, or_nothing, percent, pictures};
use crate::view::{Row, View};
use diagnosis::evidence::{Sight, Strength};
use diagnosis::verdict::Verdict;
use diagnosis::words;
use maud::{Markup, html};

/// Findings that are told of: the reader wants the case, not the ledger.
const MOST: usize = 8;
/// Suspects worth naming while nothing is repaired.
const NAMED: f64 = 0.05;

pub(super) fn body(view: &View, read: Read<'_>) -> Markup {
    let i = &view.intake;
    let shown: Vec<Markup> = findings(view).take(MOST).map(finding).collect();
    let done: Vec<Markup> = done(view).map(|r| html! { (r.title) (after(&r.detail)) }).collect();
    let (proven, open): (Vec<_>, Vec<_>) = view.proofs.iter().partition(|p| p.done);
    let proven: Vec<Markup> = proven.iter().map(|p| html! { (p.text) ": " (p.result) }).collect();
    html! {
        h2 { "What you told us" }
        p { (i.complaint) @if !i.conditions.is_empty() { ". " (i.conditions) } }
        @if !i.lamps.is_empty() { p { "Lamps and messages: " (i.lamps) } }
        h2 { "What was wrong" }
        (cause(view))
        h2 { "How it was shown" }
        (or_nothing(&shown, "Nothing was found yet that a sound vehicle would not show."))
        h2 { "What was done" }
        (or_nothing(&done, "Nothing was changed yet."))
        h2 { "What was shown afterwards" }
        (or_nothing(&proven, "Nothing yet."))
        (advice(view, &open))
        (pictures::section(view, |r| !r.doubted, read))
    }
}

fn cause(view: &View) -> Markup {
    let Some((row, repair)) = mended(view).zip(view.repair.as_ref()) else {
        let likely = view.assessment.suspects.iter().filter(|s| s.probability >= NAMED).take(3);
        let named: Vec<Markup> =
            likely.map(|s| html! { (s.text) ", " (percent(s.probability)) }).collect();
        return html! {
            p { "The cause is not settled yet. Suspected so far:" }
            (or_nothing(&named, "nothing in particular."))
        };
    };
    html! {
        p { strong { (row.title.trim_start_matches("Repaired: ")) } }
        p {
            @if repair.proven {
                "Shown beyond doubt: it would still hold if any one of the findings were wrong."
            } @else {
                "The likeliest cause by what was found, at " (percent(repair.probability))
                ". It was not shown beyond doubt."
            }
        }
        @for row in view.ledger.iter().filter(|r| r.kind == "overridden") {
            p { (row.title) ": " (row.detail) }
        }
    }
}

/// What was found before the repair that a sound vehicle would not show, and that is still believed.
fn findings(view: &View) -> impl Iterator<Item = &Row> {
    let upto = view.repair.as_ref().map_or(u64::MAX, |r| r.number);
    let tells = |r: &&Row| {
        let is_wrong = r.judged.as_ref().is_some_and(|j| j.verdict == Verdict::Bad);
        // What was seen, tried or moved counts where it showed anything.
        let nothing =
            [words::strength(Strength::Normal), words::sight(Sight::Nothing), "no change"];
        let tried = matches!(&r.kind[..], "seen" | "moved" | "substituted" | "effect");
        is_wrong || tried && !nothing.contains(&&r.detail[..])
    };
    view.ledger.iter().filter(move |r| r.number < upto && !r.doubted).filter(tells)
}

fn finding(row: &Row) -> Markup {
    html! {
        (row.title) ": " (row.detail)
        @if let Some(j) = &row.judged { "; a sound vehicle shows " (j.expected) }
    }
}

/// What was agreed on, and what changed the vehicle.
fn done(view: &View) -> impl Iterator<Item = &Row> {
    let changes = ["decided", "repaired", "written", "taught", "cleared"];
    view.ledger.iter().filter(move |r| changes.contains(&&r.kind[..]))
}

fn after(detail: &str) -> Markup {
    html! { @if !detail.is_empty() { ": " (detail) } }
}

/// What nobody showed, what codes are left, and what may come.
fn advice(view: &View, open: &[&crate::view::Proof]) -> Markup {
    let left = view.compared.iter().filter(|c| !c.is_over());
    let left: Vec<Markup> = left.map(|c| html! { (c.module) " " (c.code) ": " (c.fate) }).collect();
    let unproven = open.iter().map(|p| html! { (p.text) ": " (p.left()) });
    let waiting = view.watched.iter().map(
        |w| html! { (w.text) " (" (w.code) ") has not been looked for since: " (w.runs_when) },
    );
    let unproven: Vec<Markup> = unproven.chain(waiting).collect();
    html! {
        @if view.repair.is_some() {
            h2 { "What was not shown" }
            (or_nothing(&unproven, "Everything that was found wrong was looked at again."))
        }
        @if !left.is_empty() {
            h2 { "Still advised" }
            p { "Codes that are still there after the work:" }
            (or_nothing(&left, ""))
        }
    }
}
