//! Checks that names resolve and numbers are possible.

mod data;
mod effort;
mod physical;
mod procedures;
mod profiles;
mod replace;
mod settings;
mod worked_out;

use crate::element::{Table, Wrong};
use crate::{Condition, Element, OutputId, Problem, SignalSource, Vehicle};
use std::collections::{BTreeMap, BTreeSet};

struct Findings(Vec<Problem>);

impl Findings {
    fn add(&mut self, path: impl Into<String>, what: impl Into<String>, mend: impl Into<String>) {
        let short = |text: String| crate::load::short(&text).into_owned();
        let (path, what, mend) = (path.into(), what.into(), mend.into());
        self.0.push(Problem { path: short(path), what: short(what), mend: short(mend) });
    }

    fn unique<'a>(&mut self, list: &str, ids: impl Iterator<Item = &'a str>) -> BTreeSet<String> {
        let mut seen = BTreeSet::new();
        for (i, id) in ids.enumerate() {
            if id.is_empty() || id.contains(['.', ':', ' ']) {
                self.add(
                    format!("{list}[{i}].id"),
                    format!("“{id}” is not a usable id"),
                    "use letters, digits, _ and - only",
                );
            }
            if !seen.insert(id.to_owned()) {
                self.add(
                    format!("{list}[{i}].id"),
                    format!("“{id}” is used twice"),
                    "give one of them another id",
                );
            }
        }
        seen
    }

    fn known(&mut self, path: String, what: &str, id: &str, all: &BTreeSet<String>) {
        if !all.contains(id) {
            // Of what is longer than any name nobody could have meant one.
            let meant = (id.len() <= LONGEST_NAME).then_some(all).into_iter().flatten();
            let near = meant.min_by_key(|known| distance(known, id)).map_or_else(
                || format!("add {what} “{id}”"),
                |near| format!("did you mean “{near}”?"),
            );
            self.add(path, format!("there is no {what} “{id}”"), near);
        }
    }
}

/// Longest name for which it is guessed what was meant, bytes.
const LONGEST_NAME: usize = 60;

/// Levenshtein distance, to guess what was meant.
fn distance(a: &str, b: &str) -> usize {
    let b: Vec<char> = b.chars().collect();
    let mut row: Vec<usize> = (0..=b.len()).collect();
    for (i, ca) in a.chars().enumerate() {
        let mut diagonal = row[0];
        row[0] = i + 1;
        for (j, cb) in b.iter().enumerate() {
            let cost = diagonal + usize::from(ca != *cb);
            diagonal = row[j + 1];
            row[j + 1] = cost.min(row[j] + 1).min(diagonal + 1);
        }
    }
    row[b.len()]
}

/// Possible values of a number by the name of its field: beyond them two sources could face each
/// other without resistance, or a conductance vanish.
fn range(field: &str) -> (f64, f64) {
    if field.ends_with("ohms") || field == "ohms_at_25" {
        (1e-5, 1e9)
    } else if field.ends_with("volts") {
        (1e-3, 1000.0)
    } else {
        (1e-7, 1e5)
    }
}

fn check_table(
    f: &mut Findings,
    path: &str,
    Table { points: table, range: (low, high) }: Table<'_>,
) {
    let rising = table.windows(2).all(|w| w[0].0 < w[1].0);
    let possible = table.iter().all(|p| p.0.is_finite() && p.1 >= low && p.1 <= high);
    if table.is_empty() || !rising || !possible {
        f.add(
            format!("{path}.table"),
            "the table cannot be read",
            format!(
                "give at least one point, the stimulus rising from point to point, values from {low} to {high}"
            ),
        );
    }
}

fn check_element(f: &mut Findings, part: &crate::Part, path: &str, element: &Element) {
    let positions: BTreeSet<String> = part.positions.iter().cloned().collect();
    for wrong in element.wrong(&part.positions) {
        match wrong {
            Wrong::Whole { what, mend } => f.add(path, what, mend),
            Wrong::Number { field, what, mend } => f.add(format!("{path}.{field}"), what, mend),
            Wrong::Position { field, named } => {
                f.known(format!("{path}.{field}"), "position", &named, &positions);
            }
        }
    }
}

