//! Current-voltage laws of a branch.
//!
//! A law answers one question: with `v` volts from the first node to the second,
//! what current flows that way, and how does it change with `v`?

use crate::OPEN_OHMS;

/// Current-voltage law of one branch.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Law {
    /// `i = v / R`.
    Ohms(f64),
    /// A source behind a resistance: `i = (v - E) / R`.
    Source {
        /// Open-circuit voltage, volts.
        volts: f64,
        /// Internal resistance, ohms.
        ohms: f64,
    },
    /// A constant current from the first to the second node, amperes.
    Current(f64),
    /// A motor: winding `R`, and above the breakaway current a back-EMF of
    /// `slope` volts per further ampere (its speed against a load that grows with speed).
    Motor {
        /// Winding resistance, ohms.
        ohms: f64,
        /// Current below which it stands, amperes.
        breakaway: f64,
        /// Back-EMF per ampere above that, ohms.
        slope: f64,
    },
    /// A contact spot or last strand that heats: `v = i R (1 + (i / knee)^2)`.
    /// It reads well on an ohmmeter and drops volts under load.
    Constriction {
        /// Cold resistance, ohms.
        ohms: f64,
        /// Current at which the resistance has doubled, amperes.
        knee: f64,
    },
}

impl Law {
    /// An open branch.
    pub const OPEN: Self = Self::Ohms(OPEN_OHMS);

    /// The same with a resistance in series; exact for resistors, sources and motors.
    #[must_use]
    pub fn in_series(self, more: f64) -> Self {
        match self {
            Self::Ohms(ohms) => Self::Ohms(ohms + more),
            Self::Source { volts, ohms } => Self::Source { volts, ohms: ohms + more },
            Self::Current(amps) => Self::Current(amps),
            Self::Motor { ohms, breakaway, slope } => {
                Self::Motor { ohms: ohms + more, breakaway, slope }
            }
            Self::Constriction { ohms, knee } => {
                // Scaling keeps the shape; no fault puts two resistances on one contact.
                Self::Constriction { ohms: ohms + more, knee }
            }
        }
    }

    /// Linearisation at `v`: conductance `g` (siemens) and current `i0` (amperes)
    /// with `i = g v + i0` to first order.
    pub fn norton(self, v: f64) -> (f64, f64) {
        match self {
            Self::Ohms(r) => (1.0 / r, 0.0),
            Self::Source { volts, ohms } => (1.0 / ohms, -volts / ohms),
            Self::Current(amps) => (0.0, amps),
            Self::Motor { ohms, breakaway, slope } => {
                let stall = breakaway * ohms;
                if v.abs() <= stall {
                    (1.0 / ohms, 0.0)
                } else {
                    let g = 1.0 / (ohms + slope);
                    (g, v.signum() * slope * breakaway * g)
                }
            }
            Self::Constriction { ohms, knee } => {
                let i = self.amps(v);
                let g = 1.0 / (ohms * (1.0 + 3.0 * (i / knee).powi(2)));
                (g, i - g * v)
            }
        }
    }

    /// Current at `v`, amperes.
    pub fn amps(self, v: f64) -> f64 {
        match self {
            Self::Constriction { ohms, knee } => {
                // Real root of i^3 + p i - q = 0 with p = knee^2, q = v knee^2 / R.
                let a = 2.0 * knee / 3f64.sqrt();
                let x = 1.5 * 3f64.sqrt() * v / (ohms * knee);
                a * (x.asinh() / 3.0).sinh()
            }
            law => {
                let (g, i0) = law.norton(v);
                g * v + i0
            }
        }
    }

    /// Whether one solve suffices.
    pub fn is_linear(self) -> bool {
        matches!(self, Self::Ohms(_) | Self::Source { .. } | Self::Current(_))
    }

    /// Back-EMF of a motor at `v`, volts: proportional to its speed.
    pub fn back_emf(self, v: f64) -> f64 {
        match self {
            Self::Motor { ohms, .. } => (v.abs() - self.amps(v).abs() * ohms).max(0.0),
            _ => 0.0,
        }
    }

    /// The SPICE element card between two nodes.
    pub fn spice(self, name: &str, a: usize, b: usize) -> String {
        let v = format!("v({a},{b})");
        match self {
            Self::Ohms(r) => format!("R{name} {a} {b} {r:e}"),
            Self::Source { volts, ohms } => {
                format!("V{name} {name}_e {b} DC {volts:e}\nR{name} {a} {name}_e {ohms:e}")
            }
            Self::Current(amps) => format!("I{name} {a} {b} DC {amps:e}"),
            Self::Motor { ohms, breakaway, slope } => {
                let (stall, bias) = (breakaway * ohms, slope * breakaway);
                format!(
                    "B{name} {a} {b} I=abs({v})<={stall:e} ? {v}/{ohms:e} : ({v}+sgn({v})*{bias:e})/{:e}",
                    ohms + slope
                )
            }
            Self::Constriction { ohms, knee } => {
                let a3 = 2.0 * knee / 3f64.sqrt();
                let k = 1.5 * 3f64.sqrt() / (ohms * knee);
                format!("B{name} {a} {b} I={a3:e}*sinh(asinh({k:e}*{v})/3)")
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_constriction_obeys_its_cubic() {
        let law = Law::Constriction { ohms: 0.15, knee: 0.7 };
        // By hand: 2 A gives 2 x 0.15 x (1 + (2/0.7)^2) = 0.3 x 9.16327 = 2.74898 V.
        assert!((law.amps(2.748_98) - 2.0).abs() < 1e-5);
        assert!((law.amps(-2.748_98) + 2.0).abs() < 1e-5);
        // A meter's milliampere sees the cold resistance.
        assert!((0.000_15 / law.amps(0.000_15) - 0.15).abs() < 1e-6);
    }

    #[test]
    fn a_motor_draws_its_rated_current_at_its_rated_voltage() {
        // Rated 12 V, 3 A, 1.1 Ohm, breakaway 0.5 A: back-EMF 12 - 3.3 = 8.7 V over 2.5 A.
        let law = Law::Motor { ohms: 1.1, breakaway: 0.5, slope: 8.7 / 2.5 };
        assert!((law.amps(12.0) - 3.0).abs() < 1e-12);
        assert!((law.back_emf(12.0) - 8.7).abs() < 1e-12);
        assert!((law.amps(0.55) - 0.5).abs() < 1e-12);
        assert_eq!(law.back_emf(0.5), 0.0);
    }
}
