//! What a module holds that no wire shows: a field of a configuration record, whose it is, what it has learned.

use super::{Kind, Wrong, kind};
use crate::{Permit, TroubleCode};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Where a module holds a setting, and what sets it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case", deny_unknown_fields)]
pub enum Held {
    /// A field of a configuration record.
    Record {
        /// Identifier of the record.
        did: u16,
        /// Its first bit, the highest of the first byte being 0.
        bit: usize,
        /// How many bits it has, 1 to 32.
        bits: usize,
    },
    /// Whether the vehicle's identity that the module holds is that of this vehicle: 1, or 0 of another.
    Identity,
    /// What a routine teaches.
    Learned {
        /// The routine.
        routine: u16,
        /// What the routine does, in the words of the trade.
        #[serde(default, skip_serializing_if = "Does::is_usual")]
        does: Does,
        /// What must hold for it, of values of the module itself.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        needs: Vec<Permit>,
        /// Codes of the module, of any failure type, that must not stand in its memory when it begins.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        codes_gone: Vec<TroubleCode>,
    },
}

/// What a routine does that makes a module learn something.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum Does {
    /// It teaches where something ends, stands or meshes.
    #[default]
    Teach,
    /// It takes what is there now for nothing.
    Zero,
    /// It forgets what was learned of a part that was replaced.
    Reset,
}

impl Does {
    fn is_usual(&self) -> bool {
        *self == Self::Teach
    }
}

/// A way a setting is wrong.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct WronglySet {
    /// Name of it, as in a fault's id.
    pub mode: String,
    /// What the module holds then.
    pub value: f64,
    /// In words: “not taught”.
    pub text: String,
}

kind! {
    /// What a module holds that no wire shows: a field of a configuration record, whose it is, what it has
    /// learned. It stands in a part of the kind `setup`, one for each module.
    Setting {
        signed {
            /// What it is on a sound vehicle.
            sound,
        }
        other {
            /// Unique name.
            id: String,
            /// What a technician calls it.
            name: String,
            /// The module that holds it.
            module: crate::PartId,
            /// Where, and what sets it.
            held: Held,
            /// Parts beside the module after whose replacement it has to be set anew.
            #[serde(default, skip_serializing_if = "Vec::is_empty")]
            after: Vec<crate::PartId>,
            /// What it is on a sound vehicle without some equipment, by the id of that.
            #[serde(default, skip_serializing_if = "std::collections::BTreeMap::is_empty")]
            without: std::collections::BTreeMap<String, f64>,
            /// How it can be wrong; what a unit fresh from its box holds comes first.
            wrong: Vec<WronglySet>,
        }
    }
}

impl Kind for Setting {
    fn setting(&self) -> Option<&Setting> {
        Some(self)
    }
    fn wrong(&self, _positions: &[String]) -> Vec<Wrong> {
        let mut out = Vec::new();
        if self.wrong.is_empty() {
            out.push(Wrong::whole("it cannot be wrong", "say what a unit from its box holds"));
        }
        let unlike = self.wrong.iter().all(|w| w.value.is_finite() && w.value != self.sound);
        if !unlike {
            out.push(Wrong::whole(
                "a wrong value is the sound one, or no number",
                "give values other than the sound one",
            ));
        }
        let mut modes: Vec<&str> = self.wrong.iter().map(|w| w.mode.as_str()).collect();
        modes.sort_unstable();
        if modes.windows(2).any(|m| m[0] == m[1]) || modes.contains(&BLANK) {
            out.push(Wrong::whole("two of its modes have one name", "give each its own"));
        }
        if let Held::Record { bits, .. } = self.held {
            let most = 2f64.powi(bits.min(32) as i32);
            let fits = |v: f64| v >= 0.0 && v.fract() == 0.0 && v < most;
            let sound = self.without.values().copied().chain([self.sound]);
            let all = self.wrong.iter().map(|w| w.value).chain(sound);
            if !(1..=32).contains(&bits) || !all.into_iter().all(fits) {
                out.push(Wrong::whole(
                    "a value does not go into its bits",
                    "give whole numbers from 0, and bits enough for them, 32 at most",
                ));
            }
        }
        out
    }
}

/// Mode of a unit from its box: all its settings as they come.
pub const BLANK: &str = "blank";

/// Reads a field of a record; none where the record is too short.
pub fn field(record: &[u8], bit: usize, bits: usize) -> Option<u32> {
    let one = |k: usize| Some(u32::from(*record.get(k / 8)? >> (7 - k % 8) & 1));
    (bit..bit + bits).try_fold(0u32, |all, k| Some(all << 1 | one(k)?))
}

/// Puts a value into a field of a record; what does not go in is left out.
pub fn put(record: &mut [u8], bit: usize, bits: usize, value: u32) {
    for k in 0..bits {
        let at = bit + k;
        let Some(byte) = record.get_mut(at / 8) else { return };
        let mask = 1 << (7 - at % 8);
        let set = value.checked_shr((bits - 1 - k) as u32).unwrap_or(0) & 1 == 1;
        *byte = if set { *byte | mask } else { *byte & !mask };
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_field_is_read_from_the_highest_bit() {
        // 0xA5 0x3C is 1010 0101 0011 1100: four bits from bit 6 are 01 00, or 4.
        assert_eq!(field(&[0xA5, 0x3C], 6, 4), Some(0b0100));
        assert_eq!(field(&[0xA5], 6, 4), None);
    }

    proptest! {
        #[test]
        fn what_was_put_in_is_read_and_the_rest_stays(
            record in proptest::collection::vec(any::<u8>(), 1..8),
            bit in 0usize..40,
            bits in 1usize..=32,
            value: u32,
        ) {
            let mut with = record.clone();
            put(&mut with, bit, bits, value);
            if bit + bits <= 8 * record.len() {
                let kept = if bits == 32 { value } else { value & ((1 << bits) - 1) };
                prop_assert_eq!(field(&with, bit, bits), Some(kept));
            }
            for k in (0..8 * record.len()).filter(|k| !(bit..bit + bits).contains(k)) {
                prop_assert_eq!(field(&with, k, 1), field(&record, k, 1));
            }
        }
    }
}