/// IEC 60757 two-letter colour codes.
pub const COLOURS: [&str; 13] =
    ["BK", "BN", "RD", "OG", "YE", "GN", "BU", "VT", "GY", "WH", "PK", "TQ", "GD"];

impl Vehicle {
    /// Pins of each part, as its elements name them.
    pub fn part_pins(&self) -> BTreeMap<&str, BTreeSet<&str>> {
        self.parts
            .iter()
            .map(|part| {
                let pins = part.elements.iter().flat_map(|e| e.pins()).map(|(_, p)| p);
                (part.id.as_str(), pins.collect())
            })
            .collect()
    }

    /// Every cavity face a wire may end at or a probe may touch.
    pub fn cavity_ids(&self) -> BTreeSet<String> {
        let mut ids = BTreeSet::new();
        let mut claimed = BTreeSet::new();
        for connector in &self.connectors {
            let (first, second) = match &connector.sides {
                Some((a, b)) => (format!(":{a}"), format!(":{b}")),
                None => (String::new(), ":part".to_owned()),
            };
            for cavity in &connector.cavities {
                ids.insert(format!("{}.{}{first}", connector.id, cavity.no));
                ids.insert(format!("{}.{}{second}", connector.id, cavity.no));
                if let Some(part) = &connector.part {
                    claimed.insert((part.as_str(), cavity.pin.as_deref().unwrap_or(&cavity.no)));
                }
            }
        }
        for (part, pins) in self.part_pins() {
            for pin in pins {
                if !claimed.contains(&(part, pin)) {
                    ids.insert(format!("{part}.{pin}"));
                    ids.insert(format!("{part}.{pin}:part"));
                }
            }
        }
        ids
    }

    pub(crate) fn problems(&self) -> Vec<Problem> {
        let mut found = self.problems_as_built();
        // What is wrong with the whole is said once.
        if found.is_empty() {
            found = self.problems_without_equipment();
        }
        found
    }

    fn problems_as_built(&self) -> Vec<Problem> {
        let mut f = Findings(Vec::new());
        let places = f.unique("places", self.places.iter().map(|x| x.id.as_str()));
        let parts = f.unique("parts", self.parts.iter().map(|x| x.id.as_str()));
        let mut points = f.unique("splices", self.splices.iter().map(|x| x.id.as_str()));
        points.extend(f.unique("grounds", self.grounds.iter().map(|x| x.id.as_str())));
        f.unique("connectors", self.connectors.iter().map(|x| x.id.as_str()));
        f.unique("wires", self.wires.iter().map(|x| x.id.as_str()));
        let signals = f.unique("signals", self.signals.iter().map(|x| x.id.as_str()));
        let outputs = f.unique("outputs", self.outputs.iter().map(|x| x.id.as_str()));
        let stimuli = f.unique("stimuli", self.stimuli.iter().map(|x| x.id.as_str()));
        let buses = f.unique("buses", self.buses.iter().map(|x| x.id.as_str()));
        f.unique("functions", self.functions.iter().map(|x| x.id.as_str()));
        f.unique("states", self.states.iter().map(|x| x.id.as_str()));
        let located = (self.parts.iter().map(|x| ("parts", x.id.as_str(), &x.place)))
            .chain(self.connectors.iter().map(|x| ("connectors", x.id.as_str(), &x.place)))
            .chain(self.splices.iter().map(|x| ("splices", x.id.as_str(), &x.place)))
            .chain(self.grounds.iter().map(|x| ("grounds", x.id.as_str(), &x.place)));
        for (list, id, place) in located {
            f.known(format!("{list}[{id}].place"), "place", place, &places);
        }
        self.check_parts(&mut f, &outputs, &stimuli, &buses);
        self.check_connectors(&mut f, &parts);
        self.check_wires(&mut f, &points, &places);
        self.check_software(&mut f, &parts, &signals, &outputs);
        physical::check(self, &mut f, &parts, &stimuli);
        worked_out::check(self, &mut f, &parts, &signals);
        settings::check(self, &mut f, &parts, &signals);
        self.check_states(&mut f);
        self.check_buses(&mut f);
        self.check_messages(&mut f, &parts, &signals, &buses);
        effort::check(self, &mut f);
        data::check(self, &mut f);
        f.unique("options", self.options.iter().map(|o| o.id.as_str()));
        for option in &self.options {
            for part in &option.parts {
                f.known(format!("options[{}].parts", option.id), "part", part, &parts);
            }
            for part in option.without.keys() {
                f.known(format!("options[{}].without", option.id), "part", part, &parts);
            }
        }
        f.0
    }

