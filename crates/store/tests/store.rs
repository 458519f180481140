//! The database from outside: what is kept, what is told, what is left alone.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used)]

use std::path::Path;
use store::{Kept, New, Store, StoreError, Summary, Wanted};

/// Bodies of these tests: `complaint:…`, `repaired:item`, `signed`, `reopened`; else unreadable.
fn digest(s: &mut Summary, body: &str) -> Result<(), String> {
    match body.split_once(':') {
        Some(("complaint", text)) => s.complaint = text.to_owned(),
        Some(("vin", text)) => s.vin = text.to_owned(),
        Some(("repaired", item)) => {
            s.items.insert(item.to_owned());
        }
        None if body == "signed" => s.signed_off = true,
        None if body == "reopened" => s.signed_off = false,
        _ => return Err("not known".into()),
    }
    Ok(())
}

fn open(dir: &Path) -> Store {
    Store::open(dir, digest).unwrap()
}

fn job(s: &Store, entries: &[&str]) -> i64 {
    let entries: Vec<String> = entries.iter().map(|e| (*e).to_owned()).collect();
    s.open_job(New { vehicle: "wren", demo: None, at: "t0", entries: &entries }).unwrap()
}

fn raw(dir: &Path) -> rusqlite::Connection {
    rusqlite::Connection::open(dir.join("chalkeus.sqlite")).unwrap()
}

#[test]
fn entries_come_back_in_order_after_reopening() {
    let dir = tempfile::tempdir().unwrap();
    let id = {
        let s = open(dir.path());
        let id = job(&s, &["complaint:a"]);
        let kept = s.append(id, "t1", &["complaint:b", "complaint:c"], None).unwrap();
        assert_eq!(kept, Kept { first: 2, last: 3, before: false });
        id
    };
    let s = open(dir.path());
    let bodies: Vec<_> = s.ledger(id, 1).unwrap().into_iter().map(|e| e.body).collect();
    assert_eq!(bodies, ["complaint:b", "complaint:c"]);
    assert!(matches!(s.append(99, "t", &["signed"], None), Err(StoreError::NoJob(99))));
}

#[test]
fn a_key_used_twice_adds_nothing() {
    let dir = tempfile::tempdir().unwrap();
    let s = open(dir.path());
    let id = job(&s, &["complaint:a"]);
    let first = s.append(id, "t1", &["complaint:b"], Some("k")).unwrap();
    let again = s.append(id, "t2", &["complaint:b"], Some("k")).unwrap();
    assert_eq!((first.last, first.before), (2, false));
    assert_eq!((again.last, again.before), (2, true));
    assert_eq!(s.ledger(id, 0).unwrap().len(), 2);
    // The same key in another job is another key.
    let other = job(&s, &["complaint:a"]);
    assert!(!s.append(other, "t", &["complaint:b"], Some("k")).unwrap().before);
}

#[test]
fn the_ledger_cannot_be_changed() {
    let dir = tempfile::tempdir().unwrap();
    let s = open(dir.path());
    job(&s, &["complaint:a"]);
    drop(s);
    for sql in ["UPDATE ledger SET body = 'x'", "DELETE FROM ledger"] {
        let error = raw(dir.path()).execute(sql, []).unwrap_err().to_string();
        assert!(error.contains("append-only"), "{error}");
    }
}

#[test]
fn a_cause_counts_once_a_job_and_only_while_it_is_signed_off() {
    let dir = tempfile::tempdir().unwrap();
    let s = open(dir.path());
    let a = job(&s, &["complaint:a", "repaired:wire:1"]);
    for _ in 0..30 {
        s.append(a, "t", &["repaired:wire:1"], None).unwrap();
    }
    assert!(s.causes("wren", 0).unwrap().is_empty());
    s.append(a, "t", &["signed"], None).unwrap();
    let b = job(&s, &["repaired:wire:1", "repaired:wire:2", "signed"]);
    let counts = |but| s.causes("wren", but).unwrap().into_iter().collect::<Vec<_>>();
    assert_eq!(counts(0), [("wire:1".to_owned(), 2), ("wire:2".to_owned(), 1)]);
    assert_eq!(counts(b), [("wire:1".to_owned(), 1)]);
    s.append(a, "t", &["reopened"], None).unwrap();
    assert_eq!(counts(b), []);
    assert!(s.causes("heron", 0).unwrap().is_empty());
}

