use circuit::{Circuit, software};
fn main() {
    let text = std::fs::read_to_string("vehicles/wren.json").unwrap();
    let c = Circuit::new(vehicle::Vehicle::from_json(&text).unwrap()).unwrap();
    for named in &c.vehicle.states {
        let t = std::time::Instant::now();
        let s = c.solve(&named.state, &[], None);
        println!("== {} {:?} converged {} chatter {:?} supply {:.2} asked {:?}", named.id, t.elapsed(), s.converged, s.chattering.iter().map(|p| &c.vehicle.parts[*p].id).collect::<Vec<_>>(), s.volts[c.supply.unwrap()], s.asked.iter().map(|o| &c.vehicle.outputs[*o].id).collect::<Vec<_>>());
        for (d, m) in s.modes.iter().enumerate() { let pl = &c.devices[d]; let k = c.vehicle.parts[pl.part].elements[pl.element].kind();
            if (k == "Fuse" && *m == 1) || (*m == 2 && (k == "LowSide" || k == "HighSide" || k == "Supply")) || (k == "HBridge" && *m == 3) { println!("   {} {k} mode {m}", c.vehicle.parts[pl.part].id); } }
        let dead: Vec<_> = (0..c.vehicle.parts.len()).filter(|p| !s.alive(&c, *p)).map(|p| c.vehicle.parts[p].id.as_str()).collect();
        println!("   dead {dead:?}");
        let failed: Vec<_> = software::monitors(&c, &s).into_iter().zip(&c.vehicle.monitors).filter(|(v, _)| *v == software::Verdict::Failed).map(|(_, m)| format!("{} {}-{}", m.module, m.code, m.failure_type)).collect();
        println!("   codes {failed:?}");
        let eff: Vec<_> = (0..c.vehicle.parts.len()).filter_map(|p| s.effect(&c, p).filter(|e| *e > 0.02).map(|e| format!("{} {e:.2}", c.vehicle.parts[p].id))).collect();
        println!("   effects {eff:?}");
    }
}
