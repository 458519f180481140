//! Vehicle identification number (ISO 3779) with the check digit of 49 CFR 565.

/// Identifier under which a module holds it (ISO 14229-1 C.1).
pub const DID: u16 = 0xF190;

/// What is wrong with a VIN; `None` when nothing is.
pub fn trouble(vin: &str) -> Option<String> {
    if vin.chars().count() != 17 {
        return Some(format!("a VIN has 17 characters, this one {}", vin.chars().count()));
    }
    if let Some(c) = vin.chars().find(|c| value(*c).is_none()) {
        return Some(format!("“{c}” is not used in a VIN (no I, O, Q, only capitals and digits)"));
    }
    let expected = check_digit(vin)?;
    let given = vin.chars().nth(8)?;
    (given != expected).then(|| {
        format!("character 9 should be {expected}, not {given}: one character is mistyped")
    })
}

/// Values of 49 CFR 565.15(c)(2).
fn value(c: char) -> Option<u32> {
    match c {
        '0'..='9' => c.to_digit(10),
        'A'..='H' => Some(c as u32 - 'A' as u32 + 1),
        'J'..='N' => Some(c as u32 - 'J' as u32 + 1),
        'P' => Some(7),
        'R' => Some(9),
        'S'..='Z' => Some(c as u32 - 'S' as u32 + 2),
        _ => None,
    }
}

/// The check digit a VIN should have at its ninth place.
pub fn check_digit(vin: &str) -> Option<char> {
    const WEIGHTS: [u32; 17] = [8, 7, 6, 5, 4, 3, 2, 10, 0, 9, 8, 7, 6, 5, 4, 3, 2];
    let mut sum = 0;
    for (c, weight) in vin.chars().zip(WEIGHTS) {
        sum += value(c)? * weight;
    }
    char::from_digit(sum % 11, 10).or(Some('X'))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn check_digits() {
        // Seventeen ones: the weights add up to 89, 89 mod 11 is 1.
        assert_eq!(trouble("11111111111111111"), None);
        assert!(trouble("11111111211111111").is_some());
        assert!(trouble("1111").is_some());
        assert!(trouble("1111111I111111111").is_some());
    }
}
