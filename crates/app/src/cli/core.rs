//! Commands that need no server: one vehicle file in, one answer out.

use super::Point;
use circuit::software::{self, Verdict};
use circuit::{Circuit, Fault, fault, spice};
use diagnosis::costs::Prices;
use diagnosis::{Evidence, Finding, Model, Posterior, Present, Priors, Strength, next, suspects};
use serde_json::{Map, Value, json};
use std::io::Write;
use std::path::Path;
use std::sync::Arc;
use vehicle::{ConnectorId, OperatingState, Vehicle};

type Outcome = Result<(), String>;

/// Errors said at once; more than anybody mends before trying again are counted.
const SAID: usize = 50;

/// Prints JSON; a closed pipe is no error.
pub(super) fn print(value: &Value) {
    let text = serde_json::to_string_pretty(value).unwrap_or_default();
    let _ = writeln!(std::io::stdout(), "{text}");
}

pub(super) fn say(text: &str) {
    let _ = writeln!(std::io::stdout(), "{text}");
}

fn read(path: &Path) -> Result<String, String> {
    std::fs::read_to_string(path).map_err(|e| format!("{}: {e}", path.display()))
}

pub(super) fn vehicle(path: &Path) -> Result<Vehicle, String> {
    Vehicle::from_json(&read(path)?).map_err(|e| {
        let lines: Vec<String> =
            e.to_string().lines().map(|l| format!("{}: {l}", path.display())).collect();
        lines.join("\n")
    })
}

fn circuit(path: &Path) -> Result<Arc<Circuit>, String> {
    Circuit::new(vehicle(path)?).map(Arc::new).map_err(|e| format!("{}: {e}", path.display()))
}

fn state(circuit: &Circuit, name: &str) -> Result<OperatingState, String> {
    let state = match name.strip_prefix('@') {
        Some(file) => {
            serde_json::from_str(&read(Path::new(file))?).map_err(|e| format!("{file}: {e}"))?
        }
        None => {
            let states = &circuit.vehicle.states;
            let named = states.iter().find(|s| s.id == name);
            named.map(|s| s.state.clone()).ok_or_else(|| {
                let known: Vec<&str> = states.iter().map(|s| s.id.as_str()).collect();
                format!("there is no state “{name}”; this vehicle has {}", known.join(", "))
            })?
        }
    };
    circuit.check_state(&state).map_err(|e| e.to_string())?;
    Ok(state)
}

fn chosen(circuit: &Circuit, id: Option<&str>) -> Result<Option<Fault>, String> {
    id.map(|id| fault::by_id(circuit, id).map_err(|e| e.to_string())).transpose()
}

pub(super) fn check(path: &Path, as_json: bool) -> Outcome {
    let c = circuit(path)?;
    let v = &c.vehicle;
    let doubts = circuit::doubts(&c);
    if as_json {
        let doubts: Vec<Value> = doubts
            .iter()
            .map(|d| json!({"path": d.path, "what": d.what, "mend": d.mend}))
            .collect();
        print(&json!({"ok": true, "parts": v.parts.len(), "conductors": v.wires.len(),
            "connectors": v.connectors.len(), "nodes": c.nodes, "doubts": doubts}));
        return Ok(());
    }
    let sound = match doubts.len() {
        0 => "sound",
        _ => "sound in form, but doubtful",
    };
    say(&format!(
        "{} {}: {sound}. {} parts, {} conductors, {} connectors, {} nodes.",
        v.make,
        v.model,
        v.parts.len(),
        v.wires.len(),
        v.connectors.len(),
        c.nodes
    ));
    if !doubts.is_empty() {
        say(&vehicle::listed(&doubts));
    }
    Ok(())
}

