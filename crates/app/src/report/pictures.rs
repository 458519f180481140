//! Pictures, within the page itself.

use crate::view::{Row, View};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use maud::{Markup, html};

/// Reads a picture of the job by its number; none where its file is gone.
pub type Read<'r> = &'r dyn Fn(u64) -> Option<Vec<u8>>;

/// The pictures of the rows that are wanted, each with what it shows.
pub(super) fn section(view: &View, wanted: impl Fn(&Row) -> bool, read: Read<'_>) -> Markup {
    let rows: Vec<&Row> =
        view.ledger.iter().filter(|r| !r.pictures.is_empty() && wanted(r)).collect();
    html! {
        @if !rows.is_empty() {
            h2 { "Pictures" }
            @for row in rows { @for number in &row.pictures { (figure(view, row, *number, read)) } }
        }
    }
}

fn figure(view: &View, row: &Row, number: u64, read: Read<'_>) -> Markup {
    // What stands beside the picture was said when it was taken in.
    let said = view.pictures.iter().find(|p| p.number == number).map_or("", |p| &p.text);
    let of = if row.kind == "pictured" { "" } else { &row.title };
    let caption = [of, said].into_iter().filter(|s| !s.is_empty()).collect::<Vec<_>>().join(": ");
    html! {
        figure {
            @match read(number) {
                Some(bytes) => img alt=(caption) src={ "data:image/jpeg;base64," (STANDARD.encode(bytes)) };,
                None => p { "The file of this picture is gone." },
            }
            figcaption { (caption) }
        }
    }
}
