//! Readings as a technician types them: `11.8`, `0.2k`, `3k3`, `OL`, `-40m`.

use thiserror::Error;

/// A typed reading.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Quantity {
    /// A number in the base unit (V, Ohm, A).
    Value(f64),
    /// Over limit: the meter shows no end of scale (an open circuit on ohms).
    OverLimit,
}

/// Why a typed reading was not understood.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum QuantityError {
    /// Nothing was typed.
    #[error("nothing typed; a reading looks like 11.8, 0.2k or OL")]
    Empty,
    /// The unit does not fit the check.
    #[error("this check wants {wanted}, not {got}")]
    WrongUnit {
        /// Unit of the check.
        wanted: String,
        /// Unit typed.
        got: String,
    },
    /// Not a number.
    #[error("“{0}” is not a reading; type it like 11.8, 0.2k, 3k3 or OL")]
    NotANumber(String),
    /// No meter shows such a number.
    #[error("{0} is beyond what a meter shows here; check the unit and the decimal point")]
    Impossible(String),
}

fn factor(c: char) -> Option<f64> {
    Some(match c {
        'u' | 'µ' | 'μ' => 1e-6,
        'm' => 1e-3,
        'k' | 'K' => 1e3,
        'M' => 1e6,
        _ => return None,
    })
}

/// Parses a typed reading for a check in `unit` (`V`, `Ω` or `A`).
///
/// # Errors
/// [`QuantityError`] says what would be right.
pub fn parse_quantity(text: &str, unit: &str) -> Result<Quantity, QuantityError> {
    let mut t: String = text
        .trim()
        .chars()
        .filter(|c| !c.is_whitespace())
        .map(|c| match c {
            ',' => '.',
            '−' => '-',
            c => c,
        })
        .collect();
    if t.is_empty() {
        return Err(QuantityError::Empty);
    }
    if matches!(t.to_ascii_uppercase().as_str(), "OL" | "O.L" | "0L") {
        return Ok(Quantity::OverLimit);
    }
    match (unit, t.to_lowercase().as_str()) {
        ("A", "blown") => return Ok(Quantity::OverLimit),
        ("%", "dark" | "off") => return Ok(Quantity::Value(0.0)),
        ("%", "dim") => return Ok(Quantity::Value(30.0)),
        ("%", "bright" | "on") => return Ok(Quantity::Value(100.0)),
        _ => {}
    }
    for (suffix, means) in [
        ("Volt", "V"),
        ("volt", "V"),
        ("V", "V"),
        ("v", "V"),
        ("Ohm", "Ω"),
        ("ohm", "Ω"),
        ("Ω", "Ω"),
        ("Ω", "Ω"),
        ("R", "Ω"),
        ("A", "A"),
        ("a", "A"),
        ("%", "%"),
    ] {
        if let Some(head) = t.strip_suffix(suffix) {
            if means != unit {
                return Err(QuantityError::WrongUnit { wanted: unit.into(), got: means.into() });
            }
            t = head.to_owned();
            break;
        }
    }
    let bad = || QuantityError::NotANumber(text.trim().to_owned());
    let value = match t.char_indices().find(|(_, c)| factor(*c).is_some()) {
        None => t.parse::<f64>().map_err(|_| bad())?,
        Some((at, c)) => {
            let (head, tail) = (&t[..at], &t[at + c.len_utf8()..]);
            // `3k3` is the drawing-office way of writing 3.3k.
            let number = if tail.is_empty() {
                head.to_owned()
            } else if !head.contains('.') && tail.chars().all(|d| d.is_ascii_digit()) {
                format!("{head}.{tail}")
            } else {
                return Err(bad());
            };
            number.parse::<f64>().map_err(|_| bad())? * factor(c).unwrap_or(1.0)
        }
    };
    if !value.is_finite() {
        return Err(bad());
    }
    let (low, high) = match unit {
        "V" => (-60.0, 60.0),
        "A" => (-1500.0, 1500.0),
        "%" => (0.0, 200.0),
        _ => (-0.5, 100e6),
    };
    if value < low || value > high {
        return Err(QuantityError::Impossible(format!("{value} {unit}")));
    }
    Ok(Quantity::Value(value))
}