pub(super) fn solve(point: &Point) -> Outcome {
    let c = circuit(&point.vehicle)?;
    let state = state(&c, &point.state)?;
    let fault = chosen(&c, point.fault.as_deref())?;
    let changes = fault.map(|f| f.changes).unwrap_or_default();
    let s = circuit::hearing::solve(&c, &state, &changes);
    let v = &c.vehicle;
    let cavities: Map<String, Value> =
        c.node_of.iter().map(|(id, n)| (id.clone(), json!(s.volts[*n]))).collect();
    let conductors: Map<String, Value> = v
        .wires
        .iter()
        .zip(&c.wire_branch)
        .map(|(w, k)| (w.id.to_string(), json!(s.amps(&c, *k))))
        .collect();
    let modules: Map<String, Value> = v
        .parts
        .iter_enumerated()
        .filter(|(_, p)| p.module.is_some())
        .map(|(k, p)| (p.id.to_string(), json!(s.alive(&c, k))))
        .collect();
    let codes: Vec<Value> = software::monitors(
        &c,
        &s,
        &circuit::hearing::unheard(&c, &state, &changes).lost,
    )
    .into_iter()
    .zip(&v.monitors)
    .filter(|(verdict, _)| *verdict == Verdict::Failed)
    .map(|(_, m)| json!({"module": m.module, "code": m.code, "failure_type": m.failure_type}))
    .collect();
    if point.json {
        print(&json!({"cavities": cavities, "conductors": conductors, "modules": modules,
            "codes": codes, "converged": s.converged}));
        return Ok(());
    }
    for (id, volts) in &cavities {
        say(&format!("{id:<16} {:>9.3} V", volts.as_f64().unwrap_or_default()));
    }
    for (id, amps) in &conductors {
        say(&format!("conductor {id:<6} {:>9.3} A", amps.as_f64().unwrap_or_default()));
    }
    for (id, alive) in &modules {
        say(&format!("{id} {}", if alive == &json!(true) { "works" } else { "does not work" }));
    }
    for code in &codes {
        say(&format!("code {code}"));
    }
    for part in &s.chattering {
        say(&format!("{} chatters: it keeps switching to and fro", v.parts[*part].id));
    }
    Ok(())
}

pub(super) fn netlist(point: &Point) -> Outcome {
    let c = circuit(&point.vehicle)?;
    let state = state(&c, &point.state)?;
    let fault = chosen(&c, point.fault.as_deref())?;
    let title = format!(
        "{} {}, state {}, {}",
        c.vehicle.make,
        c.vehicle.model,
        point.state,
        fault.as_ref().map_or("sound", |f| &f.text)
    );
    let changes = fault.map(|f| f.changes).unwrap_or_default();
    let s = circuit::hearing::solve(&c, &state, &changes);
    let deck = spice::deck(&c, &title, &s, &changes, None);
    if point.json {
        print(&json!({"deck": deck}));
    } else {
        say(deck.trim_end());
    }
    Ok(())
}

pub(super) fn faults(path: &Path, as_json: bool) -> Outcome {
    let c = circuit(path)?;
    let all = fault::all(&c);
    if as_json {
        print(&serde_json::to_value(&all).unwrap_or_default());
    } else {
        for f in all {
            say(&format!("{:<40} {:>10.6}  {}", f.id, f.prior, f.text));
        }
    }
    Ok(())
}

/// A piece of evidence as the file has it: the state by name or in full.
fn evidence(c: &Circuit, value: &Value) -> Result<Evidence, String> {
    let mut value = value.clone();
    let object = value.as_object_mut().ok_or(": must be an object")?;
    if let Some(Value::String(name)) = object.get("state") {
        let state = state(c, name).map_err(|e| format!(".state: {e}"))?;
        object.insert("state".into(), json!(state));
    }
    let unplugged: Vec<ConnectorId> = match object.remove("unplugged") {
        Some(list) => serde_json::from_value(list).map_err(|e| format!(".unplugged: {e}"))?,
        None => Vec::new(),
    };
    let mut e: Evidence = serde_path_to_error::deserialize(value).map_err(|e| {
        let (path, .., what) = vehicle::misshapen(e);
        format!(".{path}: {what}")
    })?;
    e.state.unplugged.extend(unplugged);
    Ok(e)
}

