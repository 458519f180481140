//! Faults: what is wrong with a repair item, and how much.

use super::{Item, NameError};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;

/// A fault's name, `<item>:<mode>[:<number>]`: `terminal:C4.7:open`, `wire:62:series:4.7`. The number is
/// in ohms, the knee current of a constriction in amperes, or a factor, as the mode has it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(into = "String", try_from = "String")]
#[schemars(with = "String")]
pub struct FaultId {
    /// What it is a fault of. What is mended may be another thing: of two conductors rubbed through to
    /// each other where one is ground, the other.
    pub of: Item,
    /// Way to fail.
    pub mode: String,
    /// How much; more than 0 and finite.
    pub number: Option<f64>,
}

impl FaultId {
    /// From its pieces.
    pub fn new(of: Item, mode: &str, number: Option<f64>) -> Self {
        Self { of, mode: mode.to_owned(), number }
    }

    /// The same way to fail with another number.
    #[must_use]
    pub fn with(&self, number: f64) -> Self {
        Self { number: Some(number), ..self.clone() }
    }

    /// Whether two are the same way of the same thing to fail, whatever their numbers.
    pub fn same_way(&self, other: &Self) -> bool {
        self.of == other.of && self.mode == other.mode
    }
}

impl fmt::Display for FaultId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}:{}", self.of, self.mode)?;
        match self.number {
            Some(n) => write!(f, ":{n}"),
            None => Ok(()),
        }
    }
}

impl FromStr for FaultId {
    type Err = NameError;

    fn from_str(text: &str) -> Result<Self, NameError> {
        const FORM: &str = "item:mode or item:mode:number, such as terminal:C4.7:series:4.7";
        let wrong = || NameError { text: text.to_owned(), what: "fault", form: FORM };
        let fields: Vec<&str> = text.split(':').collect();
        let (kind, name, mode, number) = match fields[..] {
            [kind, name, mode] => (kind, name, mode, None),
            [kind, name, mode, number] => (kind, name, mode, Some(number)),
            _ => return Err(wrong()),
        };
        let of = format!("{kind}:{name}").parse().map_err(|_| wrong())?;
        let number = number.map(str::parse::<f64>).transpose().map_err(|_| wrong())?;
        if mode.is_empty() || number.is_some_and(|n| !n.is_finite() || n <= 0.0) {
            return Err(wrong());
        }
        Ok(Self::new(of, mode, number))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_fault_without_item_or_with_an_impossible_number_is_refused() {
        for text in
            ["wire:62", "wire:62:", "wire:62:series:-1", "wire:62:series:NaN", "x:1:open", ":::"]
        {
            assert!(text.parse::<FaultId>().is_err(), "{text}");
        }
    }

    proptest! {
        #[test]
        fn what_is_written_is_read_again(
            name in "[A-Z][a-z0-9]{0,4}\\.[0-9]{1,2}",
            mode in "[a-z_]{1,9}(-[0-9]{1,2}){0,2}(@[0-9])?",
            number in proptest::option::of(1e-6f64..1e9),
        ) {
            let id = FaultId::new(Item::Terminal(name.into()), &mode, number);
            prop_assert_eq!(id.to_string().parse::<FaultId>().unwrap(), id);
        }

        #[test]
        fn any_text_is_read_or_refused(text in "[a-z:.+0-9é-]{0,20}") {
            if let Ok(id) = text.parse::<FaultId>() {
                let again: FaultId = id.to_string().parse().unwrap();
                prop_assert_eq!(again, id);
            }
        }
    }
}