#[test]
fn pages_hold_every_job_once_and_any_word_finds() {
    let dir = tempfile::tempdir().unwrap();
    let s = open(dir.path());
    for k in 0..25 {
        let complaint = format!("complaint:Washer dribbles {k}%");
        job(&s, &[&complaint, &format!("vin:V{}", k % 5)]);
    }
    let mut seen = Vec::new();
    let mut before = None;
    loop {
        let page = s.jobs(&Wanted { before, most: 10, ..Wanted::default() }).unwrap();
        assert_eq!(page.found, 25);
        seen.extend(page.jobs.iter().map(|l| l.job.id));
        before = seen.last().copied();
        if !page.more {
            break;
        }
    }
    assert_eq!(seen, (1..=25).rev().collect::<Vec<i64>>());
    let found = |search: &str| {
        let wanted = Wanted { search: search.into(), most: 50, ..Wanted::default() };
        s.jobs(&wanted).unwrap().jobs.into_iter().map(|l| l.job.id).collect::<Vec<_>>()
    };
    assert_eq!(found("dribbles WASHER 24%"), [25]);
    // A sign that a pattern would read otherwise stands for itself.
    assert_eq!(found("2_%"), Vec::<i64>::new());
    assert_eq!(found("v3").len(), 5);
}

#[test]
fn an_entry_that_cannot_be_read_troubles_its_own_job_only() {
    let dir = tempfile::tempdir().unwrap();
    let s = open(dir.path());
    let good = job(&s, &["complaint:a"]);
    let bad = job(&s, &["complaint:b", "from a later version:x"]);
    let page = s.jobs(&Wanted { most: 9, ..Wanted::default() }).unwrap();
    let trouble = |id| &page.jobs.iter().find(|l| l.job.id == id).unwrap().summary.trouble;
    assert_eq!(trouble(good), "");
    assert!(trouble(bad).contains("entry 2"), "{}", trouble(bad));
    drop(s);
    // Bytes that are no text at all.
    raw(dir.path())
        .execute("INSERT INTO ledger VALUES (?1, 3, 't', CAST(x'ff00fe' AS TEXT))", [bad])
        .unwrap();
    let s = open(dir.path());
    assert_eq!(s.ledger(bad, 0).unwrap().len(), 3);
}

#[test]
fn the_first_format_is_brought_up_to_date_with_its_summaries() {
    let dir = tempfile::tempdir().unwrap();
    let c = raw(dir.path());
    c.execute_batch(
        "CREATE TABLE job (id INTEGER PRIMARY KEY, vehicle TEXT NOT NULL, opened_at TEXT NOT NULL,
             demo TEXT UNIQUE) STRICT;
         CREATE TABLE ledger (job INTEGER NOT NULL REFERENCES job(id), number INTEGER NOT NULL,
             at TEXT NOT NULL, body TEXT NOT NULL, PRIMARY KEY (job, number)) STRICT, WITHOUT ROWID;
         INSERT INTO job VALUES (7, 'wren', 't0', NULL);
         INSERT INTO ledger VALUES (7, 1, 't0', 'complaint:cold');
         INSERT INTO ledger VALUES (7, 2, 't1', 'repaired:part:M3');
         INSERT INTO ledger VALUES (7, 3, 't2', 'signed');
         PRAGMA user_version = 1;",
    )
    .unwrap();
    drop(c);
    let s = open(dir.path());
    let page = s.jobs(&Wanted { most: 9, ..Wanted::default() }).unwrap();
    let summary = &page.jobs[0].summary;
    assert_eq!((summary.complaint.as_str(), summary.entries), ("cold", 3));
    assert_eq!(s.causes("wren", 0).unwrap()["part:M3"], 1);
}

#[test]
fn a_second_program_on_the_directory_is_told_so() {
    let dir = tempfile::tempdir().unwrap();
    let _first = open(dir.path());
    let second = Store::open(dir.path(), digest).unwrap_err();
    assert!(matches!(second, StoreError::InUse { .. }), "{second}");
}

