//! Every stage for who cannot see or point, by day and by night.

use crate::bench::House;
use serde_json::Value;

/// What axe finds that is serious, as rule and place.
const LOOK: &str = "
    const done = arguments[arguments.length - 1];
    axe.run(document, { resultTypes: ['violations'] }).then((found) => done(found.violations
        .filter((v) => v.impact === 'serious' || v.impact === 'critical')
        .flatMap((v) => v.nodes.map((n) => `${v.id}: ${n.target.join(' ')} ${n.failureSummary}`))));
";

pub async fn no_stage_keeps_anyone_out_by_day_or_night(house: &House) {
    let url = house.demo();
    let b = &house.browser;
    let file = concat!(env!("CARGO_MANIFEST_DIR"), "/../web/node_modules/axe-core/axe.min.js");
    let axe = std::fs::read_to_string(file).unwrap();
    let v = b.scanned(url, 4).await;
    let stages = v["stages"].as_array().unwrap();
    let stages = stages.iter().filter(|s| s["built"] == true).map(|s| s["id"].as_str().unwrap());
    let mut wrong = Vec::new();
    for stage in stages {
        b.go(&format!("{url}/job/4/{stage}")).await;
        b.css(&format!("main[data-stage='{stage}'] h1, main[data-stage='{stage}'] svg")).await;
        b.client.execute(&axe, vec![]).await.unwrap();
        for theme in ["day", "night"] {
            let set = "document.documentElement.dataset.theme = arguments[0]";
            b.client.execute(set, vec![theme.into()]).await.unwrap();
            let found = b.client.execute_async(LOOK, vec![]).await.unwrap();
            let found = found.as_array().cloned().unwrap_or_default();
            let all = found.iter().filter_map(Value::as_str);
            wrong.extend(all.map(|f| format!("{stage} by {theme}: {f}")));
        }
    }
    assert!(wrong.is_empty(), "{} findings:\n{}", wrong.len(), wrong.join("\n"));
}
