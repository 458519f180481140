//! Current-voltage laws of a branch.
//!
//! A law answers one question: with `v` volts from the first node to the second,
//! what current flows that way, and how does it change with `v`? Every law rises
//! with `v`, so that a network of them has exactly one solution and Newton's
//! method with a line search finds it from any start.

use crate::OPEN_OHMS;
use crate::compile::NodeId;

/// Thermal voltage at 27 degC, volts: Boltzmann's constant times 300.15 K over the elementary charge.
pub const THERMAL_VOLTS: f64 = 0.025_864_9;
/// Slope of a limited source beyond its limits, siemens: keeps the law rising.
const TAIL: f64 = 1e-12;
/// How the resistance of a tungsten filament grows with its voltage: current rises as V^0.55.
const FILAMENT_POWER: f64 = 0.45;

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
    /// A source behind a resistance that gives and takes no more than its limits.
    Limited {
        /// Open-circuit voltage, volts.
        volts: f64,
        /// Internal resistance, ohms.
        ohms: f64,
        /// Largest current it gives out of its first node, amperes.
        gives: f64,
        /// Largest current it takes into its first node, amperes.
        takes: f64,
    },
    /// A cell: a source behind one resistance while it gives, and behind a larger one while it is
    /// charged, since its surface charge rises against the current.
    Cell {
        /// Open-circuit voltage, volts.
        volts: f64,
        /// Internal resistance while it gives, ohms.
        ohms: f64,
        /// Resistance while it is charged, ohms.
        charging: f64,
    },
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
    /// Something that heats by its current: `v = i R (1 + (i / knee)^2)`. A contact spot or
    /// last strand reads well on an ohmmeter and drops volts under load; a PTC heater limits itself.
    Constriction {
        /// Cold resistance, ohms.
        ohms: f64,
        /// Current at which the resistance has doubled, amperes.
        knee: f64,
    },
    /// A filament: `R(v) = cold (1 + (v/knee)^2)^0.225`, so that the current rises as `v^0.55`.
    Filament {
        /// Cold resistance, ohms.
        cold: f64,
        /// Voltage at which it begins to glow, volts.
        knee: f64,
    },
    /// A junction (Shockley) behind a resistance, shifted by an offset:
    /// `v - offset = slope ln(1 + i / saturation) + i R`.
    Junction {
        /// Saturation current, amperes.
        saturation: f64,
        /// Emission coefficient times thermal voltage, volts.
        slope: f64,
        /// Series resistance, ohms.
        ohms: f64,
        /// Voltage added in series, volts: the breakdown of a zener.
        offset: f64,
    },
}

/// Wright's omega: the `w` above zero with `w + ln w = x`.
fn omega(x: f64) -> f64 {
    if x < -30.0 {
        return x.exp();
    }
    // Start from the nearer asymptote; Newton on w + ln w converges from either.
    let mut w = if x > 1.0 { x - x.ln() } else { (x - 1.0).exp().mul_add(0.8, 0.12).min(1.0) };
    for _ in 0..30 {
        let step = w * (x - w - w.ln()) / (1.0 + w);
        // A step may not leave the positive side.
        w = if w + step > 0.0 { w + step } else { 0.1 * w };
        if step.abs() <= 1e-15 * w {
            break;
        }
    }
    w
}

impl Law {
    /// An open branch.
    pub const OPEN: Self = Self::Ohms(OPEN_OHMS);

    /// A junction with a forward voltage at a current; `chain` junctions in series.
    pub fn junction(volts: f64, amps: f64, ohms: f64, chain: f64) -> Self {
        let slope = 1.8 * THERMAL_VOLTS * chain;
        let saturation = amps / (((volts - amps * ohms).max(0.05) / slope).exp() - 1.0);
        Self::Junction { saturation, slope, ohms, offset: 0.0 }
    }

    /// A filament that takes `watts` at `volts`, twelve times its cold resistance when hot.
    pub fn filament(volts: f64, watts: f64) -> Self {
        let hot = volts * volts / watts;
        let knee = volts / (12f64.powf(2.0 / FILAMENT_POWER) - 1.0).sqrt();
        Self::Filament { cold: hot / 12.0, knee }
    }