/// Where no piece is said to be the complaint, the first effect that is lost is.
fn name_complaint(all: &mut [Evidence]) {
    let lost = |e: &&mut Evidence| matches!(&e.finding, Finding::Effect { strength, .. } if *strength != Strength::Normal);
    if !all.iter().any(|e| e.complaint)
        && let Some(first) = all.iter_mut().find(lost)
    {
        first.complaint = true;
    }
}

/// Prints how often things fail before anything is known.
pub(super) fn rates(as_json: bool) -> Outcome {
    let all = fault::rates::ALL;
    if as_json {
        print(&serde_json::to_value(all).unwrap_or_default());
        return Ok(());
    }
    say("failures a year of a thousand in ordinary use");
    for r in all {
        say(&format!("{:>7.3}  {:<32} {}", r.rate, r.kind, r.why));
    }
    Ok(())
}

pub(super) fn suspects(path: &Path, evidence_path: &Path, as_json: bool) -> Outcome {
    let model = Model::new(vehicle(path)?).map_err(|e| format!("{}: {e}", path.display()))?;
    let at = evidence_path.display();
    let file: Value = serde_json::from_str(&read(evidence_path)?)
        .map_err(|e| format!("{at}: it is no whole JSON document: {e}"))?;
    let list = file
        .get("evidence")
        .and_then(Value::as_array)
        .ok_or_else(|| format!("{at}: there is no list \"evidence\""))?;
    let checked = list.iter().enumerate().map(|(k, value)| {
        let e = evidence(&model.circuit, value).map_err(|e| format!("{at}: evidence[{k}]{e}"))?;
        e.check(&model).map_err(|e| format!("{at}: evidence[{k}]: {e}"))?;
        Ok::<_, String>(e)
    });
    let (all, wrong): (Vec<_>, Vec<_>) = checked.partition(Result::is_ok);
    let mut wrong: Vec<String> = wrong.into_iter().filter_map(Result::err).collect();
    if let more @ 1.. = wrong.len().saturating_sub(SAID) {
        wrong.truncate(SAID);
        wrong.push(format!("{at}: and {more} more; mend these first"));
    }
    if !wrong.is_empty() {
        return Err(wrong.join("\n"));
    }
    let mut all: Vec<Evidence> = all.into_iter().filter_map(Result::ok).collect();
    name_complaint(&mut all);
    let refuse = |e: diagnosis::ModelError| format!("{at}: {e}");
    let posterior = Posterior::new(&model, &all).map_err(refuse)?;
    let priors = Priors::told(&model, &all);
    let list = suspects::suspects(&model, &priors, &all, &posterior, 8).map_err(refuse)?;
    // Told before the next checks are looked for: these take longer.
    if !as_json {
        for s in &list {
            say(&format!("{:>5.1} %  {}  {}", 100.0 * s.probability, s.text, s.variant));
            for r in &s.reasons_for {
                say(&format!("         + {}", r.text));
            }
            for r in &s.against {
                say(&format!("         - {}", r.text));
            }
        }
    }
    let now = all.last().map(|e| e.state.clone()).unwrap_or_default();
    let ask = next::Ask {
        model: &model,
        priors: &priors,
        evidence: &all,
        posterior: &posterior,
        present: Present::Unknown,
        now: &now,
        refused: &[],
        prices: &Prices::default(),
    };
    let checks = next::checks(&ask, 5).map_err(refuse)?.checks;
    if as_json {
        print(&json!({"suspects": list, "next": checks}));
        return Ok(());
    }
    for c in &checks {
        say(&format!(
            "next: {} ({}), expected {}: {:.1} min, {:.2} bit",
            c.text, c.state_text, c.expected, c.minutes, c.information_bits
        ));
    }
    Ok(())
}

pub(super) fn schema() -> Outcome {
    print(&Vehicle::schema());
    Ok(())
}
