use circuit::{Circuit, Sweep, fault};
fn main() {
    let text = std::fs::read_to_string("vehicles/wren.json").unwrap();
    let c = Circuit::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
    let st = std::env::args().nth(1).unwrap();
    let state = &c.vehicle.states.iter().find(|s| s.id == st).unwrap().state;
    for id in std::env::args().skip(2) {
        let f = fault::by_id(&c, &id).unwrap();
        let s = c.solve(state, &f.changes, None);
        let mut sw = Sweep::new(&c, state, &[]);
        let p = sw.solve(&f.changes);
        println!("{id} {} {}", s.converged, p.from_rest());
        for (v, n) in &c.node_of { if (s.volts[*n] - p.volts[*n]).abs() > 1e-3 { println!("  {n} {v} cold {} quick {}", s.volts[*n], p.volts[*n]); } }
        for (d, m) in s.modes.iter().enumerate() { if *m != p.modes[d] { let pl = &c.devices[d]; println!("  {} {} cold {} quick {}", c.vehicle.parts[pl.part].id, c.vehicle.parts[pl.part].elements[pl.element].kind(), m, p.modes[d]); } }
    }
}
