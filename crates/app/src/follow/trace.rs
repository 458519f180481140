//! What was read while a procedure was followed, as a recording: a line a reading.

use circuit::software::procedure::Sample;
use vehicle::{Procedure, SignalId, Vehicle};

/// A column for each signal, headed by its id and unit; an empty cell where it was not read or not real. The last
/// column is that of marks.
pub fn csv(vehicle: &Vehicle, of: &Procedure, trace: &[Sample]) -> Vec<u8> {
    let signals = of.signals();
    let head = |id: &SignalId| {
        let signal = vehicle.signals.iter().find(|s| s.id == *id);
        match signal.and_then(|s| s.physical.as_ref()).map_or("", |p| p.unit.as_str()) {
            "" => id.to_string(),
            unit => format!("{id} [{unit}]"),
        }
    };
    let line = |sample: &Sample| {
        let value = |id: &SignalId| sample.values.get(id).map(|v| format!("{v:.3}"));
        let cells = signals.iter().map(|id| value(id).unwrap_or_default());
        row(format!("{:.3}", sample.at_s), cells, String::new())
    };
    let heads = row("Time (s)".to_owned(), signals.iter().map(head), "Mark".to_owned());
    let mut table = csv::Writer::from_writer(Vec::new());
    for cells in std::iter::once(heads).chain(trace.iter().map(line)) {
        // A table in memory takes every row of the same length.
        let _ = table.write_record(cells);
    }
    table.into_inner().unwrap_or_default()
}

fn row(time: String, cells: impl Iterator<Item = String>, mark: String) -> Vec<String> {
    std::iter::once(time).chain(cells).chain([mark]).collect()
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
        let lines: Vec<String> =
            String::from_utf8(csv(&v, of, &trace)).unwrap().lines().map(str::to_owned).collect();
        assert_eq!(lines[0], "Time (s),app1_volts [%],cts_volts [°C],ws_fl_rate [km/h],Mark");
        assert_eq!(&lines[1..], ["0.000,,71.500,,", "0.300,0.000,,,"]);
    }
}
