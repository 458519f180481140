//! The instruments: what each puts between its leads and how it shows what it finds.

use super::Shown;
use crate::elements::fuse::BLOWS_AT;
use crate::law::Law;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Input resistance of a digital voltmeter, ohms.
pub const VOLTMETER_OHMS: f64 = 10e6;
/// Input resistance in the low-impedance mode that drains stray voltages, ohms.
pub const LOW_IMPEDANCE_OHMS: f64 = 3e3;
/// The ohmmeter's source: 1 V behind 1 kOhm, so at most 1 mA.
const OHMMETER: Law = Law::Source { volts: 1.0, ohms: 1000.0 };
/// Above this the ohmmeter shows OL, ohms.
pub const OVER_LIMIT_OHMS: f64 = 40e6;
/// Shunt of the 10 A range with its leads, ohms.
const SHUNT_OHMS: f64 = 0.03;
/// Fuses of the 10 A range and of the jumper, amperes.
const SHUNT_FUSE: f64 = 10.0;
const JUMPER_FUSE: f64 = 7.5;
/// The jumper's wire and fuse, ohms.
const JUMPER_OHMS: f64 = 0.03;
/// Voltage of the test lamps, volts, and current at which the LED tester is fully lit, amperes.
const LAMP_VOLTS: f64 = 12.0;
const LED_AMPS: f64 = 0.02;

/// What is measured, and with what.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum Instrument {
    /// Volts between two points, ten megohms.
    Volts,
    /// Volts between two points in the low-impedance mode, which loads them.
    LowVolts,
    /// Ohms between two points.
    Ohms,
    /// Amperes through a conductor, with a clamp around it.
    Amps,
    /// Amperes through the meter's own shunt between two points, 10 A fused.
    Shunt,
    /// A test lamp 12 V 5 W between two points.
    Lamp5,
    /// A test lamp 12 V 21 W between two points.
    Lamp21,
    /// An LED tester between two points; lights only with the red lead positive.
    Led,
    /// A fused jumper between two points.
    Jumper,
}

impl Instrument {
    /// All of them.
    pub const ALL: [Self; 9] = [
        Self::Volts,
        Self::LowVolts,
        Self::Ohms,
        Self::Amps,
        Self::Shunt,
        Self::Lamp5,
        Self::Lamp21,
        Self::Led,
        Self::Jumper,
    ];

    /// Whether it leaves the circuit as it is, but for the ten megohms of a voltmeter; else each fault has
    /// to be solved with it.
    pub fn leaves_alone(self) -> bool {
        matches!(self, Self::Volts | Self::Amps)
    }

