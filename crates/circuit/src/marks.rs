//! What a fault lets one see, without any instrument.

use crate::fault::Fault;

/// A mark on the vehicle.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mark {
    /// Chafed, broken, crushed, burnt.
    Damage,
    /// Green or white bloom, dull metal.
    Corrosion,
    /// Wet, or a water line.
    Water,
    /// A terminal pushed back, a connector not home.
    PushedBack,
}

/// Marks of a fault, with the chance that one sees each when looking at the thing itself.
pub fn marks(fault: &Fault) -> &'static [(Mark, f64)] {
    let mut fields = fault.id.split(':');
    let (what, mode) = (fields.next().unwrap_or(""), fields.nth(1).unwrap_or(""));
    match (what, mode) {
        ("wire", "series") => &[(Mark::Damage, 0.3), (Mark::Corrosion, 0.2)],
        ("wire" | "pair", _) => &[(Mark::Damage, 0.6)],
        ("terminal", "open") => &[(Mark::PushedBack, 0.7)],
        ("terminal", _) => &[(Mark::Corrosion, 0.35), (Mark::PushedBack, 0.05)],
        ("connector", "unseated") => &[(Mark::PushedBack, 0.9)],
        ("connector", "wet") => &[(Mark::Water, 0.7), (Mark::Corrosion, 0.2)],
        ("connector", _) => &[(Mark::Water, 0.2), (Mark::Damage, 0.2)],
        ("ground", _) => &[(Mark::Corrosion, 0.5), (Mark::Damage, 0.1)],
        ("splice", m) if m.starts_with("open") => &[(Mark::Damage, 0.7)],
        ("splice", _) => &[(Mark::Corrosion, 0.3)],
        _ => &[(Mark::Damage, 0.05)],
    }
}
