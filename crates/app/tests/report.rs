//! A job handed over: two faces of one page, without any outside reference, and no claim beyond the ledger.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use crate::program::{Program, place};
use serde_json::json;

fn page(program: &Program, path: &str) -> (String, String) {
    let answer = program.http.get(format!("{}{path}", program.url)).send().unwrap();
    let header = answer.headers().get("content-disposition");
    let saved = header.map(|h| h.to_str().unwrap().to_owned()).unwrap_or_default();
    (answer.text().unwrap(), saved)
}

#[test]
fn a_report_tells_what_the_ledger_shows_and_no_more() {
    let dir = place();
    let program = Program::start(dir.path());
    let intake = json!({
        "complaint": "Lamp dark <script>alert(1)</script>", "vin": "", "reference": "ORDER 7",
        "odometer_km": 4200,
    });
    let opened = program.kept("/api/jobs", &json!({"vehicle": "lamp", "intake": intake}));
    let id = opened["id"].as_i64().unwrap();
    let path = |what: &str| format!("/api/jobs/{id}/{what}");
    let faces = ["report/customer", "report/technician"];
    for face in faces {
        let (text, _) = page(&program, &path(face));
        assert!(text.contains("Lamp dark &lt;script&gt;alert(1)") && !text.contains("<script"));
        for outside in ["http:", "https:", "src=", "url(", "@import", "<link"] {
            assert!(!text.contains(outside), "{face} refers to something: {outside}");
        }
        assert!(text.contains("Not signed off") && text.contains("ORDER 7"), "{text}");
        assert!(!text.contains("Shown beyond doubt") && !text.contains("Repaired"), "{text}");
    }
    assert!(page(&program, &path(faces[0])).0.contains("The cause is not settled yet"));
    // No supply at the lamp, and it is there at the fuse.
    let reading = |red: &str, text: &str| json!({"quantity": "volts", "red": red, "black": "BAT.-", "text": text, "state": {}});
    program.kept(&path("reading"), &reading("E1.1", "0.0"));
    program.kept(&path("reading"), &reading("F1.2", "12.6"));
    let view = program.fresh(id);
    let item = view["suspects"][0]["repair_item"].clone();
    let repair = json!({"item": item, "text": "conductor renewed"});
    program.kept(&path("repair"), &repair);
    let (customer, _) = page(&program, &path(faces[0]));
    assert!(customer.contains("conductor renewed") && customer.contains("a sound vehicle shows"));
    let unproven = view["certain"]["proven"] != json!(true);
    assert_eq!(customer.contains("It was not shown beyond doubt"), unproven, "{customer}");
    // Nothing was looked at again, and that is said.
    assert!(customer.contains("not looked at"), "{customer}");
    // What was doubted tells the customer nothing and stays in the other face, struck out.
    program.kept(&path("note"), &json!({"text": "harness chafed"}));
    let (technician, saved) = page(&program, &path("report/technician?save=true"));
    assert!(technician.contains("harness chafed") && !customer.contains("harness chafed"));
    assert!(saved.contains(&format!("job-{id}.html")), "{saved}");
    let (table, saved) = page(&program, &path("ledger.csv"));
    let mut rows = csv_lines(&table);
    assert_eq!(rows.remove(0), "number,at,kind,title,detail,verdict,expected,doubted");
    let ledger = program.json(&format!("/api/jobs/{id}"))["ledger"].as_array().unwrap().len();
    assert!(rows.len() >= ledger && saved.contains("ledger.csv"), "{table}");
    // Signed off with something open both faces say so, with the reason.
    program.kept(&path("sign-off"), &json!({"reason": "the customer could not wait"}));
    for face in faces {
        let (text, _) = page(&program, &path(face));
        assert!(text.contains("Signed off all the same: the customer could not wait"), "{text}");
        assert!(text.contains("not proven: "), "{text}");
    }
    let unknown = program.http.get(format!("{}{}", program.url, path("report/insurer"))).send();
    assert!(unknown.unwrap().status().is_client_error());
}

fn csv_lines(table: &str) -> Vec<String> {
    table.lines().map(str::to_owned).collect()
}

