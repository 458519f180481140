//! What a part is made of, electrically: one small file per kind, with its parameters and what it
//! answers about itself.
//!
//! The equations stand in the `circuit` crate, again one file per kind. Pin fields name pins of the
//! part that owns the element. A new kind is a file here and a line in [`Element`], and a file and a
//! line there; whoever asks about elements asks [`Kind`], and the compiler names what was forgotten.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::ops::{Deref, DerefMut};

mod analog_input;
mod answers;
mod battery;
mod bus_link;
mod can_transceiver;
mod charger;
mod coded_switch;
mod contact;
mod current_input;
mod current_sensor;
mod diode;
mod fuse;
mod generator;
mod h_bridge;
mod hall_switch;
mod heater;
mod high_side;
mod input;
mod lamp;
mod led_lamp;
mod lin_transceiver;
mod low_side;
mod motor;
mod potentiometer;
mod ratiometric;
mod reference;
mod relay;
mod resistor;
mod sensor_ground;
pub mod setting;
mod solenoid;
mod supply;
mod table_sensor;
mod thermistor;
mod tone_ring;
mod zener;

pub use analog_input::AnalogInput;
pub use answers::{
    BusEnd, Ears, Feed, Gives, Joins, Switches, Table, TablePoint, Turns, Wrong, at_table,
};
pub use battery::Battery;
pub use bus_link::BusLink;
pub use can_transceiver::CanTransceiver;
pub use charger::Charger;
pub use coded_switch::CodedSwitch;
pub use contact::Contact;
pub use current_input::CurrentInput;
pub use current_sensor::CurrentSensor;
pub use diode::Diode;
pub use fuse::Fuse;
pub use generator::Generator;
pub use h_bridge::HBridge;
pub use hall_switch::HallSwitch;
pub use heater::Heater;
pub use high_side::HighSide;
pub use input::Input;
pub use lamp::Lamp;
pub use led_lamp::LedLamp;
pub use lin_transceiver::LinTransceiver;
pub use low_side::LowSide;
pub use motor::Motor;
pub use potentiometer::Potentiometer;
pub use ratiometric::Ratiometric;
pub use reference::Reference;
pub use relay::Relay;
pub use resistor::Resistor;
pub use sensor_ground::SensorGround;
pub use setting::{Does, Held, Setting, WronglySet};
pub use solenoid::Solenoid;
pub use supply::Supply;
pub use table_sensor::TableSensor;
pub use thermistor::Thermistor;
pub use tone_ring::ToneRing;
pub use zener::Zener;

/// A pin field of an element: its role and the pin's name.
pub type PinRole<'a> = (&'static str, &'a str);

