//! How values travel in a module's data, and under which identifiers (ISO 14229-1).

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A number as an integer of some bytes, the high byte first: raw × `per_bit` + `offset`.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Coding {
    /// Length, 1 to 4 bytes.
    pub bytes: u8,
    /// Whether the integer has a sign (two's complement).
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub signed: bool,
    /// What one step is worth, in the value's unit; not zero.
    pub per_bit: f64,
    /// Value at a raw zero.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub offset: f64,
}

fn is_zero(x: &f64) -> bool {
    *x == 0.0
}

impl Coding {
    const fn unsigned(bytes: u8, per_bit: f64) -> Self {
        Self { bytes, signed: false, per_bit, offset: 0.0 }
    }

    /// What a value has where the file says nothing: volts in signed millivolts, amperes in signed hundredths,
    /// anything else a byte of whole numbers: on or off, percent.
    pub(crate) fn usual(unit: &str) -> Self {
        match unit {
            "V" => Self { signed: true, ..Self::unsigned(2, 0.001) },
            "A" => Self { signed: true, ..Self::unsigned(2, 0.01) },
            _ => Self::unsigned(1, 1.0),
        }
    }

    /// Length, bytes.
    pub fn length(&self) -> usize {
        usize::from(self.bytes.clamp(1, 4))
    }

    /// Whether it can carry anything: 1 to 4 bytes, a step that is neither zero nor infinite.
    pub fn is_possible(&self) -> bool {
        (1..=4).contains(&self.bytes)
            && self.per_bit.is_normal()
            && self.per_bit.abs() > 1e-12
            && self.offset.is_finite()
    }

    /// Least and largest raw integer.
    fn range(&self) -> (i64, i64) {
        let bits = 8 * self.length() as u32;
        if self.signed { (-(1 << (bits - 1)), (1 << (bits - 1)) - 1) } else { (0, (1 << bits) - 1) }
    }

    /// A value's bytes, rounded to the nearest step, and to the nearest end where it does not fit.
    pub fn encode(&self, value: f64) -> Vec<u8> {
        let (least, most) = self.range();
        let raw = ((value - self.offset) / self.per_bit).round();
        // A cast saturates, and makes zero of what is not a number.
        let raw = (raw as i64).clamp(least, most);
        raw.to_be_bytes()[8 - self.length()..].to_vec()
    }

    /// The value of some bytes; none where they are not as many as they should be.
    pub fn decode(&self, data: &[u8]) -> Option<f64> {
        if data.len() != self.length() {
            return None;
        }
        let raw = data.iter().fold(0i64, |n, b| n << 8 | i64::from(*b));
        let (_, most) = self.range();
        let raw = if raw > most { raw - (1 << (8 * data.len())) } else { raw };
        Some(raw as f64 * self.per_bit + self.offset)
    }
}

/// A value that can be read by an identifier.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Datum {
    /// Data identifier.
    pub did: u16,
    /// How the value travels.
    pub coding: Coding,
}

/// What every freeze frame records, whatever the code.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FreezeFrame {
    /// Time since the vehicle was built, seconds.
    pub time: Datum,
    /// Distance, kilometres.
    pub odometer: Datum,
    /// The module's supply, volts.
    pub supply: Datum,
}

/// Extended data records of a code.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Counters {
    /// How often its monitor has failed.
    pub occurrences: u8,
    /// Operation cycles since it last did.
    pub cycles_since_last: u8,
    /// Operation cycles since it first did.
    pub cycles_since_first: u8,
}

/// Under which identifiers the modules of a vehicle keep what all of them have.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Identifiers {
    /// A module's own supply voltage, volts.
    pub supply: Datum,
    /// The equipment a module is set to.
    pub equipment: u16,
    /// Routine with which a module runs all its monitors. Its results: a byte that is 1 while it runs, a byte of
    /// percent done, and of each code that failed in it so far three bytes.
    pub self_test: u16,
    /// What freeze frames record.
    pub freeze_frame: FreezeFrame,
    /// What is counted of a code.
    pub counters: Counters,
    /// How a module is unlocked before anything is written to it.
    #[serde(default)]
    pub unlock: Unlock,
}