    fn check_parts(
        &self,
        f: &mut Findings,
        outputs: &BTreeSet<String>,
        stimuli: &BTreeSet<String>,
        buses: &BTreeSet<String>,
    ) {
        for part in &self.parts {
            for (i, element) in part.elements.iter().enumerate() {
                let path = format!("parts[{}].elements[{i}]", part.id);
                for (name, value) in element.numbers() {
                    let (low, high) = range(name);
                    if !(value >= low && value <= high) {
                        f.add(
                            format!("{path}.{name}"),
                            format!("{value:?} is not possible"),
                            format!("give a number from {low:e} to {high:e}"),
                        );
                    }
                }
                for (name, value) in element.signed() {
                    if value.is_nan() || value.abs() > 1e6 {
                        f.add(
                            format!("{path}.{name}"),
                            format!("{value:?} is not possible"),
                            "give a number between -1e6 and 1e6",
                        );
                    }
                }
                for output in element.outputs() {
                    f.known(format!("{path}.output"), "output", output, outputs);
                }
                for stimulus in element.stimuli() {
                    f.known(format!("{path}.stimulus"), "stimulus", stimulus, stimuli);
                }
                if let Some(bus) = element.bus() {
                    f.known(format!("{path}.bus"), "bus", bus, buses);
                }
                if let Some(table) = element.table() {
                    check_table(f, &path, table);
                }
                check_element(f, part, &path, element);
            }
        }
    }

    fn check_buses(&self, f: &mut Findings) {
        for bus in &self.buses {
            if !(0.0..=0.9).contains(&bus.dominant_share) {
                f.add(
                    format!("buses[{}].dominant_share", bus.id),
                    format!("{:?} is not possible", bus.dominant_share),
                    "give a share from 0 to 0.9",
                );
            }
        }
        for output in &self.outputs {
            if let Some(duty) = output.duty
                && !(duty > 0.0 && duty < 1.0)
            {
                f.add(
                    format!("outputs[{}].duty", output.id),
                    format!("{duty:?} is not possible"),
                    "give a share between 0 and 1, or leave it out for plain switching",
                );
            }
            if let Some([least, most]) = output.percent
                && !(least >= 1.0 && least < most && most <= 100.0)
            {
                f.add(
                    format!("outputs[{}].percent", output.id),
                    format!("from {least:?} to {most:?} % is not possible"),
                    "give the least share first, then the largest, from 1 to 100",
                );
            }
            let rises = output.steps.windows(2).all(|w| w[0] < w[1]);
            let fits = output.steps.iter().all(|s| (1.0..=100.0).contains(s));
            if !(rises && fits) || !output.steps.is_empty() && output.usual_percent().is_none() {
                f.add(
                    format!("outputs[{}].steps", output.id),
                    format!("{:?} % are not possible", output.steps),
                    "give the share of each step, the least first, from 1 to 100; `duty` is one of them",
                );
            }
            if output.percent.is_some() && !output.steps.is_empty() {
                f.add(
                    format!("outputs[{}].steps", output.id),
                    "it has a range beside its steps".to_owned(),
                    "keep `steps` where a tester asks for one by its number, `percent` where any share will do",
                );
            }
        }
        let wires: BTreeSet<String> = self.wires.iter().map(|w| w.id.to_string()).collect();
        for place in &self.places {
            for (a, b) in &place.beside {
                for id in [a, b] {
                    f.known(format!("places[{}].beside", place.id), "conductor", id, &wires);
                }
            }
        }
    }

    /// Every vehicle must hold together without any of its equipment.
    fn problems_without_equipment(&self) -> Vec<Problem> {
        let mut f = Findings(Vec::new());
        for option in &self.options {
            let without = self.without_equipment(&BTreeSet::from([option.id.clone()]));
            for problem in without.problems_as_built() {
                f.add(
                    format!("options[{}]", option.id),
                    format!("without it, {}: {}", problem.path, problem.what),
                    "name every part that only serves this equipment",
                );
            }
        }
        f.0
    }

