//! The parts that the screens are made of, and how sheets are laid out: tested by vitest, which this runs.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used)]

use diagnosis::Model;
use diagnosis::sheet::{self, Subject, Wanted};
use std::path::{Path, PathBuf};
use std::process::Command;

/// Sheets laid out, and the smallest and largest of them that tell anything, by their conductors.
const SHEETS: usize = 150;
const LINES: std::ops::RangeInclusive<usize> = 3..=22;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

/// Sheets of all sorts of subjects, evenly over all that there are.
fn sheets() -> serde_json::Value {
    let text = std::fs::read_to_string(root().join("vehicles/wren.json")).unwrap();
    let model = Model::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
    let on = model.circuit.vehicle.states.iter().find(|s| s.id == "on").unwrap();
    let all: Vec<Subject> = sheet::subjects(&model);
    let drawn = all.iter().step_by((all.len() / (4 * SHEETS)).max(1)).filter_map(|s| {
        let wanted = Wanted { about: &s.id, more: &[], state: &on.state, under: None };
        sheet::sheet(&model, &wanted).filter(|s| LINES.contains(&s.lines.len()))
    });
    serde_json::to_value(drawn.take(SHEETS).collect::<Vec<_>>()).unwrap()
}

#[test]
fn components_and_sheets_hold() {
    let held = tempfile::tempdir().unwrap();
    let file = held.path().join("sheets.json");
    std::fs::write(&file, sheets().to_string()).unwrap();
    let vitest = root().join("web/node_modules/.bin/vitest");
    let told = Command::new(&vitest)
        .arg("run")
        .env("SHEETS", &file)
        .env("NO_COLOR", "1")
        .current_dir(root().join("web"))
        .output()
        .unwrap_or_else(|e| panic!("{}: {e}; `cargo xtask test` installs it", vitest.display()));
    let said = String::from_utf8_lossy(&told.stdout) + String::from_utf8_lossy(&told.stderr);
    assert!(told.status.success(), "{said}");
}