    /// The same with so many times its resistance: of a source, what lies behind its own voltage.
    #[must_use]
    pub fn times(self, n: f64) -> Self {
        match self {
            Self::Ohms(ohms) => Self::Ohms((ohms * n).clamp(1e-3, OPEN_OHMS)),
            Self::Source { volts, ohms } => Self::Source { volts, ohms: ohms * n },
            Self::Limited { volts, ohms, gives, takes } => {
                Self::Limited { volts, ohms: ohms * n, gives, takes }
            }
            Self::Cell { volts, ohms, charging } => {
                Self::Cell { volts, ohms: ohms * n, charging: charging * n }
            }
            Self::Motor { ohms, breakaway, slope } => {
                Self::Motor { ohms: ohms * n, breakaway, slope }
            }
            Self::Constriction { ohms, knee } => Self::Constriction { ohms: ohms * n, knee },
            Self::Filament { cold, knee } => Self::Filament { cold: cold * n, knee },
            Self::Junction { saturation, slope, ohms, offset } => {
                Self::Junction { saturation, slope, ohms: ohms * n, offset }
            }
        }
    }

    /// The same with a resistance in series; exact but for filaments and constrictions, whose
    /// cold resistance grows by it.
    #[must_use]
    pub fn in_series(self, more: f64) -> Self {
        match self {
            Self::Ohms(ohms) => Self::Ohms(ohms + more),
            Self::Source { volts, ohms } => Self::Source { volts, ohms: ohms + more },
            Self::Limited { volts, ohms, gives, takes } => {
                Self::Limited { volts, ohms: ohms + more, gives, takes }
            }
            Self::Cell { volts, ohms, charging } => {
                Self::Cell { volts, ohms: ohms + more, charging: charging + more }
            }
            Self::Motor { ohms, breakaway, slope } => {
                Self::Motor { ohms: ohms + more, breakaway, slope }
            }
            // Scaling keeps the shape; no fault puts two resistances on one contact.
            Self::Constriction { ohms, knee } => Self::Constriction { ohms: ohms + more, knee },
            Self::Filament { cold, knee } => Self::Filament { cold: cold + more, knee },
            Self::Junction { saturation, slope, ohms, offset } => {
                Self::Junction { saturation, slope, ohms: ohms + more, offset }
            }
        }
    }

    /// Linearisation at `v`: conductance `g` (siemens) and current `i0` (amperes)
    /// with `i = g v + i0` to first order.
    pub fn norton(self, v: f64) -> (f64, f64) {
        match self {
            Self::Ohms(r) => (1.0 / r, 0.0),
            Self::Source { volts, ohms } => (1.0 / ohms, -volts / ohms),
            Self::Limited { volts, ohms, gives, takes } => {
                let i = (v - volts) / ohms;
                if i < -gives {
                    (TAIL, -gives - TAIL * (volts - gives * ohms))
                } else if i > takes {
                    (TAIL, takes - TAIL * (volts + takes * ohms))
                } else {
                    (1.0 / ohms, -volts / ohms)
                }
            }
            Self::Cell { volts, ohms, charging } => {
                let g = 1.0 / if v > volts { charging } else { ohms };
                (g, -volts * g)
            }
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
            Self::Filament { cold, knee } => {
                let x = v / knee;
                let base = 1.0 + x * x;
                let r = cold * base.powf(0.5 * FILAMENT_POWER);
                let g = (1.0 - FILAMENT_POWER * x * x / base) / r;
                (g, v / r - g * v)
            }
            Self::Junction { saturation, slope, ohms, .. } => {
                let i = self.amps(v);
                let g = 1.0 / (ohms + slope / (i + saturation).max(1e-18));
                (g, i - g * v)
            }
        }
    }

    /// The same, coming from another linearisation: a law of three straight pieces goes through
    /// the middle one rather than from end to end, where Newton's method could go to and fro.
    pub fn norton_after(self, v: f64, used: (f64, f64)) -> (f64, f64) {
        let (low, middle, high) = match self {
            Self::Motor { ohms, breakaway, .. } => {
                let beyond = 2.0 * breakaway * ohms + 1.0;
                (-beyond, 0.0, beyond)
            }
            Self::Limited { volts, ohms, gives, takes } => (
                volts - gives * ohms - 1.0,
                volts + 0.5 * (takes - gives) * ohms,
                volts + takes * ohms + 1.0,
            ),
            _ => return self.norton(v),
        };
        let (low, high, now) = (self.norton(low), self.norton(high), self.norton(v));
        if (used == low && now == high) || (used == high && now == low) {
            self.norton(middle)
        } else {
            now
        }
    }

