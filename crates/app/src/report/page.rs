//! What both faces share: the sheet, the vehicle, and whether it is signed.

use super::clock;
use crate::view::View;
use maud::{DOCTYPE, Markup, PreEscaped, html};

/// The whole look, so that nothing is fetched.
const STYLE: &str = "\
.report{max-width:48rem;margin:0 auto;padding:1.5rem;font-size:16px;line-height:1.4}\
.report h1{font-size:1.5rem;font-weight:700;margin:0}\
.report h2{font-size:1.1rem;font-weight:700;margin:1.4rem 0 .3rem;border-bottom:1px solid currentColor}\
.report p{margin:.3rem 0}\
.report ul{margin:.3rem 0;padding-left:1.2rem;list-style:square}\
.report li{margin:.2rem 0}\
.report dl{display:grid;grid-template-columns:9rem 1fr;gap:.15rem .5rem;margin:.7rem 0}\
.report dd{margin:0}\
.report table{border-collapse:collapse;width:100%;font-size:14px}\
.report th,.report td{text-align:left;vertical-align:top;padding:.2rem .6rem .2rem 0;border-bottom:1px solid currentColor}\
.report .draft{border:2px solid currentColor;padding:.3rem .6rem;margin:.7rem 0}\
.report .out{text-decoration:line-through}\
.report .wide{overflow-x:auto}\
.report figure{margin:.8rem 0;break-inside:avoid}\
.report img{max-width:100%;max-height:60vh}\
.report figcaption{font-size:14px}\
@media print{.report{padding:0}.report tr,.report li{break-inside:avoid}}";

/// The look of the page where it stands alone.
const ALONE: &str = "body{margin:0;font-family:system-ui,sans-serif;color:#111;background:#fff}";

pub(super) fn whole(view: &View, body: &Markup) -> Markup {
    html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta name="viewport" content="width=device-width, initial-scale=1";
                title { "Job " (view.id) " · " (view.vehicle) }
                style { (PreEscaped(ALONE)) }
            }
            body {
                div class="report" {
                    style { (PreEscaped(STYLE)) }
                    (head(view))
                    (body)
                }
            }
        }
    }
}

/// Why it was signed off although something was not proven, and what; none where everything was.
fn signed_with(view: &View) -> Option<&str> {
    let last = view.ledger.iter().rfind(|r| r.kind == "signed_off")?;
    Some(last.detail.as_str()).filter(|d| !d.is_empty())
}

fn head(view: &View) -> Markup {
    let i = &view.intake;
    html! {
        h1 { "Job " (view.id) @if !i.reference.is_empty() { " · " (i.reference) } }
        dl {
            dt { "Vehicle" } dd { (view.vehicle) }
            dt { "VIN" } dd { (if i.vin.is_empty() { "not taken" } else { &i.vin }) }
            @if i.odometer_km > 0 { dt { "Odometer" } dd { (i.odometer_km) " km" } }
            dt { "Opened" } dd { (clock(&view.opened_at)) }
        }
        @if !view.signed_off {
            p class="draft" { "Not signed off: this is how the job stands, not how it ended." }
        } @else if let Some(said) = signed_with(view) {
            p class="draft" { "Signed off all the same: " (said) }
        }
        @if !view.trouble.is_empty() { p class="draft" { (view.trouble) } }
    }
}