/// The parameters of a kind by their fields; written by `kind!`.
pub trait Fields {
    /// The kind's name, as in the code: `LedLamp`.
    fn kind(&self) -> &'static str;
    /// Every pin the element touches, with the name of the field.
    fn pins(&self) -> Vec<PinRole<'_>>;
    /// Every number with the name of its field; all of them must be finite and above zero.
    fn numbers(&self) -> Vec<(&'static str, f64)>;
    /// The same, to be changed: real parts are drawn within tolerance this way.
    fn numbers_mut(&mut self) -> Vec<(&'static str, &mut f64)>;
    /// Numbers of either sign; they must be finite.
    fn signed(&self) -> Vec<(&'static str, f64)>;
}

/// What a kind of element answers about itself; what it says nothing of, it has not.
pub trait Kind: Fields {
    /// What anybody notices when it works.
    fn effect(&self) -> Option<&str> {
        None
    }
    /// Outputs that drive it.
    fn outputs(&self) -> Vec<&str> {
        Vec::new()
    }
    /// Stimuli it feels.
    fn stimuli(&self) -> Vec<&str> {
        Vec::new()
    }
    /// Its table, when it has one.
    fn table(&self) -> Option<Table<'_>> {
        None
    }
    /// Pairs of pins between which an ohmmeter shows the element's own resistance, with the part
    /// unplugged; none for electronics, where it would show nothing one could judge.
    fn ohmic(&self) -> Vec<(&str, &str)> {
        Vec::new()
    }
    /// Pairs of pins whose voltage tells whether it gets what it needs, or loses what it passes on.
    fn loses_volts(&self) -> Vec<(&str, &str)> {
        Vec::new()
    }
    /// Posts of a battery: plus and minus.
    fn posts(&self) -> Option<(&str, &str)> {
        None
    }
    /// The metal that stays bare beside its contact with everything plugged, in a word.
    fn bare_end(&self) -> Option<&'static str> {
        None
    }
    /// Rated current of a fuse, amperes.
    fn rating_amps(&self) -> Option<f64> {
        None
    }
    /// Two pins joined by a fixed resistance, whatever the state.
    fn joins(&self) -> Option<Joins<'_>> {
        None
    }
    /// Two pins between which it leads a bus line on, as long as it is closed.
    fn leads_on(&self) -> Option<Joins<'_>> {
        None
    }
    /// What a module lives on.
    fn feed(&self) -> Option<Feed<'_>> {
        None
    }
    /// Its lines on a bus.
    fn bus_end(&self) -> Option<BusEnd<'_>> {
        None
    }
    /// The bus its transceiver belongs to.
    fn bus(&self) -> Option<&str> {
        self.bus_end().map(|end| end.bus)
    }
    /// Whether it is the master of a LIN bus.
    fn is_master_of(&self, bus: &str) -> bool {
        self.bus_end().is_some_and(|end| end.bus == bus && end.is_master())
    }
    /// A pin that gives current of its own up to a limit.
    fn gives(&self) -> Option<Gives<'_>> {
        None
    }
    /// The teeth it lets pass a sensor.
    fn turns(&self) -> Option<Turns<'_>> {
        None
    }
    /// What a module holds that no wire shows.
    fn setting(&self) -> Option<&Setting> {
        None
    }
    /// A pin made for signals of a few volts.
    fn signal_pin(&self) -> Option<&str> {
        None
    }
    /// One standard deviation of one of its numbers over sound parts, as a fraction of it.
    fn spread(&self, field: &str) -> f64 {
        usual_spread(field)
    }
    /// What is wrong with its parameters together, in a part with these positions.
    fn wrong(&self, _positions: &[String]) -> Vec<Wrong> {
        Vec::new()
    }
}

/// The spread of a number whose kind knows nothing better.
fn usual_spread(field: &str) -> f64 {
    match field {
        "rating_amps" | "min_volts" | "max_volts" | "rated_volts" | "limit_amps" => 0.0,
        "contact_ohms" | "internal_ohms" => 0.15,
        _ => 0.04,
    }
}

