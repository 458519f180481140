//! Codes and silences of the technician's own making (N8): what a sound vehicle would report with a
//! connector unplugged, or with a lamp or jumper on a circuit.

use crate::model::Model;
use crate::words;
use circuit::Probe;
use circuit::software::{self, Verdict};
use serde::Serialize;
use std::collections::BTreeSet;
use utoipa::ToSchema;
use vehicle::{MonitorIx, OperatingState, PartId};

/// Something done that a module may complain about.
#[derive(Debug, Clone, PartialEq)]
pub struct Doing {
    /// The state meanwhile.
    pub state: OperatingState,
    /// A lamp, jumper or meter with a load of its own that was on.
    pub tool: Option<Probe>,
    /// Codes that failed already, by monitor.
    pub before: BTreeSet<MonitorIx>,
}

/// What it makes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Own {
    /// Number of the monitor; none for a module's silence.
    #[serde(skip)]
    pub monitor: Option<MonitorIx>,
    /// Module part.
    pub module: PartId,
    /// Code and failure type; empty for silence.
    pub code: String,
    /// Meaning.
    pub text: String,
    /// What made it, in words.
    pub by: String,
}

/// What a sound vehicle makes of some doings, each code and silence once.
pub fn made(model: &Model, doings: &[Doing]) -> Vec<Own> {
    let v = &model.circuit.vehicle;
    let mut out: Vec<Own> = Vec::new();
    for doing in doings {
        let by = by(model, doing);
        let failed: Vec<MonitorIx> = match doing.tool.as_ref().map(|t| t.leads(&model.circuit)) {
            Some(Ok(leads)) => {
                let s = model.circuit.solve(&doing.state, &[], leads.extra());
                let all = software::monitors(&model.circuit, &s, &[]);
                all.keys().filter(|m| all[*m] == Verdict::Failed).collect()
            }
            Some(Err(_)) => Vec::new(),
            None => {
                let p = model.predict(&doing.state);
                for (part, module) in v.parts.iter_enumerated().filter(|(_, p)| p.module.is_some())
                {
                    let woken = doing.state.key != vehicle::KeyPosition::Off;
                    let known = out.iter().any(|o| o.monitor.is_none() && o.module == module.id);
                    if woken && !known && !p.healthy.answers(part) {
                        out.push(Own {
                            monitor: None,
                            module: module.id.clone(),
                            code: String::new(),
                            text: format!("{} does not answer", module.name),
                            by: by.clone(),
                        });
                    }
                }
                v.monitors.keys().filter(|m| p.healthy.monitor(*m) == Verdict::Failed).collect()
            }
        };
        for m in failed.into_iter().filter(|m| !doing.before.contains(m)) {
            if out.iter().all(|o| o.monitor != Some(m)) {
                let monitor = &v.monitors[m];
                out.push(Own {
                    monitor: Some(m),
                    module: monitor.module.clone(),
                    code: format!("{}-{}", monitor.code, monitor.failure_type),
                    text: monitor.text.clone(),
                    by: by.clone(),
                });
            }
        }
    }
    out
}

fn by(model: &Model, doing: &Doing) -> String {
    match &doing.tool {
        Some(tool) => format!("the {} at {}", words::tool(tool.instrument), tool.red),
        None => {
            let all: Vec<String> =
                doing.state.unplugged.iter().map(|id| words::thing(model, id)).collect();
            let led = doing.state.rerouted.iter().filter_map(|id| model.circuit.reroute(id));
            let mut done: Vec<String> = led.map(|r| model.circuit.reroute_text(r)).collect();
            if !all.is_empty() {
                done.insert(0, format!("{} unplugged", all.join(" and ")));
            }
            done.join(", ")
        }
    }
}

impl Own {
    /// Whether it is what makes a code fail in a scan made in `state`: it still is made, or its
    /// monitor has had no chance to find otherwise.
    pub fn makes(&self, model: &Model, state: &OperatingState, monitor: MonitorIx) -> bool {
        self.monitor == Some(monitor)
            && model.predict(state).healthy.monitor(monitor) != Verdict::Passed
    }

    /// Whether it is what keeps a module silent in a scan made in `state`.
    pub fn silences(&self, state: &OperatingState, module: &str) -> bool {
        self.monitor.is_none() && self.module == module && !state.is_plugged()
    }
}