    /// The instrument of a name in files and messages.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|i| i.name() == name)
    }

    /// Its name in files and messages.
    pub fn name(self) -> &'static str {
        match self {
            Self::Volts => "volts",
            Self::LowVolts => "low_volts",
            Self::Ohms => "ohms",
            Self::Amps => "amps",
            Self::Shunt => "shunt",
            Self::Lamp5 => "lamp5",
            Self::Lamp21 => "lamp21",
            Self::Led => "led",
            Self::Jumper => "jumper",
        }
    }

    /// Whether it loads what it is put on enough for a module to notice.
    pub fn loads(self) -> bool {
        matches!(self, Self::Shunt | Self::Lamp5 | Self::Lamp21 | Self::Led | Self::Jumper)
    }

    /// Unit as shown; lights in per cent of their full brightness.
    pub fn unit(self) -> &'static str {
        match self {
            Self::Volts | Self::LowVolts => "V",
            Self::Ohms => "Ω",
            Self::Amps | Self::Shunt | Self::Jumper => "A",
            Self::Lamp5 | Self::Lamp21 | Self::Led => "%",
        }
    }

    /// One standard deviation of a common workshop tool at a value, in its unit.
    /// Volts 0.5 % + 2 digits of 10 mV, ohms 1 % + 0.1 (leads), clamp 2 % + 50 mA, shunt 1 % +
    /// 2 digits; the eye tells dark, dim and bright.
    pub fn sigma(self, value: f64) -> f64 {
        let (part, floor) = match self {
            Self::Volts | Self::LowVolts => (0.005, 0.02),
            Self::Ohms => (0.01, 0.1),
            Self::Amps => (0.02, 0.05),
            Self::Shunt | Self::Jumper => (0.01, 0.02),
            Self::Lamp5 | Self::Lamp21 | Self::Led => (0.3, 5.0),
        };
        // Not `hypot`, which guards against overflow and takes most of the time that weighing takes.
        ((part * value).powi(2) + floor * floor).sqrt()
    }

    /// Chance per unit of a value when nothing is known: even over its span; of an ohmmeter even over
    /// the decades it shows, from the resistance of its leads to over limit.
    pub fn any(self, value: f64) -> f64 {
        match self {
            Self::Ohms if value.is_finite() => {
                let lowest = self.sigma(0.0);
                1.0 / ((OVER_LIMIT_OHMS / lowest).ln() * (value.abs() + lowest))
            }
            _ => 1.0 / self.span(),
        }
    }

    /// The same when the leads slipped: mostly a lead that touches nothing, which shows next to nothing or
    /// over limit, sometimes one in the next cavity, which shows anything.
    pub fn slipped(self, value: f64) -> f64 {
        const NOTHING: f64 = 0.7;
        let nothing = match self {
            Self::Volts | Self::LowVolts => laplace(value, 0.05),
            Self::Amps | Self::Shunt | Self::Jumper => laplace(value, 0.1),
            Self::Ohms if value.is_finite() => 0.0,
            Self::Ohms => self.any(value),
            Self::Lamp5 | Self::Lamp21 | Self::Led => laplace(value, 1.0),
        };
        NOTHING * nothing + (1.0 - NOTHING) * self.any(value)
    }

    /// Range of values it usually shows, in its unit.
    pub fn span(self) -> f64 {
        match self {
            Self::Volts | Self::LowVolts => 15.0,
            Self::Amps => 40.0,
            Self::Shunt | Self::Jumper => 15.0,
            Self::Ohms => 200.0,
            Self::Lamp5 | Self::Lamp21 | Self::Led => 120.0,
        }
    }

    /// What it puts between its leads; none for the clamp.
    pub fn law(self) -> Option<Law> {
        Some(match self {
            Self::Volts => Law::Ohms(VOLTMETER_OHMS),
            Self::LowVolts => Law::Ohms(LOW_IMPEDANCE_OHMS),
            Self::Ohms => OHMMETER,
            Self::Amps => return None,
            Self::Shunt => Law::Ohms(SHUNT_OHMS),
            Self::Lamp5 => Law::filament(LAMP_VOLTS, 5.0),
            Self::Lamp21 => Law::filament(LAMP_VOLTS, 21.0),
            // A red LED of 2 V behind 470 Ohm.
            Self::Led => Law::junction(2.0 + 470.0 * LED_AMPS, LED_AMPS, 470.0, 1.0),
            Self::Jumper => Law::Ohms(JUMPER_OHMS),
        })
    }

    /// Current at which its fuse opens, amperes; infinite without one.
    pub fn blows_at(self) -> f64 {
        match self {
            Self::Shunt => BLOWS_AT * SHUNT_FUSE,
            Self::Jumper => BLOWS_AT * JUMPER_FUSE,
            _ => f64::INFINITY,
        }
    }

    /// What it shows with so many volts across its leads.
    pub fn reads(self, volts: f64) -> Shown {
        match self {
            Self::Ohms => {
                let amps = -OHMMETER.amps(volts);
                // A live circuit drives the meter: it shows OL, or nonsense near zero.
                let ohms = volts / amps;
                if amps <= 0.0 || ohms > OVER_LIMIT_OHMS {
                    Shown::OverLimit
                } else {
                    Shown::Value(ohms)
                }
            }
            Self::Volts | Self::LowVolts | Self::Amps => Shown::Value(volts),
            Self::Shunt => Shown::Value(volts / SHUNT_OHMS),
            Self::Jumper => Shown::Value(volts / JUMPER_OHMS),
            Self::Lamp5 | Self::Lamp21 => {
                Shown::Value(100.0 * (volts.abs() / LAMP_VOLTS).powf(3.4))
            }
            Self::Led => {
                let amps = self.law().map_or(0.0, |law| law.amps(volts));
                Shown::Value((100.0 * amps / LED_AMPS).clamp(0.0, 150.0))
            }
        }
    }
}
/// Chance per unit of a value near zero.
fn laplace(value: f64, width: f64) -> f64 {
    (-value.abs() / width).exp() / (2.0 * width)
}