    fn check_messages(
        &self,
        f: &mut Findings,
        parts: &BTreeSet<String>,
        signals: &BTreeSet<String>,
        buses: &BTreeSet<String>,
    ) {
        if let Some(gateway) = &self.gateway {
            f.known("gateway".into(), "part", gateway, parts);
        }
        for m in &self.messages {
            let path = format!("messages[{}]", m.id);
            f.known(format!("{path}.sender"), "part", &m.sender, parts);
            f.known(format!("{path}.bus"), "bus", &m.bus, buses);
            let sender = self.parts.iter().find(|p| p.id == m.sender);
            let on_bus = |p: &crate::Part| p.elements.iter().any(|e| e.bus() == Some(&m.bus));
            if sender.is_some_and(|p| !on_bus(p)) {
                f.add(
                    format!("{path}.bus"),
                    format!("{} is no member of bus “{}”", m.sender, m.bus),
                    "name a bus that one of its transceivers names",
                );
            }
            for id in &m.signals {
                f.known(format!("{path}.signals"), "signal", id, signals);
                let of = self.signals.iter().find(|s| s.id == *id);
                let own = |s: &crate::Signal| s.module == m.sender && !s.from.is_by_message();
                if of.is_some_and(|s| !own(s)) {
                    f.add(
                        format!("{path}.signals"),
                        format!("“{id}” is no value that {} works out itself", m.sender),
                        "name a signal of the sender that comes from its pins or outputs",
                    );
                }
            }
        }
    }

    fn check_connectors(&self, f: &mut Findings, parts: &BTreeSet<String>) {
        let pins = self.part_pins();
        for connector in &self.connectors {
            let path = format!("connectors[{}]", connector.id);
            if connector.part.is_some() == connector.sides.is_some() {
                f.add(
                    path.as_str(),
                    "must have either a part or two sides",
                    "give \"part\" for a part's connector, \"sides\" for an in-line pair",
                );
            }
            if connector.cavities.len() > usize::from(connector.cavity_count) {
                f.add(
                    format!("{path}.cavity_count"),
                    "more cavities in use than there are",
                    "raise cavity_count",
                );
            }
            let mut seen = BTreeSet::new();
            for (i, cavity) in connector.cavities.iter().enumerate() {
                if !seen.insert(&cavity.no) {
                    f.add(
                        format!("{path}.cavities[{i}].no"),
                        format!("cavity “{}” is listed twice", cavity.no),
                        "remove one of them",
                    );
                }
            }
            if let Some(part) = &connector.part {
                f.known(format!("{path}.part"), "part", part, parts);
                if let Some(pins) = pins.get(part.as_str()) {
                    let all = pins.iter().map(|p| (*p).to_owned()).collect();
                    for (i, cavity) in connector.cavities.iter().enumerate() {
                        let pin = cavity.pin.as_deref().unwrap_or(&cavity.no);
                        f.known(format!("{path}.cavities[{i}].pin"), "pin", pin, &all);
                    }
                }
            }
        }
    }

    fn check_wires(&self, f: &mut Findings, points: &BTreeSet<String>, places: &BTreeSet<String>) {
        let cavities = self.cavity_ids();
        let ends: BTreeSet<String> = cavities.iter().chain(points).cloned().collect();
        for (i, wire) in self.wires.iter().enumerate() {
            for (name, end) in [("from", &wire.from), ("to", &wire.to)] {
                f.known(format!("wires[{i}].{name}"), "cavity, splice or ground", end, &ends);
            }
            if wire.from == wire.to {
                f.add(format!("wires[{i}]"), "both ends are the same point", "give the far end");
            }
            for (name, value) in [("area_mm2", wire.area_mm2), ("length_m", wire.length_m)] {
                if !(value.is_finite() && value > 0.0 && value < 1000.0) {
                    f.add(
                        format!("wires[{i}].{name}"),
                        format!("{value:?} is not possible"),
                        "give a number above zero",
                    );
                }
            }
            for code in wire.colour.split('/') {
                if !COLOURS.contains(&code) {
                    f.add(
                        format!("wires[{i}].colour"),
                        format!("“{code}” is no IEC 60757 colour"),
                        format!("use one of {}", COLOURS.join(" ")),
                    );
                }
            }
            for place in &wire.route {
                f.known(format!("wires[{i}].route"), "place", place, places);
            }
        }
    }

