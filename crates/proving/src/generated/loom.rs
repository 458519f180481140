//! A vehicle file as it grows: places, conductors through in-line pairs, splices, grounds.

use rand::Rng;
use rand::seq::IndexedRandom;
use rand_chacha::ChaCha8Rng;
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// An in-line pair between a zone and the middle of the vehicle.
#[derive(Debug)]
struct Inline {
    id: String,
    zone: String,
    used: usize,
}

/// A vehicle file that grows.
#[derive(Debug)]
pub(super) struct Loom {
    pub(super) rng: ChaCha8Rng,
    /// Rail that is always live, and splice that the key makes live.
    pub(super) permanent: String,
    pub(super) switched: String,
    /// How this maker numbers parts: prefix and first number.
    prefix: &'static str,
    first: usize,
    zones: Vec<String>,
    inline: Vec<Inline>,
    grounds: BTreeMap<String, Vec<String>>,
    counts: BTreeMap<&'static str, usize>,
    lists: BTreeMap<&'static str, Vec<Value>>,
}

const COLOURS: [&str; 10] = ["BK", "BN", "RD", "OG", "YE", "GN", "BU", "VT", "GY", "WH"];
/// The zone where the dash is; everything else is joined to it.
const MIDDLE: &str = "cabin";

impl Loom {
    pub(super) fn new(mut rng: ChaCha8Rng) -> Self {
        let prefix = ["", "N", "Q", "U"].choose(&mut rng).copied().unwrap_or("");
        let first = rng.random_range(1..40);
        Self {
            rng,
            permanent: String::new(),
            switched: String::new(),
            prefix,
            first,
            zones: Vec::new(),
            inline: Vec::new(),
            grounds: BTreeMap::new(),
            counts: BTreeMap::new(),
            lists: BTreeMap::new(),
        }
    }

    pub(super) fn chance(&mut self, p: f64) -> bool {
        self.rng.random::<f64>() < p
    }

    pub(super) fn one_of(&mut self, list: &[f64]) -> f64 {
        list.choose(&mut self.rng).copied().unwrap_or(1.0)
    }

    pub(super) fn push(&mut self, list: &'static str, value: Value) {
        self.lists.entry(list).or_default().push(value);
    }

    /// The next name of a sort of thing.
    pub(super) fn id(&mut self, letter: &'static str) -> String {
        let count = self.counts.entry(letter).or_insert(0);
        *count += 1;
        format!("{}{letter}{}", self.prefix, self.first + *count)
    }

    /// Zones with what they suffer, and the in-line pairs to them.
    pub(super) fn lay_out(&mut self, size: usize) {
        let zones = ["front", "engine", "left_side", "right_side", "rear", "roof", "underfloor"];
        let many = self.rng.random_range(2..=3 + 2 * size).min(zones.len());
        self.zones = zones.choose_multiple(&mut self.rng, many).map(|z| (*z).to_owned()).collect();
        self.push("places", json!({"id": MIDDLE, "name": MIDDLE}));
        for zone in self.zones.clone() {
            let [wet, hot, flexing, exposed] =
                [0.4, 0.2, 0.25, 0.3].map(|p| self.rng.random::<f64>() < p);
            self.push("places", json!({"id": zone, "name": zone, "wet": wet, "hot": hot, "flexing": flexing, "exposed": exposed}));
            for _ in 0..self.rng.random_range(0..=1 + size.min(1)) {
                let id = self.id("C");
                self.inline.push(Inline { id, zone: zone.clone(), used: 0 });
            }
        }
    }

    /// Some zone outside the middle.
    pub(super) fn zone(&mut self) -> String {
        self.zones.choose(&mut self.rng).cloned().unwrap_or_else(|| MIDDLE.to_owned())
    }

    pub(super) fn middle(&self) -> String {
        MIDDLE.to_owned()
    }

    fn minutes(&mut self) -> Value {
        let reach = self.one_of(&[0.5, 1.0, 2.0, 4.0, 6.0, 10.0]);
        json!({"reach": reach, "unplug": 0.5})
    }

    pub(super) fn part(
        &mut self,
        kind: &'static str,
        name: &str,
        place: &str,
        elements: Vec<Value>,
    ) -> String {
        let letter = match kind {
            "battery" | "generator" => "B",
            "fuse" => "F",
            "relay" => "K",
            "module" => "A",
            "switch" => "S",
            "sensor" => "T",
            _ => "P",
        };
        let id = self.id(letter);
        let minutes = self.minutes();
        let name = format!("{name} {id}");
        self.push("parts", json!({"id": id, "name": name, "kind": kind, "place": place, "minutes": minutes, "elements": elements}));
        id
    }

    /// The part pushed last gets one more field.
    pub(super) fn also(&mut self, field: &str, value: Value) {
        if let Some(part) = self.lists.get_mut("parts").and_then(|list| list.last_mut()) {
            part[field] = value;
        }
    }

    pub(super) fn switch(
        &mut self,
        name: &str,
        place: &str,
        positions: &[&str],
        contacts: Vec<Value>,
    ) -> String {
        let id = self.part("switch", name, place, contacts);
        self.also("positions", json!(positions));
        id
    }

    pub(super) fn rail(&mut self, name: &str) -> String {
        let id = self.id("R");
        self.push("splices", json!({"id": id, "name": name, "place": MIDDLE, "rail": true}));
        id
    }

    pub(super) fn splice(&mut self, name: &str, place: &str) -> String {
        let id = self.id("J");
        let minutes = self.minutes();
        self.push("splices", json!({"id": id, "name": name, "place": place, "minutes": minutes}));
        id
    }

