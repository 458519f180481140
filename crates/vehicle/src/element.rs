//! What a part is made of, electrically: parameters only.
//!
//! The equations stand in the `circuit` crate, one file per kind. Pin fields
//! name pins of the part that owns the element.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// One electrical element between pins of a part.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "type", rename_all = "snake_case", deny_unknown_fields)]
pub enum Element {
    /// A lead-acid battery: open-circuit voltage behind an internal resistance.
    Battery {
        /// Positive post.
        plus: String,
        /// Negative post.
        minus: String,
        /// Open-circuit voltage at rest, volts.
        open_volts: f64,
        /// Internal resistance, ohms.
        internal_ohms: f64,
    },
    /// A regulated generator: holds its set-point up to its current limit while the engine runs.
    Generator {
        /// Output terminal (B+).
        plus: String,
        /// Housing ground.
        minus: String,
        /// Regulated voltage, volts.
        set_volts: f64,
        /// Largest output current, amperes.
        limit_amps: f64,
        /// Output resistance below the limit, ohms.
        internal_ohms: f64,
    },
    /// A blade fuse; blows when its current stays above 1.35 times its rating (ISO 8820-3).
    Fuse {
        /// First blade.
        a: String,
        /// Second blade.
        b: String,
        /// Rated current, amperes.
        rating_amps: f64,
    },
    /// A plain resistor.
    Resistor {
        /// First pin.
        a: String,
        /// Second pin.
        b: String,
        /// Resistance, ohms.
        ohms: f64,
    },
    /// A relay with a normally open contact (DIN 72552: 86/85 coil, 30/87 contact).
    Relay {
        /// Coil supply side (86).
        coil_plus: String,
        /// Coil switched side (85).
        coil_minus: String,
        /// Contact, supply (30).
        common: String,
        /// Contact, load (87).
        make: String,
        /// Coil resistance, ohms.
        coil_ohms: f64,
        /// Coil voltage that pulls the armature in, volts.
        pull_in_volts: f64,
        /// Coil voltage below which it drops out, volts.
        drop_out_volts: f64,
        /// Closed contact resistance, ohms.
        contact_ohms: f64,
    },
    /// A contact of a switch or key switch, closed in the listed positions.
    Contact {
        /// First pin.
        a: String,
        /// Second pin.
        b: String,
        /// Positions of the part's switch in which this contact is closed.
        closed_in: Vec<String>,
        /// Closed contact resistance, ohms.
        contact_ohms: f64,
    },
    /// A permanent-magnet motor with its pump or wiper: winding plus back-EMF that grows with speed.
    Motor {
        /// Supply pin.
        plus: String,
        /// Ground pin.
        minus: String,
        /// Winding resistance, ohms.
        winding_ohms: f64,
        /// Voltage at which the rated current flows, volts.
        rated_volts: f64,
        /// Running current at the rated voltage, amperes.
        rated_amps: f64,
        /// Current below which it does not turn, amperes.
        breakaway_amps: f64,
        /// What the driver notices when it runs, for example `water at the rear nozzle`.
        effect: String,
    },
    /// A module's supply input.
    Supply {
        /// Supply pin (terminal 30).
        plus: String,
        /// Ground pin (terminal 31).
        minus: String,
        /// Current drawn awake at 12 V, amperes.
        awake_amps: f64,
        /// Current drawn asleep at 12 V, amperes.
        asleep_amps: f64,
        /// Lowest voltage between the two pins at which the module works, volts.
        min_volts: f64,
        /// Highest voltage at which it works, volts.
        max_volts: f64,
        /// Pin that wakes it when above half its supply (terminal 15); none: woken over the bus.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        wake: Option<String>,
    },
    /// A module input with a pull-up to its supply or a pull-down to its ground.
    Input {
        /// The input pin.
        pin: String,
        /// Pulled to this pin of the module.
        pull_to: String,
        /// Pull resistance, ohms.
        pull_ohms: f64,
    },
    /// A driver that switches its pin to the module's ground, with overcurrent latch-off.
    LowSide {
        /// The driven pin.
        pin: String,
        /// Ground pin.
        ground: String,
        /// Name of the output that drives it.
        output: String,
        /// On-resistance, ohms.
        on_ohms: f64,
        /// Current at which it latches off, amperes.
        limit_amps: f64,
        /// Diagnostic pull-down that is always there, ohms.
        sense_ohms: f64,
    },
}

/// A pin field of an element: its role and the pin's name.
pub type PinRole<'a> = (&'static str, &'a str);

impl Element {
    /// Every pin the element touches, with the name of the field.
    pub fn pins(&self) -> Vec<PinRole<'_>> {
        match self {
            Self::Battery { plus, minus, .. }
            | Self::Generator { plus, minus, .. }
            | Self::Motor { plus, minus, .. } => vec![("plus", plus), ("minus", minus)],
            Self::Fuse { a, b, .. } | Self::Resistor { a, b, .. } | Self::Contact { a, b, .. } => {
                vec![("a", a), ("b", b)]
            }
            Self::Relay { coil_plus, coil_minus, common, make, .. } => vec![
                ("coil_plus", coil_plus),
                ("coil_minus", coil_minus),
                ("common", common),
                ("make", make),
            ],
            Self::Supply { plus, minus, wake, .. } => {
                let mut pins = vec![("plus", plus.as_str()), ("minus", minus.as_str())];
                if let Some(wake) = wake {
                    pins.push(("wake", wake));
                }
                pins
            }
            Self::Input { pin, pull_to, .. } => vec![("pin", pin), ("pull_to", pull_to)],
            Self::LowSide { pin, ground, .. } => vec![("pin", pin), ("ground", ground)],
        }
    }

    /// Every number with the name of its field; all of them must be finite and above zero.
    pub fn numbers(&self) -> Vec<(&'static str, f64)> {
        let mut copy = self.clone();
        let numbers = copy.numbers_mut();
        numbers.into_iter().map(|(name, v)| (name, *v)).collect()
    }

    /// The same numbers, to be changed: real parts are drawn within tolerance this way.
    pub fn numbers_mut(&mut self) -> Vec<(&'static str, &mut f64)> {
        macro_rules! fields {
            ($($f:ident),*) => { vec![$((stringify!($f), $f)),*] };
        }
        match self {
            Self::Battery { open_volts, internal_ohms, .. } => fields![open_volts, internal_ohms],
            Self::Generator { set_volts, limit_amps, internal_ohms, .. } => {
                fields![set_volts, limit_amps, internal_ohms]
            }
            Self::Fuse { rating_amps, .. } => fields![rating_amps],
            Self::Resistor { ohms, .. } => fields![ohms],
            Self::Relay { coil_ohms, pull_in_volts, drop_out_volts, contact_ohms, .. } => {
                fields![coil_ohms, pull_in_volts, drop_out_volts, contact_ohms]
            }
            Self::Contact { contact_ohms, .. } => fields![contact_ohms],
            Self::Motor { winding_ohms, rated_volts, rated_amps, breakaway_amps, .. } => {
                fields![winding_ohms, rated_volts, rated_amps, breakaway_amps]
            }
            Self::Supply { awake_amps, asleep_amps, min_volts, max_volts, .. } => {
                fields![awake_amps, asleep_amps, min_volts, max_volts]
            }
            Self::Input { pull_ohms, .. } => fields![pull_ohms],
            Self::LowSide { on_ohms, limit_amps, sense_ohms, .. } => {
                fields![on_ohms, limit_amps, sense_ohms]
            }
        }
    }
}
