//! What was read while a procedure was followed, as a recording: a line a reading.

use circuit::software::procedure::Sample;
use std::fmt::Write;
use vehicle::{Procedure, Vehicle};

/// A column for each signal, headed by its id and unit; an empty cell where it was not read or not real. The last
/// column is that of marks.
pub fn csv(vehicle: &Vehicle, of: &Procedure, trace: &[Sample]) -> String {
    let signals = of.signals();
    let mut out = "Time (s)".to_owned();
    for id in &signals {
        let signal = vehicle.signals.iter().find(|s| s.id == *id);
        let unit = signal.and_then(|s| s.physical.as_ref()).map_or("", |p| p.unit.as_str());
        let _ = match unit {
            "" => write!(out, ",{id}"),
            unit => write!(out, ",{id} [{unit}]"),
        };
    }
    out.push_str(",Mark\n");
    for sample in trace {
        let _ = write!(out, "{:.3}", sample.at_s);
        for id in &signals {
            out.push(',');
            if let Some(value) = sample.values.get(id) {
                let _ = write!(out, "{value:.3}");
            }
        }
        out.push_str(",\n");
    }
    out
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[test]
    fn what_was_not_read_is_an_empty_cell() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
        let v = Vehicle::from_json(&std::fs::read_to_string(path).unwrap()).unwrap();
        let of = v.procedures.iter().find(|p| p.id == "tooth_errors").unwrap();
        let sample = |at_s: f64, values: &[(&str, f64)]| Sample {
            at_s,
            values: values.iter().map(|(s, v)| ((*s).into(), *v)).collect(),
        };
        let trace = [sample(0.0, &[("cts_volts", 71.5)]), sample(0.3, &[("app1_volts", 0.0)])];
        let lines: Vec<String> = csv(&v, of, &trace).lines().map(str::to_owned).collect();
        assert_eq!(lines[0], "Time (s),app1_volts [%],cts_volts [°C],ws_fl_rate [km/h],Mark");
        assert_eq!(&lines[1..], ["0.000,,71.500,,", "0.300,0.000,,,"]);
    }
}