/// Everything in a directory but the lock, byte for byte.
fn bytes(dir: &Path) -> Vec<(std::ffi::OsString, Vec<u8>)> {
    let files = std::fs::read_dir(dir).unwrap().map(Result::unwrap);
    let mut all: Vec<_> = files
        .filter(|f| f.file_name() != "chalkeus.lock")
        .map(|f| (f.file_name(), std::fs::read(f.path()).unwrap()))
        .collect();
    all.sort();
    all
}

#[test]
fn what_is_not_ours_newer_or_damaged_is_told_and_left_alone() {
    type Make = fn(&Path);
    let foreign: Make = |d| raw(d).execute_batch("CREATE TABLE recipe (x)").unwrap();
    let newer: Make = |d| {
        drop(open(d));
        raw(d).pragma_update(None, "user_version", 99).unwrap();
    };
    let damaged: Make = |d| {
        let s = open(d);
        for k in 0..200 {
            job(&s, &[&format!("complaint:{k}{}", "x".repeat(200))]);
        }
        s.settle().unwrap();
        drop(s);
        let path = d.join("chalkeus.sqlite");
        let mut all = std::fs::read(&path).unwrap();
        let middle = all.len() / 2;
        all[middle..middle + 8192].fill(0xA5);
        std::fs::write(&path, all).unwrap();
    };
    let no_database: Make =
        |d| std::fs::write(d.join("chalkeus.sqlite"), "hello ".repeat(400)).unwrap();
    let cases: [(Make, &str); 4] = [
        (foreign, "another program"),
        (newer, "later version"),
        (damaged, "damaged"),
        (no_database, "no SQLite database"),
    ];
    for (make, words) in cases {
        let dir = tempfile::tempdir().unwrap();
        make(dir.path());
        let before = bytes(dir.path());
        let error = Store::open(dir.path(), digest).unwrap_err().to_string();
        assert!(error.contains(words) && error.contains("--data"), "{error}");
        assert!(!error.contains("SELECT") && !error.contains("PRAGMA"), "{error}");
        assert!(bytes(dir.path()) == before, "{words}: altered");
    }
}

#[test]
fn a_directory_that_cannot_be_used_is_named() {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("file");
    std::fs::write(&file, "x").unwrap();
    let error = Store::open(&file, digest).unwrap_err().to_string();
    assert!(error.contains("--data"), "{error}");
}

#[test]
fn after_settling_everything_is_in_the_main_file() {
    let dir = tempfile::tempdir().unwrap();
    let s = open(dir.path());
    let id = job(&s, &["complaint:a"]);
    s.settle().unwrap();
    let other = tempfile::tempdir().unwrap();
    let name = "chalkeus.sqlite";
    std::fs::copy(dir.path().join(name), other.path().join(name)).unwrap();
    assert_eq!(open(other.path()).ledger(id, 0).unwrap().len(), 1);
}

#[test]
fn a_backup_is_whole_while_the_program_runs_and_overwrites_nothing() {
    let dir = tempfile::tempdir().unwrap();
    let s = open(dir.path());
    let id = job(&s, &["complaint:a"]);
    let captures = store::Captures::open(dir.path()).unwrap();
    let mut whole = captures.begin(id).unwrap();
    whole.write(b"volts").unwrap();
    let number = whole.keep().unwrap();
    let coming = captures.begin(id).unwrap();
    let there = tempfile::tempdir().unwrap();
    let to = there.path().join("copy");
    store::backup(dir.path(), &to).unwrap();
    s.append(id, "t", &["signed"], None).unwrap();
    assert_eq!(open(&to).ledger(id, 0).unwrap().len(), 1);
    assert_eq!(std::fs::read_dir(to.join("captures")).unwrap().count(), 1, "{coming:?}");
    let copied = store::Captures::open(&to).unwrap().path(id, number).unwrap();
    assert_eq!(std::fs::read(copied).unwrap(), b"volts");
    let again = store::backup(dir.path(), &to).unwrap_err().to_string();
    assert!(again.contains("exists already"), "{again}");
}
