//! Diagnostic trouble codes as modules report them.

use super::NameError;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;

/// A trouble code in the form of SAE J2012: a letter P, C, B or U, a digit 0 to 3 and three hexadecimal
/// ones, `B1A11`.
#[derive(
    Debug,
    Clone,
    Copy,
    Default,
    PartialEq,
    Eq,
    Hash,
    PartialOrd,
    Ord,
    Serialize,
    Deserialize,
    JsonSchema,
)]
#[serde(into = "String", try_from = "String")]
#[schemars(with = "String")]
pub struct TroubleCode(u16);

/// The failure type byte of SAE J2012-DA, two hexadecimal digits: `14`. Without digits where nobody said.
#[derive(
    Debug,
    Clone,
    Copy,
    Default,
    PartialEq,
    Eq,
    Hash,
    PartialOrd,
    Ord,
    Serialize,
    Deserialize,
    JsonSchema,
)]
#[serde(into = "String", try_from = "String")]
#[schemars(with = "String")]
pub struct FailureType(Option<u8>);

const LETTERS: [char; 4] = ['P', 'C', 'B', 'U'];

impl TroubleCode {
    /// Its two bytes as a module sends them.
    pub fn bytes(self) -> [u8; 2] {
        self.0.to_be_bytes()
    }

    /// Its letter: P power train, C chassis, B body, U network.
    pub fn letter(self) -> char {
        LETTERS[usize::from(self.0 >> 14)]
    }
}

impl From<[u8; 2]> for TroubleCode {
    fn from(bytes: [u8; 2]) -> Self {
        Self(u16::from_be_bytes(bytes))
    }
}

impl From<u8> for FailureType {
    fn from(byte: u8) -> Self {
        Self(Some(byte))
    }
}

impl FailureType {
    /// Its byte; none where nobody said.
    pub fn byte(self) -> Option<u8> {
        self.0
    }
}

impl fmt::Display for TroubleCode {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&format!("{}{:04X}", self.letter(), self.0 & 0x3FFF))
    }
}

impl fmt::Display for FailureType {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.map_or(Ok(()), |byte| write!(f, "{byte:02X}"))
    }
}

/// So many hexadecimal digits.
fn hexadecimal(text: &str, digits: usize) -> Option<u16> {
    let all = text.len() == digits && text.bytes().all(|b| b.is_ascii_hexdigit());
    all.then(|| u16::from_str_radix(text, 16).ok()).flatten()
}

impl FromStr for TroubleCode {
    type Err = NameError;

    fn from_str(text: &str) -> Result<Self, NameError> {
        const FORM: &str = "P, C, B or U, a digit 0 to 3 and three hexadecimal digits: B1A11";
        let wrong = || NameError { text: text.to_owned(), what: "trouble code", form: FORM };
        let letter = LETTERS.iter().position(|l| text.starts_with(*l)).ok_or_else(wrong)?;
        let rest = hexadecimal(&text[1..], 4).filter(|rest| *rest <= 0x3FFF).ok_or_else(wrong)?;
        Ok(Self((letter as u16) << 14 | rest))
    }
}

impl FromStr for FailureType {
    type Err = NameError;

    fn from_str(text: &str) -> Result<Self, NameError> {
        const FORM: &str = "two hexadecimal digits: 14";
        let wrong = || NameError { text: text.to_owned(), what: "failure type", form: FORM };
        match text {
            "" => Ok(Self(None)),
            _ => Ok(Self(Some(hexadecimal(text, 2).ok_or_else(wrong)? as u8))),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn codes_are_packed_as_the_standard_has_it() {
        // U is 11 in the top bits: U3006 is F0 06. P0301 is 03 01, B1A11 is 1001 1010 = 9A 11.
        let bytes = |text: &str| text.parse::<TroubleCode>().unwrap().bytes();
        assert_eq!(bytes("U3006"), [0xF0, 0x06]);
        assert_eq!(bytes("P0301"), [0x03, 0x01]);
        assert_eq!(bytes("B1A11"), [0x9A, 0x11]);
    }

    #[test]
    fn what_is_no_code_says_how_one_is_written() {
        for text in ["", "P", "X0000", "P4000", "P123", "P12345", "P+123", "p0301", "Pé01", "B1A1G"]
        {
            let e = text.parse::<TroubleCode>().unwrap_err();
            assert!(e.to_string().contains("B1A11"), "{text} {e}");
        }
        for text in ["1", "123", "G1", "+1"] {
            assert!(text.parse::<FailureType>().is_err(), "{text}");
        }
        assert_eq!("".parse::<FailureType>().unwrap().byte(), None);
    }

    proptest! {
        #[test]
        fn what_is_written_is_read_again(code: u16, failure: Option<u8>) {
            let (code, failure) = (TroubleCode(code), FailureType(failure));
            prop_assert_eq!(code.to_string().parse::<TroubleCode>().unwrap(), code);
            prop_assert_eq!(failure.to_string().parse::<FailureType>().unwrap(), failure);
            prop_assert_eq!(TroubleCode::from(code.bytes()), code);
        }

        #[test]
        fn any_text_is_read_or_refused(text in "\\PC{0,8}") {
            let _ = (text.parse::<TroubleCode>(), text.parse::<FailureType>());
        }
    }
}