    /// Where the law meets the straight line through two points (volts, amperes) that the rest of
    /// the circuit has shown so far, volts; none where these tell no line that falls.
    ///
    /// A rest with fixed resistances shows the branch exactly such a line, so that one bent law
    /// alone is found in three steps however sharply it bends.
    pub fn meet(self, first: (f64, f64), second: (f64, f64)) -> Option<f64> {
        let fall = (second.1 - first.1) / (second.0 - first.0);
        if !fall.is_finite() || fall > 0.0 {
            return None;
        }
        // Rises with v, so there is one root; bracket it from the second point, then close in.
        let over = |v: f64| self.amps(v) - second.1 - fall * (v - second.0);
        let (mut at, start) = (second.0, over(second.0));
        let (mut low, mut high) = (at, at);
        let mut reach = 1e-3 + (second.0 - first.0).abs();
        while over(if start > 0.0 { low } else { high }) * start > 0.0 {
            if start > 0.0 {
                low -= reach
            } else {
                high += reach
            }
            reach *= 4.0;
            if reach > 1e6 {
                return None;
            }
        }
        for _ in 0..60 {
            let now = over(at);
            if now > 0.0 {
                high = at
            } else {
                low = at
            }
            let step = now / (self.norton(at).0 - fall);
            let next = at - step;
            if step.abs() < 1e-12 * (1.0 + at.abs()) || high - low < 1e-13 {
                at = next.max(low).min(high);
                break;
            }
            at = if next > low && next < high { next } else { 0.5 * (low + high) };
        }
        Some(at)
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
            Self::Junction { saturation, slope, ohms, offset } => {
                // i + Is = (slope / R) w with w + ln w = ln(Is R / slope) + (v - offset + Is R) / slope.
                let x = (saturation * ohms / slope).ln() + (v - offset + saturation * ohms) / slope;
                slope / ohms * omega(x) - saturation
            }
            law => {
                let (g, i0) = law.norton(v);
                g * v + i0
            }
        }
    }

    /// Whether one solve suffices.
    pub fn is_linear(self) -> bool {
        matches!(self, Self::Ohms(_) | Self::Source { .. })
    }

    /// Back-EMF of a motor at `v`, volts: proportional to its speed.
    pub fn back_emf(self, v: f64) -> f64 {
        match self {
            Self::Motor { ohms, .. } => (v.abs() - self.amps(v).abs() * ohms).max(0.0),
            _ => 0.0,
        }
    }

    /// The SPICE element card between two nodes.
    pub fn spice(self, name: &str, a: NodeId, b: NodeId) -> String {
        let v = format!("v({a},{b})");
        match self {
            Self::Ohms(r) => format!("R{name} {a} {b} {r:e}"),
            Self::Source { volts, ohms } => {
                format!("V{name} {name}_e {b} DC {volts:e}\nR{name} {a} {name}_e {ohms:e}")
            }
            Self::Limited { volts, ohms, gives, takes } => {
                let (low, high) = (volts - gives * ohms, volts + takes * ohms);
                format!(
                    "B{name} {a} {b} I={v}<{low:e} ? {:e}+{TAIL:e}*({v}-({low:e})) : ({v}>{high:e} ? {takes:e}+{TAIL:e}*({v}-({high:e})) : ({v}-({volts:e}))/{ohms:e})",
                    -gives
                )
            }
            Self::Cell { volts, ohms, charging } => format!(
                "B{name} {a} {b} I=({v}-({volts:e}))/({v}>{volts:e} ? {charging:e} : {ohms:e})"
            ),
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
            Self::Filament { cold, knee } => format!(
                "B{name} {a} {b} I={v}/({cold:e}*pow(1+({v}/{knee:e})*({v}/{knee:e}),{:e}))",
                0.5 * FILAMENT_POWER
            ),
            // SPICE's own diode; its emission coefficient carries the slope.
            Self::Junction { saturation, slope, ohms, offset } => format!(
                "V{name} {name}_o {b} DC {offset:e}\nD{name} {a} {name}_o M{name}\n.model M{name} D(IS={saturation:e} N={:e} RS={ohms:e} TNOM=27)",
                slope / THERMAL_VOLTS
            ),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

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

    #[test]
    fn a_filament_draws_its_power_and_is_a_twelfth_cold() {
        let law = Law::filament(12.0, 21.0);
        // 21 W at 12 V is 1.75 A; 6.857 Ohm hot, 0.5714 Ohm cold.
        assert!((law.amps(12.0) - 1.75).abs() < 1e-9, "{}", law.amps(12.0));
        assert!((0.001 / law.amps(0.001) - 0.5714).abs() < 1e-3);
        // At half the voltage the current falls to 0.5^0.55 = 0.683 of it.
        assert!((law.amps(6.0) / 1.75 - 0.683).abs() < 1e-3);
    }

    #[test]
    fn a_junction_drops_its_forward_voltage() {
        let law = Law::junction(0.75, 1.0, 0.05, 1.0);
        assert!((law.amps(0.75) - 1.0).abs() < 1e-9);
        assert!(law.amps(-12.0) < 0.0 && law.amps(-12.0) > -1e-5);
        // By Shockley, a tenth of the junction current costs 1.8 x 25.865 mV x ln 10 = 107.2 mV
        // and the series resistance gives back 45 mV.
        let v = 0.75 - 0.1072 - 0.045;
        assert!((law.amps(v) - 0.1).abs() < 2e-4, "{}", law.amps(v));
    }

    #[test]
    fn a_limited_source_gives_no_more_than_its_limit() {
        let law = Law::Limited { volts: 5.0, ohms: 0.5, gives: 0.05, takes: 0.0 };
        assert!((law.amps(4.99) + 0.02).abs() < 1e-12);
        assert!((law.amps(0.0) + 0.05).abs() < 1e-6);
        assert!(law.amps(12.0).abs() < 1e-5);
    }

    fn any_law() -> impl Strategy<Value = Law> {
        let ohms = (-3.0..5.0f64).prop_map(|e| 10f64.powf(e));
        prop_oneof![
            (ohms.clone(), 0.1..30.0f64, 0.0..5.0f64, 0.0..5.0f64).prop_map(
                |(ohms, volts, gives, takes)| { Law::Limited { volts, ohms, gives, takes } }
            ),
            (ohms.clone(), 1.0..30.0f64, 1.0..20.0f64).prop_map(|(ohms, volts, more)| Law::Cell {
                volts,
                ohms,
                charging: ohms * more
            }),
            (ohms.clone(), 0.01..5.0f64, 0.1..10.0f64)
                .prop_map(|(ohms, breakaway, slope)| Law::Motor { ohms, breakaway, slope }),
            (ohms.clone(), 0.05..20.0f64).prop_map(|(ohms, knee)| Law::Constriction { ohms, knee }),
            (1.0..24.0f64, 0.5..100.0f64).prop_map(|(v, w)| Law::filament(v, w)),
            (0.3..10.0f64, 1e-3..10.0f64, 1.0..4.0f64).prop_map(|(v, i, chain)| Law::junction(
                v,
                i,
                0.1 * v / i,
                chain
            )),
        ]
    }

    proptest! {
        #[test]
        fn every_law_rises_and_its_slope_is_its_derivative(law in any_law(), v in -30.0..30.0f64) {
            let (g, i0) = law.norton(v);
            let i = law.amps(v);
            prop_assert!(g > 0.0 && g.is_finite() && i.is_finite());
            prop_assert!((g * v + i0 - i).abs() <= 1e-9 * (1.0 + i.abs()));
            let h = 1e-5;
            let (low, high) = (law.amps(v - h), law.amps(v + h));
            prop_assert!(high >= low);
            // The slope lies between the slopes either side, kinks included.
            let (gl, gh) = (law.norton(v - h).0, law.norton(v + h).0);
            let measured = (high - low) / (2.0 * h);
            let (least, most) = (gl.min(gh).min(g), gl.max(gh).max(g));
            prop_assert!(measured > 0.98 * least - 1e-7 && measured < 1.02 * most + 1e-7, "{measured} {g}");
        }

        #[test]
        fn a_law_meets_the_line_that_the_rest_shows(
            law in any_law(),
            open in -20.0..20.0f64,
            rest in 1e-3..1e5f64,
            at in (-10.0..10.0f64, 1e-3..10.0f64),
        ) {
            // A rest of `open` volts behind `rest` ohms, seen at two voltages.
            let line = |v: f64| (v, (open - v) / rest);
            let v = law.meet(line(at.0), line(at.0 + at.1)).unwrap();
            let error = law.amps(v) - (open - v) / rest;
            prop_assert!(error.abs() <= 1e-6 * (1.0 + law.amps(v).abs()), "{v} {error}");
        }

        #[test]
        fn omega_is_the_inverse_of_w_plus_ln_w(x in -60.0..400.0f64) {
            let w = omega(x);
            prop_assert!(w > 0.0);
            prop_assert!((w + w.ln() - x).abs() < 1e-12 * (1.0 + x.abs()), "{w}");
        }
    }
}