#[test]
fn a_job_goes_to_another_installation_and_comes_back_the_same() {
    let (here, there) = (place(), place());
    let (one, other) = (Program::start(here.path()), Program::start(there.path()));
    let id = one.open();
    let path = |what: &str| format!("/api/jobs/{id}/{what}");
    let reading =
        json!({"quantity": "volts", "red": "E1.1", "black": "BAT.-", "text": "0.0", "state": {}});
    one.kept(&path("reading"), &reading);
    // What points to another entry by its number points to it still.
    one.kept(&path("doubt"), &json!({"number": 2, "doubted": true}));
    let rows = "Time (s),supply [V],Mark\n0.0,12.6,\n0.5,12.5,begin\n";
    let taken = one
        .http
        .post(format!("{}{}?name=idle", one.url, path("recordings")))
        .body(rows)
        .send()
        .unwrap();
    assert!(taken.status().is_success(), "{}", taken.text().unwrap());
    let exported = one.json(&path("export"));
    let send = |p: &Program, file: &serde_json::Value| {
        p.http.post(format!("{}/api/job-files", p.url)).body(file.to_string()).send().unwrap()
    };
    // There are other jobs there already.
    other.open();
    let opened: serde_json::Value = send(&other, &exported).json().unwrap();
    let moved = opened["id"].as_i64().unwrap();
    assert_eq!(moved, 2, "{opened}");
    let (was, is) = (one.fresh(id), other.fresh(moved));
    for what in ["ledger", "intake", "suspects", "opened_at"] {
        assert_eq!(was[what], is[what], "{what}");
    }
    let again = page(&other, &format!("/api/jobs/{moved}/recordings/1")).0;
    assert_eq!(again, rows);
    let back = other.json(&format!("/api/jobs/{moved}/export"));
    for what in ["entries", "files", "vehicle", "opened_at"] {
        assert_eq!(exported[what], back[what], "{what}");
    }
    // What is no job file, or of another vehicle, or damaged, leaves nothing behind.
    let mut wrong = exported.clone();
    wrong["format"] = json!("other-1");
    let mut gap = exported.clone();
    gap["entries"][1]["number"] = json!(7);
    let mut vehicle = exported.clone();
    vehicle["vehicle"] = json!("../lamp");
    let mut damaged = exported.clone();
    damaged["files"]["1"] = json!("%%%");
    let mut timeless = exported;
    timeless["entries"][0]["at"] = json!("yesterday");
    for (file, word) in [
        (json!([1, 2]), "job file"),
        (wrong, "other-1"),
        (gap, "without a gap"),
        (vehicle, "lamp"),
        (damaged, "damaged"),
        (timeless, "yesterday"),
    ] {
        let said = crate::program::problem(send(&other, &file));
        assert!(said["detail"].as_str().unwrap().contains(word), "{word}: {said}");
    }
    assert_eq!(other.json("/api/jobs")["jobs"].as_array().unwrap().len(), 2);
}

/// How a picture of 2 by 2 pixels begins (PNG, ISO/IEC 15948), without the pixels.
const HEAD: &[u8] = &[
    0x89, b'P', b'N', b'G', 0x0d, 0x0a, 0x1a, 0x0a, 0, 0, 0, 0x0d, b'I', b'H', b'D', b'R', 0, 0, 0,
    2, 0, 0, 0, 2, 8, 0, 0, 0, 0, 0x57, 0xdd, 0x52, 0xf8,
];

#[test]
fn pictures_stand_by_what_they_show_and_within_the_page() {
    let dir = place();
    let program = Program::start(dir.path());
    let id = program.open();
    let send = |query: &str, bytes: Vec<u8>| {
        let url = format!("{}/api/jobs/{id}/pictures{query}", program.url);
        program.http.post(url).body(bytes).send().unwrap()
    };
    let png = png();
    assert!(send("?of=1&text=green%20pin", png.clone()).status().is_success());
    assert!(send("?text=the%20bay", png.clone()).status().is_success());
    let said = crate::program::problem(send("?of=9", png));
    assert!(said["detail"].as_str().unwrap().contains("no such entry"), "{said}");
    // A head without a picture behind it.
    let said = crate::program::problem(send("", HEAD.to_vec()));
    assert!(said["detail"].as_str().unwrap().contains("JPEG, PNG or HEIC"), "{said}");
    let view = program.fresh(id);
    assert_eq!(view["ledger"][0]["pictures"], json!([1]), "beside the entry it shows");
    assert_eq!(view["ledger"][2]["pictures"], json!([2]), "of the job: beside itself");
    let kept = program.get(&format!("/api/jobs/{id}/pictures/1"));
    assert_eq!(kept.headers()["content-type"], "image/jpeg");
    assert!(kept.bytes().unwrap().starts_with(&[0xFF, 0xD8]));
    for whom in ["customer", "technician"] {
        let (text, _) = page(&program, &format!("/api/jobs/{id}/report/{whom}"));
        assert_eq!(text.matches("src=\"data:image/jpeg;base64,").count(), 2, "{whom}");
        assert!(text.contains("green pin") && text.contains("the bay"));
    }
}

fn png() -> Vec<u8> {
    use std::io::Cursor;
    let mut out = Cursor::new(Vec::new());
    let picture = image::RgbImage::from_pixel(30, 20, image::Rgb([10, 120, 60]));
    picture.write_to(&mut out, image::ImageFormat::Png).unwrap();
    out.into_inner()
}
