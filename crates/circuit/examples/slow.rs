use circuit::{Circuit, Sweep, fault};
fn main() {
    let text = std::fs::read_to_string("vehicles/wren.json").unwrap();
    let c = Circuit::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
    let faults = fault::all(&c);
    println!("nodes {} branches {} devices {} faults {}", c.nodes, c.branches.len(), c.devices.len(), faults.len());
    for named in &c.vehicle.states {
        let t = std::time::Instant::now();
        let mut sweep = Sweep::new(&c, &named.state, &[]);
        let mut why = std::collections::BTreeMap::new();
        let (mut moved, mut n) = (0, 0);
        for f in &faults {
            let b = sweep.from_rest;
            let p = sweep.solve(&f.changes);
            if let Some(m) = p.moved { if !m.is_empty() { moved += m.len(); n += 1; } }
            if sweep.from_rest > b {
                let k: String = f.id.split(':').enumerate().filter(|(k, _)| *k != 1 && *k < 3).map(|x| x.1).collect::<Vec<_>>().join(":");
                let k = k.split('-').next().unwrap().to_owned();
                *why.entry(k).or_insert(0) += 1;
                if std::env::args().nth(1).as_deref() == Some(&named.id) { println!("  {}", f.id); }
            }
        }
        println!("{} {:?} untouched {} rest {} moved/avg {} {:?}", named.id, t.elapsed(), sweep.untouched, sweep.from_rest, moved / n.max(1), why);
    }
}
