//! For who goes on with the vehicle: everything, doubts and overrides too.

use super::{Read, clock, mended, or_nothing, percent, pictures};
use crate::view::{Row, View};
use diagnosis::verdict::Verdict;
use maud::{Markup, html};

pub(super) fn body(view: &View, read: Read<'_>) -> Markup {
    html! {
        (complaint(view))
        (repair(view))
        (suspects(view))
        (proofs(view))
        (codes(view))
        (modules(view))
        h2 { "Everything that was done" }
        div class="wide" {
            table {
                thead { tr { @for head in ["", "When", "What", "Said", "Expected"] { th { (head) } } } }
                tbody { @for row in &view.ledger { (entry(row)) } }
            }
        }
        (pictures::section(view, |_| true, read))
    }
}

fn complaint(view: &View) -> Markup {
    let i = &view.intake;
    let effect = i.effect.map(|e| format!("{e:?}").to_lowercase());
    html! {
        h2 { "Complaint" }
        p { (i.complaint) @if !i.conditions.is_empty() { ". " (i.conditions) } }
        dl {
            @if !i.lamps.is_empty() { dt { "Lamps" } dd { (i.lamps) } }
            @if !i.output.is_empty() {
                dt { "About" } dd { (i.output) @if let Some(e) = effect { ", its effect: " (e) } }
            }
            @if !i.recent.is_empty() {
                dt { "Lately" }
                dd { @for (k, r) in i.recent.iter().enumerate() {
                    @if k > 0 { ", " } (r.at) ": " (format!("{:?}", r.event).to_lowercase())
                } }
            }
            @if !i.not_fitted.is_empty() {
                dt { "Not fitted" }
                dd { (i.not_fitted.iter().cloned().collect::<Vec<_>>().join(", ")) }
            }
        }
    }
}

fn repair(view: &View) -> Markup {
    let Some((row, repair)) = mended(view).zip(view.repair.as_ref()) else { return html! {} };
    html! {
        h2 { "Found and repaired" }
        p { strong { (row.title.trim_start_matches("Repaired: ")) } ". " (repair.text) }
        p {
            "Probability before the repair " (percent(repair.probability)) ", "
            (if repair.proven { "proven: it holds without any one finding." } else { "not proven." })
        }
    }
}

fn suspects(view: &View) -> Markup {
    let a = &view.assessment;
    html! {
        h2 { "Suspects as the ledger stands" }
        @if a.suspects.is_empty() {
            p { (match view.repair {
                Some(_) => "By what was found since the repair, nothing.",
                None => "Nothing is suspected.",
            }) }
        }
        @for s in &a.suspects {
            p { strong { (s.text) } ", " (percent(s.probability)) @if !s.variant.is_empty() { ": " (s.variant) } }
            ul {
                @for r in &s.reasons_for { li { "for: " (r.text) } }
                @for r in &s.against { li { "against: " (r.text) } }
            }
        }
        @if a.unexplained { p { "No single fault of the vehicle file explains all that was found." } }
    }
}

fn proofs(view: &View) -> Markup {
    let each = view.proofs.iter().map(|p| {
        let stands = match (p.done, p.failed) {
            (true, _) => "shown",
            (_, true) => "still wrong",
            _ => "open",
        };
        html! { (p.text) ": " (stands) @if !p.result.is_empty() { ", " (p.result) } }
    });
    let each: Vec<Markup> = each.collect();
    html! {
        @if view.repair.is_some() { h2 { "Proof" } (or_nothing(&each, "Nothing had to be shown.")) }
    }
}

fn codes(view: &View) -> Markup {
    html! {
        @if !view.compared.is_empty() {
            h2 { "Codes, first scan and last" }
            ul { @for c in &view.compared { li { (c.module) " " (c.code) ": " (c.fate) } } }
        }
        @if !view.watched.is_empty() {
            h2 { "Cleared, and what must run before their absence says anything" }
            ul { @for w in &view.watched { li {
                (w.module) " " (w.code) ", " (w.text) ": " (w.runs_when)
            } } }
        }
    }
}

fn modules(view: &View) -> Markup {
    let Some(read) = &view.identification else { return html! {} };
    html! {
        h2 { "Modules" }
        div class="wide" { table {
            thead { tr { @for head in ["Module", "Part", "Hardware", "Software", "Configuration", "Otherwise than first"] {
                th { (head) }
            } } }
            tbody { @for m in &read.modules { tr {
                td { (m.name) @if !m.identity.answered { " (silent)" } @if m.foreign { " (of another vehicle)" } }
                td { (m.identity.part) } td { (m.identity.hardware) } td { (m.identity.software) }
                td { (m.identity.configuration) } td { (m.changed) }
            } } }
        } }
    }
}

fn entry(row: &Row) -> Markup {
    let verdict = row.judged.as_ref().map(|j| match j.verdict {
        Verdict::Good => "good",
        Verdict::Bad => "not as it should be",
        Verdict::CannotTell => "cannot tell",
    });
    html! {
        tr {
            td { (row.number) } td { (clock(&row.at)) }
            td class=[row.doubted.then_some("out")] { (row.title) }
            td class=[row.doubted.then_some("out")] { (row.detail) }
            td {
                @if let Some((j, verdict)) = row.judged.as_ref().zip(verdict) { (j.expected) ": " (verdict) }
                @if row.doubted { " doubted" }
            }
        }
    }
}