    fn check_software(
        &self,
        f: &mut Findings,
        parts: &BTreeSet<String>,
        signals: &BTreeSet<String>,
        outputs: &BTreeSet<String>,
    ) {
        let pins = self.part_pins();
        let messages = f.unique("messages", self.messages.iter().map(|m| m.id.as_str()));
        for signal in &self.signals {
            let path = format!("signals[{}]", signal.id);
            f.known(format!("{path}.module"), "part", &signal.module, parts);
            match &signal.from {
                SignalSource::PinVolts { pin, against }
                | SignalSource::Amps { from: pin, to: against, .. }
                | SignalSource::Rate { pin, against, .. } => {
                    if let SignalSource::Amps { ohms, .. } = &signal.from
                        && !(1e-6..=1e3).contains(ohms)
                    {
                        f.add(
                            format!("{path}.from.amps.ohms"),
                            format!("{ohms:?} ohms is no shunt"),
                            "give the resistance between the two pins, from 1e-6 to 1000 ohms",
                        );
                    }
                    let all = pins.get(signal.module.as_str());
                    let all = all.map(|p| p.iter().map(|p| (*p).to_owned()).collect());
                    for pin in [pin, against] {
                        f.known(
                            format!("{path}.from"),
                            "pin",
                            pin,
                            all.as_ref().unwrap_or(&BTreeSet::new()),
                        );
                    }
                }
                SignalSource::Formula(_) | SignalSource::Setting(_) => {}
                SignalSource::Output(output) | SignalSource::Duty(output) => {
                    f.known(format!("{path}.from"), "output", output, outputs);
                }
                SignalSource::Arrives(message) => {
                    f.known(format!("{path}.from"), "message", message, &messages);
                }
                SignalSource::Received { message, signal: carried, valid, .. } => {
                    if valid.is_some_and(|[least, most]| least >= most) {
                        f.add(
                            format!("{path}.from.received.valid"),
                            "nothing lies in this range",
                            "give the least value first, then the largest",
                        );
                    }
                    f.known(format!("{path}.from"), "message", message, &messages);
                    let carries = |m: &&crate::Message| m.id == *message;
                    let known = self.messages.iter().find(carries);
                    if known.is_some_and(|m| !m.signals.contains(carried)) {
                        f.add(
                            format!("{path}.from"),
                            format!("message “{message}” does not carry “{carried}”"),
                            "add it to the message's signals, or name another",
                        );
                    }
                }
            }
        }
        for output in &self.outputs {
            let path = format!("outputs[{}]", output.id);
            if let Some(current) = &output.current {
                f.known(format!("{path}.current"), "signal", current, signals);
            }
            f.known(format!("{path}.module"), "part", &output.module, parts);
            f.known(format!("{path}.load"), "part", &output.load, parts);
            for signal in output.needs.iter().flat_map(|n| n.holds.signals()) {
                f.known(format!("{path}.needs"), "signal", signal, signals);
            }
            if let Some(other) = &output.other_way {
                f.known(format!("{path}.other_way"), "output", other, outputs);
                let of = self.outputs.iter().find(|o| o.id == *other);
                if of.is_some_and(|o| o.other_way.as_ref() != Some(&output.id)) {
                    f.add(
                        format!("{path}.other_way"),
                        format!("“{other}” does not name “{}” as its other way", output.id),
                        "let each name the other",
                    );
                }
            }
        }
        let mut check = |path: String, condition: &Condition| {
            for signal in condition.signals() {
                f.known(path.clone(), "signal", signal, signals);
            }
        };
        for function in &self.functions {
            check(format!("functions[{}].request", function.id), &function.request);
            for permit in &function.permits {
                check(format!("functions[{}].permits", function.id), &permit.holds);
            }
        }
        for (i, monitor) in self.monitors.iter().enumerate() {
            check(format!("monitors[{i}].fails"), &monitor.fails);
            if let Some(enable) = &monitor.enable {
                check(format!("monitors[{i}].enable"), enable);
            }
        }
        for (i, monitor) in self.monitors.iter().enumerate() {
            for signal in &monitor.snapshot {
                f.known(format!("monitors[{i}].snapshot"), "signal", signal, signals);
            }
        }
        self.check_identifiers(f);
        for function in &self.functions {
            f.known(
                format!("functions[{}].output", function.id),
                "output",
                &function.output,
                outputs,
            );
        }
        for (i, monitor) in self.monitors.iter().enumerate() {
            f.known(format!("monitors[{i}].module"), "part", &monitor.module, parts);
        }
        let mut addresses = BTreeSet::new();
        for part in &self.parts {
            if let Some(module) = &part.module
                && !addresses.insert(module.address)
            {
                f.add(
                    format!("parts[{}].module.address", part.id),
                    format!("address {:#06x} is used twice", module.address),
                    "give each module its own",
                );
            }
        }
    }

