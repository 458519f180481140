//! The diagnosing side has no way to the stand-in's hidden fault.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use std::path::{Path, PathBuf};

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn sources(directory: &Path, out: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(directory).unwrap().flatten() {
        let path = entry.path();
        if path.is_dir() {
            sources(&path, out);
        } else if path.extension().is_some_and(|e| e == "rs") {
            out.push(path);
        }
    }
}

#[test]
fn only_the_demo_set_up_links_to_the_stand_in() {
    for name in ["vehicle", "circuit", "diagnosis", "store", "link"] {
        let manifest =
            std::fs::read_to_string(root().join("crates").join(name).join("Cargo.toml")).unwrap();
        assert!(!manifest.contains("standin"), "{name} depends on the stand-in");
    }
    let mut files = Vec::new();
    sources(&root().join("crates/app/src"), &mut files);
    let using: Vec<_> = files
        .iter()
        .filter(|f| std::fs::read_to_string(f).unwrap().contains("standin::"))
        .map(|f| f.file_name().unwrap().to_string_lossy().into_owned())
        .collect();
    let mut using = using;
    using.sort();
    // The demo sets stand-ins up; the trial has them set up where it is the referee of its own jobs.
    assert_eq!(using, ["demo.rs"]);
    let proving = |f: &&PathBuf| std::fs::read_to_string(f).unwrap().contains("proving::");
    let trial = root().join("crates/app/src/cli/trial");
    assert!(files.iter().filter(proving).all(|f| f.starts_with(&trial)), "only the trial");
}

#[tokio::test]
async fn no_answer_of_the_stand_in_names_its_fault() {
    use standin::{Ports, Setup, Standin};
    let text = std::fs::read_to_string(root().join("vehicles/wren.json")).unwrap();
    let setup = Setup {
        vehicle: vehicle::Vehicle::from_json(&text).unwrap(),
        faults: vec!["terminal:C4.7:constriction:0.72".parse().unwrap()],
        seed: 3,
        vin: "0PMWR22K8NB004417".into(),
        odometer_km: 61_240,
        flexes: false,
        past: Vec::new(),
    };
    let s = Standin::start(setup, Ports::default()).await.unwrap();
    let client = reqwest::Client::builder().no_proxy().build().unwrap();
    let ask = |path: String| {
        let url = format!("http://{}{path}", s.hands);
        let client = client.clone();
        async move { client.get(url).send().await.unwrap().text().await.unwrap() }
    };
    let mut said = String::new();
    for path in ["/state", "/", "/fault", "/hidden", "/look?part=M7", "/look?part=C4", "/repair"] {
        said += &ask(path.to_owned()).await;
    }
    let link = link::Gateway::connect(s.doip).await.unwrap();
    for address in [0x1001u16, 0x1010, 0x1020] {
        for did in [0xF187u16, 0xF190, 0x2001, 0xFFFF] {
            let [h, l] = did.to_be_bytes();
            said += &format!("{:?}", link.request(address, "", &[0x22, h, l]).await);
        }
    }
    assert!(!said.contains("C4.7") && !said.contains("constriction"), "{said}");
    // Repairing a good part changes nothing; the hands do not tell either.
    let url = format!("http://{}/repair", s.hands);
    let answer =
        client.post(url).json(&serde_json::json!({"item": "wire:62"})).send().await.unwrap();
    assert_eq!(answer.text().await.unwrap(), "");
}
