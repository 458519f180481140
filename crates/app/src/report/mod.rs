//! A job to hand over: one page in two faces, without any reference outside itself, and its ledger as a table.
//! It tells what the view shows, and claims nothing more.

mod customer;
mod page;
mod pictures;
mod table;
mod technician;

pub use pictures::Read;
pub use table::rows;

use crate::view::{Row, View};
use maud::Markup;
use serde::Deserialize;
use utoipa::ToSchema;

/// Whom a report is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Whom {
    /// Who pays: the customer, or an insurer.
    Customer,
    /// Who goes on with the vehicle.
    Technician,
}

/// The report as an HTML document, its pictures within it.
pub fn html(view: &View, whom: Whom, read: Read<'_>) -> String {
    let body = match whom {
        Whom::Customer => customer::body(view, read),
        Whom::Technician => technician::body(view, read),
    };
    page::whole(view, &body).into_string()
}

/// Date and time of an RFC 3339 time, to the minute, with its zone.
fn clock(at: &str) -> String {
    let zone = if at.ends_with('Z') {
        " UTC"
    } else {
        at.get(at.len().saturating_sub(6)..).unwrap_or_default()
    };
    format!("{}{zone}", at.get(..16).unwrap_or(at).replace('T', " "))
}

/// A probability in words that claim no more than it does.
fn percent(p: f64) -> String {
    match p {
        p if p > 0.999 => "over 99.9 %".to_owned(),
        p if p < 0.001 => "under 0.1 %".to_owned(),
        p => format!("{:.1} %", 100.0 * p),
    }
}

/// What the repair's ledger row says was mended.
fn mended(view: &View) -> Option<&Row> {
    let number = view.repair.as_ref()?.number;
    view.ledger.iter().find(|r| r.number == number)
}

/// What stands in a section, or that there is nothing.
fn or_nothing(rows: &[Markup], nothing: &str) -> Markup {
    maud::html! {
        @if rows.is_empty() { p { (nothing) } } @else { ul { @for row in rows { li { (row) } } } }
    }
}