    pub(super) fn new_ground(&mut self, zone: &str) -> String {
        let id = self.id("G");
        let minutes = self.minutes();
        self.push(
            "grounds",
            json!({"id": id, "name": format!("ground {id}"), "place": zone, "minutes": minutes}),
        );
        self.grounds.entry(zone.to_owned()).or_default().push(id.clone());
        id
    }

    /// A ground of a zone, mostly one that others use already.
    fn ground(&mut self, zone: &str) -> String {
        let there = self.grounds.get(zone).and_then(|list| list.choose(&mut self.rng)).cloned();
        match there {
            Some(id) if self.rng.random::<f64>() < 0.75 => id,
            _ => self.new_ground(zone),
        }
    }

    /// A cable too heavy for any in-line pair.
    pub(super) fn cable(&mut self, from: &str, to: &str, area: f64) {
        let length = 0.3 + 1.5 * self.rng.random::<f64>();
        self.wire(from, to, area, length, &[]);
    }

    fn wire(&mut self, from: &str, to: &str, area: f64, length: f64, route: &[&str]) {
        let id = self.id("w");
        let [base, stripe] = [0, 1].map(|_| COLOURS.choose(&mut self.rng).copied().unwrap_or("BK"));
        let colour = if base == stripe { base.to_owned() } else { format!("{base}/{stripe}") };
        self.push("wires", json!({"id": id, "from": from, "to": to, "colour": colour, "area_mm2": area, "length_m": length, "route": route}));
    }

    /// A conductor from a point of one zone to a point of another, through the in-line pairs between.
    pub(super) fn run(&mut self, from: &str, at: &str, to: &str, other: &str, area: f64) {
        let mut from = from.to_owned();
        let mut here = at.to_owned();
        if at != other {
            for (zone, outward) in [(at, false), (other, true)] {
                let Some((cavity, pair)) = self.cavity(zone) else { continue };
                let (near, far) = if outward { ("body", "zone") } else { ("zone", "body") };
                let length = 0.4 + 2.5 * self.rng.random::<f64>();
                self.wire(
                    &from,
                    &format!("{pair}.{cavity}:{near}"),
                    area,
                    length,
                    &[&here, MIDDLE],
                );
                from = format!("{pair}.{cavity}:{far}");
                here = if outward { zone.to_owned() } else { MIDDLE.to_owned() };
            }
        }
        let length = 0.2 + 2.5 * self.rng.random::<f64>();
        let route: Vec<&str> = if here == other { vec![other] } else { vec![&here, other] };
        self.wire(&from, to, area, length, &route);
    }

    /// A free cavity of an in-line pair to a zone, if one leads there.
    fn cavity(&mut self, zone: &str) -> Option<(usize, String)> {
        let there: Vec<usize> =
            (0..self.inline.len()).filter(|k| self.inline[*k].zone == zone).collect();
        let pair = &mut self.inline[*there.choose(&mut self.rng)?];
        pair.used += 1;
        Some((pair.used, pair.id.clone()))
    }

    /// To a ground of the zone, now and then by way of a splice.
    pub(super) fn ground_it(&mut self, from: &str, zone: &str, area: f64) {
        let ground = self.ground(zone);
        if self.chance(0.2) {
            let splice = self.splice("ground splice", zone);
            self.run(from, zone, &splice, zone, area);
            self.run(&splice, zone, &ground, zone, area.max(1.0));
        } else {
            self.run(from, zone, &ground, zone, area);
        }
    }

    /// A fuse on the permanent rail; its fed side.
    pub(super) fn fuse(&mut self, amps: f64) -> String {
        let from = self.permanent.clone();
        self.fused(&from, amps)
    }

    /// A fuse behind the key; its fed side.
    pub(super) fn switched_fuse(&mut self, amps: f64) -> String {
        let from = self.switched.clone();
        self.fused(&from, amps)
    }

    fn fused(&mut self, from: &str, amps: f64) -> String {
        let fuse = json!({"type": "fuse", "a": "1", "b": "2", "rating_amps": amps});
        let fuse = self.part("fuse", "Fuse", MIDDLE, vec![fuse]);
        let area = if amps > 20.0 { 6.0 } else { 2.5 };
        self.wire(from, &format!("{fuse}.1"), area, 0.15, &[MIDDLE]);
        format!("{fuse}.2")
    }

    /// A state worth a name.
    pub(super) fn state(&mut self, id: &str, state: Value) {
        self.push("states", json!({"id": id, "name": id, "minutes": 0.2, "state": state}));
    }

    /// The finished file.
    pub(super) fn file(mut self, seed: u64) -> Value {
        for pair in std::mem::take(&mut self.inline) {
            if pair.used == 0 {
                continue;
            }
            let cavities: Vec<Value> =
                (1..=pair.used).map(|no| json!({"no": no.to_string()})).collect();
            let minutes = self.minutes();
            let sealed = self.chance(0.5);
            self.push("connectors", json!({"id": pair.id, "name": format!("in-line pair {}", pair.id), "sides": ["zone", "body"], "place": pair.zone, "sealed": sealed, "minutes": minutes, "cavity_count": pair.used + 2, "cavities": cavities}));
        }
        let mut file = json!({"format": 1, "id": format!("made_up_{seed}"), "make": "made up", "model": format!("{seed}"), "year": 2024});
        for list in ["places", "parts", "connectors", "splices", "grounds", "wires", "states"] {
            file[list] = json!(self.lists.remove(list).unwrap_or_default());
        }
        for (list, values) in self.lists {
            file[list] = json!(values);
        }
        file
    }
}
