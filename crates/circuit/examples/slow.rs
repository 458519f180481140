use circuit::{Circuit, Sweep, fault};
fn main() {
    let text = std::fs::read_to_string("vehicles/wren.json").unwrap();
    let c = std::sync::Arc::new(Circuit::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap());
    let all = fault::all(&c); let faults: Vec<_> = circuit::sweep::order(&c, &all).into_iter().map(|k| all[k as usize].clone()).collect();
    println!("nodes {} branches {} devices {} faults {}", c.nodes, c.branches.len(), c.devices.len(), faults.len());
    for named in &c.vehicle.states {
        if std::env::args().nth(2).is_some_and(|a| a != named.id) { continue; } let t = std::time::Instant::now();
        let mut sweep = Sweep::new(&c, &named.state, &[]);
        let mut why = std::collections::BTreeMap::new();
        let (mut moved, mut n) = (0, 0); let mut times: std::collections::BTreeMap<String, (usize, f64)> = Default::default();
        for f in &faults {
            let b = sweep.from_rest;
            let t1 = std::time::Instant::now();
            let p = sweep.solve(&f.changes);
            let dt = t1.elapsed().as_nanos() as f64 / 1e3; let (rest, moved_) = (p.from_rest(), p.moved().map(|m| m.len()));
            let key: String = f.id.split(':').enumerate().filter(|(k, _)| *k != 1 && *k < 3).map(|x| x.1).collect::<Vec<_>>().join(":");
            let key = format!("{} {}", key.split('-').next().unwrap(), if rest { "rest" } else if moved_.is_none() { "all" } else if moved_ == Some(0) { "none" } else { "few" });
            let e: &mut (usize, f64) = times.entry(key).or_default(); e.0 += 1; e.1 += dt;
            if let Some(m) = moved_ { if m > 0 { moved += m; n += 1; } }
            if sweep.from_rest > b {
                let k: String = f.id.split(':').enumerate().filter(|(k, _)| *k != 1 && *k < 3).map(|x| x.1).collect::<Vec<_>>().join(":");
                let k = k.split('-').next().unwrap().to_owned();
                *why.entry(k).or_insert(0) += 1;
                if std::env::args().nth(1).as_deref() == Some(&named.id) { println!("  {}", f.id); }
            }
        }
        let mut list: Vec<_> = times.into_iter().collect(); list.sort_by(|a, b| b.1.1.total_cmp(&a.1.1));
        for (k, (n, t)) in list.iter().take(25) { println!("   {k}: {n} x {:.1} us = {:.1} ms", t / *n as f64, t / 1e3); }
        println!("{} {:?} untouched {} rest {} moved/avg {} {:?}", named.id, t.elapsed(), sweep.untouched, sweep.from_rest, moved / n.max(1), why);
    }
}