    /// Identifiers of a module's identification and configuration, and the values behind them.
    fn check_identifiers(&self, f: &mut Findings) {
        for part in &self.parts {
            let Some(module) = &part.module else { continue };
            let path = format!("parts[{}].module", part.id);
            let dids = module.identification.keys().chain(module.configuration.keys());
            for did in dids.filter(|d| d.len() != 4 || u16::from_str_radix(d, 16).is_err()) {
                f.add(
                    format!("{path}.{did}"),
                    format!("“{did}” is no data identifier"),
                    "give four hexadecimal digits, for example F187",
                );
            }
            for (did, setting) in &module.configuration {
                if setting.bytes().is_none_or(|b| b.is_empty() || b.len() > 64) {
                    f.add(
                        format!("{path}.configuration.{did}.value"),
                        format!("“{}” is no value", setting.value),
                        "give two hexadecimal digits a byte, 1 to 64 bytes",
                    );
                }
            }
        }
    }

    fn check_states(&self, f: &mut Findings) {
        for named in &self.states {
            for problem in self.unknown_in_state(&named.state) {
                f.add(format!("states[{}]", named.id), problem, "mend or remove it");
            }
        }
        profiles::check(self, f);
        procedures::check(self, f);
        replace::check(self, f);
    }

    /// What in an operating state does not exist in this vehicle.
    pub fn unknown_in_state(&self, state: &crate::OperatingState) -> Vec<String> {
        // It is asked for every piece of evidence: only what the state names is looked for.
        let mut problems = Vec::new();
        let is_known = |id: &OutputId| self.outputs.iter().any(|o| o.id == *id);
        for output in state.outputs.iter().filter(|o| !is_known(o)) {
            problems.push(format!("there is no output “{output}”"));
        }
        for (output, percent) in &state.percent {
            let own = self.outputs.iter().find(|o| o.id == *output);
            match own {
                None => problems.push(format!("there is no output “{output}”")),
                Some(o) if !(o.is_graded() && state.outputs.contains(output)) => {
                    problems.push(format!("“{output}” is not driven by percent"));
                }
                Some(o) if !o.takes(percent.0) => {
                    problems.push(format!("“{output}” takes {}, not {} %", o.shares(), percent.0))
                }
                Some(_) => {}
            }
        }
        for connector in &state.unplugged {
            let known = self.connectors.iter().any(|c| &c.id == connector)
                || self.parts.iter().any(|p| p.id == *connector.as_str());
            if !known {
                problems.push(format!("there is no connector “{connector}” to unplug"));
            }
        }
        for (id, amount) in &state.stimuli {
            if !self.stimuli.iter().any(|s| &s.id == id) {
                problems.push(format!("there is no stimulus “{id}”"));
            } else if amount.0.is_nan() || amount.0.abs() > 1e6 {
                problems.push(format!("stimulus “{id}” cannot be {}", amount.0));
            }
        }
        for (switch, position) in &state.switches {
            match self.parts.iter().find(|p| &p.id == switch) {
                None => problems.push(format!("there is no switch “{switch}”")),
                Some(part) if !part.positions.contains(position) => problems.push(format!(
                    "{switch} has no position “{position}”; it has {}",
                    part.positions.join(", ")
                )),
                Some(_) => {}
            }
        }
        problems
    }
}
