use circuit::{Circuit, Sweep, Change, fault};
fn main() {
    let text = std::fs::read_to_string("vehicles/wren.json").unwrap();
    let c = Circuit::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
    let st = std::env::args().nth(1).unwrap();
    let state = &c.vehicle.states.iter().find(|s| s.id == st).unwrap().state;
    let f = fault::by_id(&c, &std::env::args().nth(2).unwrap()).unwrap();
    let s = c.solve(state, &f.changes, None);
    let mut sw = Sweep::new(&c, state, &[]);
    let p = sw.solve(&f.changes);
    for (name, v, laws) in [("cold", &s.volts[..], &s.laws[..]), ("quick", p.volts, p.laws)] {
        let mut sum = vec![0.0; c.nodes];
        for (k, b) in c.branches.iter().enumerate() { let i = laws[k].amps(v[b.from] - v[b.to]); sum[b.from] += i; sum[b.to] -= i; }
        for ch in &f.changes { if let Change::Bridge(a, b, r) = *ch { let i = (v[a] - v[b]) / r; println!("{name} bridge {a} {b} {} {} i {i}", v[a], v[b]); sum[a] += i; sum[b] -= i; } }
        let mut w: Vec<_> = (1..c.nodes).map(|n| ((sum[n] + v[n] * 1e-9).abs(), n)).collect(); w.sort_by(|a, b| b.0.total_cmp(&a.0));
        for (e, n) in w.iter().take(5) { println!("{name} node {n} {:?} residual {e}", c.node_of.iter().find(|x| x.1 == n).map(|x| x.0)); }
    }
    for (k, (a, b)) in s.laws.iter().zip(p.laws).enumerate() { if a != b { println!("law {k} {:?} {a:?} {b:?}", c.branches[k].of); } }
}
