//! The service chart of a sensor: what it feels, its resistance or output, and the volts at the module,
//! from its own law and the circuit it sits in; and what is read with it open or short.

use crate::compile::{Circuit, NodeId};
use crate::fault::Change;
use crate::law::Law;
use crate::solve::Solution;
use vehicle::{Amount, OperatingState, PartIx, SignalIx, Transfer};

/// Points of a chart.
const POINTS: usize = 41;
/// Resistance of a short, ohms.
const SHORT_OHMS: f64 = 0.1;
/// Half the range of a stimulus that neither the file nor a table bounds.
const AROUND: f64 = 50.0;

/// A point of a service chart.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ChartPoint {
    /// What is felt, in the unit of the stimulus.
    pub felt: f64,
    /// The sensor's own resistance, ohms; none for electronics.
    pub ohms: Option<f64>,
    /// Volts at the sensor's own pins, plugged in.
    pub sensor_volts: f64,
    /// Volts at the module's pins.
    pub module_volts: f64,
}

/// A service chart.
#[derive(Debug, Clone, PartialEq)]
pub struct Chart {
    /// From the least to the largest that is felt.
    pub points: Vec<ChartPoint>,
    /// Volts at the module with the sensor open.
    pub open_volts: f64,
    /// Volts at the module with the sensor's output shorted.
    pub short_volts: f64,
}

impl Chart {
    /// What is felt at so many volts at the module; none beyond its ends by more than rounding makes.
    pub fn felt_at(&self, volts: f64) -> Option<f64> {
        let between = |w: &[ChartPoint]| {
            let (a, b) = (w[0].module_volts, w[1].module_volts);
            let across = b - a;
            if across.abs() < 1e-9 {
                return None;
            }
            let share = (volts - a) / across;
            (0.0..=1.0).contains(&share).then(|| w[0].felt + share * (w[1].felt - w[0].felt))
        };
        self.points.windows(2).find_map(between).or_else(|| self.at_an_end(volts))
    }

    /// Volts just beyond an end are the end.
    fn at_an_end(&self, volts: f64) -> Option<f64> {
        const SLACK_VOLTS: f64 = 0.02;
        let ends = [self.points.first()?, self.points.last()?];
        let near = ends.iter().find(|p| (p.module_volts - volts).abs() < SLACK_VOLTS);
        near.map(|p| p.felt)
    }
}

/// The element of a sensor.
struct Sensor {
    /// Its output, and what that is against.
    ends: (NodeId, NodeId),
    /// The branch whose resistance is the sensor's own; none for electronics.
    ohmic: Option<crate::compile::BranchId>,
}

impl Circuit {
    /// The service chart of a signal that feels something, in a state; none for any other.
    pub fn chart(&self, signal: SignalIx, state: &OperatingState) -> Option<Chart> {
        let of = self.vehicle.signals.get(signal)?;
        let Transfer::Felt { sensor, stimulus } = &of.physical.as_ref()?.transfer else {
            return None;
        };
        let (a, b) = self.software.pins(signal)?;
        let part = self.part(sensor)?;
        let [least, most] = self.felt_range(part, stimulus);
        let solved: Vec<(f64, Solution)> = (0..POINTS)
            .map(|k| {
                let felt = least + (most - least) * k as f64 / (POINTS - 1) as f64;
                let mut state = state.clone();
                state.stimuli.insert(stimulus.clone(), Amount(felt));
                (felt, self.solve(&state, &[], None))
            })
            .collect();
        let volts = |s: &Solution, (a, b): (NodeId, NodeId)| s.volts[a] - s.volts[b];
        // A part may feel the same twice, as a pedal with two tracks: the output that goes with this pin.
        let apart = |of: &Sensor| {
            solved.iter().map(|(_, s)| (volts(s, of.ends) - volts(s, (a, b))).abs()).sum::<f64>()
        };
        let own = self.sensors(part, stimulus).min_by(|x, y| apart(x).total_cmp(&apart(y)))?;
        let points = solved.iter().map(|(felt, s)| ChartPoint {
            felt: *felt,
            ohms: own.ohmic.and_then(|k| match s.laws[k] {
                Law::Ohms(ohms) => Some(ohms),
                _ => None,
            }),
            sensor_volts: volts(s, own.ends),
            module_volts: volts(s, (a, b)),
        });
        let branches = self.part_devices[part].iter().flat_map(|d| &self.devices[*d].branches);
        let open: Vec<Change> = branches.map(|k| Change::Branch(*k, Law::OPEN)).collect();
        let short = [Change::Bridge(own.ends.0, own.ends.1, SHORT_OHMS)];
        let with = |changes: &[Change]| volts(&self.solve(state, changes, None), (a, b));
        Some(Chart { points: points.collect(), open_volts: with(&open), short_volts: with(&short) })
    }

    /// From where to where something is felt: as the file says, else as far as the sensor's table goes.
    fn felt_range(&self, part: PartIx, stimulus: &str) -> [f64; 2] {
        let said = self.vehicle.stimuli.iter().find(|s| s.id == stimulus);
        if let Some(range) = said.and_then(|s| s.range) {
            return range;
        }
        let elements = self.vehicle.parts[part].elements.iter();
        let mut tables =
            elements.filter(|e| e.stimuli().contains(&stimulus)).filter_map(|e| e.table());
        let ends = tables.find_map(|t| Some([t.points.first()?.0, t.points.last()?.0]));
        let rest = said.map_or(0.0, |s| s.rest);
        ends.filter(|[a, b]| a < b).unwrap_or([rest - AROUND, rest + AROUND])
    }

    /// Elements of a part that feel something.
    fn sensors<'a>(&'a self, part: PartIx, stimulus: &'a str) -> impl Iterator<Item = Sensor> + 'a {
        self.part_devices[part].iter().filter_map(move |d| {
            let placed = &self.devices[*d];
            let element = &self.vehicle.parts[part].elements[placed.element];
            if !element.stimuli().contains(&stimulus) {
                return None;
            }
            let pins = element.pins();
            let node = |roles: [&str; 4]| {
                let (_, name) = pins.iter().find(|(role, _)| roles.contains(role))?;
                self.pin_node.get(&(part, (*name).to_owned())).copied()
            };
            let ends =
                (node(["output", "wiper", "a", "minus"])?, node(["ground", "low", "b", "plus"])?);
            let two = pins.iter().any(|(role, _)| *role == "a");
            Some(Sensor { ends, ohmic: placed.branches.first().copied().filter(|_| two) })
        })
    }
}