/// How the key to a module's seed is worked out (service 27 of ISO 14229-1 leaves that to the vehicle).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Unlock {
    /// The seed's complement, each byte turned by the low byte of the module's address.
    #[default]
    Complement,
}

impl Unlock {
    /// The key to a seed of the module at an address.
    pub fn key(self, seed: &[u8], address: u16) -> Vec<u8> {
        let [_, low] = address.to_be_bytes();
        match self {
            Self::Complement => seed.iter().map(|b| !b ^ low).collect(),
        }
    }
}

impl Default for Identifiers {
    /// A vehicle file need not print them.
    fn default() -> Self {
        let datum = |did, coding| Datum { did, coding };
        Self {
            supply: datum(0x2001, Coding::usual("V")),
            equipment: 0x0600,
            self_test: 0x0200,
            freeze_frame: FreezeFrame {
                time: datum(0xDD00, Coding::unsigned(4, 1.0)),
                odometer: datum(0xDD01, Coding::unsigned(3, 1.0)),
                supply: datum(0xDD02, Coding::unsigned(2, 0.001)),
            },
            counters: Counters { occurrences: 1, cycles_since_last: 2, cycles_since_first: 3 },
            unlock: Unlock::default(),
        }
    }
}

impl Identifiers {
    /// Every value they lead to, with the name of its field.
    pub fn data(&self) -> [(&'static str, Datum); 4] {
        let FreezeFrame { time, odometer, supply } = self.freeze_frame;
        [
            ("supply", self.supply),
            ("freeze_frame.time", time),
            ("freeze_frame.odometer", odometer),
            ("freeze_frame.supply", supply),
        ]
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn codings() -> impl Strategy<Value = Coding> {
        let steps = prop_oneof![1e-6..1e3, -1e3..-1e-6];
        (1u8..=4, any::<bool>(), steps, -1e3..1e3)
            .prop_map(|(bytes, signed, per_bit, offset)| Coding { bytes, signed, per_bit, offset })
    }

    #[test]
    fn volts_travel_in_signed_millivolts() {
        let volts = Coding::usual("V");
        // 12.345 V are 12345 = 0x3039; -0.001 V is 0xFFFF; 40 V do not fit, 32.767 V do.
        assert_eq!(volts.encode(12.345), [0x30, 0x39]);
        assert_eq!(volts.encode(-0.001), [0xFF, 0xFF]);
        assert_eq!(volts.encode(40.0), [0x7F, 0xFF]);
        assert_eq!(volts.decode(&[0xFF, 0xFE]), Some(-0.002));
        assert_eq!(volts.decode(&[0x30]), None);
        assert_eq!(Coding::usual("").encode(1.0), [1]);
    }

    proptest! {
        #[test]
        fn any_bytes_are_the_value_they_decode_to(coding in codings(), raw in any::<u32>()) {
            let data = raw.to_be_bytes()[4 - coding.length()..].to_vec();
            let value = coding.decode(&data).unwrap();
            prop_assert_eq!(coding.encode(value), data);
        }

        #[test]
        fn a_value_in_range_comes_back_within_half_a_step(coding in codings(), share in 0.0..1.0) {
            let (least, most) = coding.range();
            let raw = least as f64 + share * (most - least) as f64;
            let value = raw * coding.per_bit + coding.offset;
            let back = coding.decode(&coding.encode(value)).unwrap();
            let slack = 0.501 * coding.per_bit.abs() + 1e-9 * value.abs();
            prop_assert!((back - value).abs() <= slack, "{} {}", value, back);
        }

        #[test]
        fn no_number_is_refused(coding in codings(), value in any::<f64>()) {
            prop_assert_eq!(coding.encode(value).len(), coding.length());
        }
    }
}