/// Declares a kind: pins, pins that may be absent, numbers above zero, such numbers that may be
/// absent, numbers of either sign, and anything else.
macro_rules! kind {
    (
        $(#[$doc:meta])*
        $kind:ident {
            $(pins { $($(#[$pd:meta])* $pin:ident),* $(,)? })?
            $(maybe_pins { $($(#[$md:meta])* $mpin:ident),* $(,)? })?
            $(numbers { $($(#[$nd:meta])* $num:ident),* $(,)? })?
            $(maybe_numbers { $($(#[$qd:meta])* $mnum:ident),* $(,)? })?
            $(signed { $($(#[$sd:meta])* $snum:ident),* $(,)? })?
            $(other { $($(#[$od:meta])* $other:ident : $ty:ty),* $(,)? })?
        }
    ) => {
        $(#[$doc])*
        #[derive(Debug, Clone, PartialEq, serde::Serialize, serde::Deserialize, schemars::JsonSchema)]
        #[serde(deny_unknown_fields)]
        pub struct $kind {
            $($($(#[$pd])* pub $pin: String,)*)?
            $($($(#[$md])* #[serde(default, skip_serializing_if = "Option::is_none")]
                pub $mpin: Option<String>,)*)?
            $($($(#[$nd])* pub $num: f64,)*)?
            $($($(#[$qd])* #[serde(default, skip_serializing_if = "Option::is_none")]
                pub $mnum: Option<f64>,)*)?
            $($($(#[$sd])* pub $snum: f64,)*)?
            $($($(#[$od])* pub $other: $ty,)*)?
        }

        impl super::Fields for $kind {
            fn kind(&self) -> &'static str {
                stringify!($kind)
            }
            #[allow(unused_mut)]
            fn pins(&self) -> Vec<super::PinRole<'_>> {
                let mut pins = vec![$($((stringify!($pin), self.$pin.as_str()),)*)?];
                $($(pins.extend(self.$mpin.as_deref().map(|p| (stringify!($mpin), p)));)*)?
                pins
            }
            #[allow(unused_mut)]
            fn numbers(&self) -> Vec<(&'static str, f64)> {
                let mut numbers = vec![$($((stringify!($num), self.$num),)*)?];
                $($(numbers.extend(self.$mnum.map(|n| (stringify!($mnum), n)));)*)?
                numbers
            }
            #[allow(unused_mut)]
            fn numbers_mut(&mut self) -> Vec<(&'static str, &mut f64)> {
                let mut numbers = vec![$($((stringify!($num), &mut self.$num),)*)?];
                $($(numbers.extend(self.$mnum.as_mut().map(|n| (stringify!($mnum), n)));)*)?
                numbers
            }
            fn signed(&self) -> Vec<(&'static str, f64)> {
                vec![$($((stringify!($snum), self.$snum),)*)?]
            }
        }
    };
}
use kind;

/// Declares the element: one line for each kind.
macro_rules! elements {
    ($($kind:ident),* $(,)?) => {
        /// One electrical element between pins of a part; it answers what its kind answers.
        #[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
        #[serde(tag = "type", rename_all = "snake_case")]
        #[allow(missing_docs)]
        pub enum Element {
            $($kind($kind),)*
        }

        impl Deref for Element {
            type Target = dyn Kind;
            fn deref(&self) -> &Self::Target {
                match self {
                    $(Self::$kind(kind) => kind,)*
                }
            }
        }

        impl DerefMut for Element {
            fn deref_mut(&mut self) -> &mut Self::Target {
                match self {
                    $(Self::$kind(kind) => kind,)*
                }
            }
        }
    };
}

elements! {
    Battery,
    Charger,
    Generator,
    Fuse,
    Resistor,
    Heater,
    Solenoid,
    Lamp,
    LedLamp,
    Diode,
    Zener,
    Relay,
    Contact,
    CodedSwitch,
    Motor,
    Thermistor,
    TableSensor,
    Potentiometer,
    Ratiometric,
    HallSwitch,
    CurrentSensor,
    ToneRing,
    Setting,
    Supply,
    Input,
    AnalogInput,
    CurrentInput,
    Reference,
    SensorGround,
    LowSide,
    HighSide,
    HBridge,
    CanTransceiver,
    LinTransceiver,
    BusLink,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_kind_lists_its_own_pins_and_numbers() {
        let relay: Element = serde_json::from_str(
            r#"{"type": "relay", "coil_plus": "86", "coil_minus": "85", "common": "30",
                "make": "87", "rest": "87a", "coil_ohms": 85, "pull_in_volts": 7,
                "drop_out_volts": 2, "contact_ohms": 0.01}"#,
        )
        .unwrap();
        let pins: Vec<&str> = relay.pins().into_iter().map(|p| p.1).collect();
        assert_eq!(pins, ["86", "85", "30", "87", "87a"]);
        assert_eq!(relay.numbers().len(), 4);
        // An unplugged relay shows its coil; its contact is open.
        assert_eq!(relay.ohmic(), [("86", "85")]);
        assert!(relay.feed().is_none() && relay.wrong(&[]).is_empty());
    }
}
