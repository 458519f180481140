//! The tables, step by step.

use rusqlite_migration::{M, Migrations};

/// Marks the file as one of this program (`PRAGMA application_id`): "Chal" in ASCII.
pub(crate) const OURS: i64 = 0x4368_616C;
/// Newest format known.
pub(crate) const VERSION: i64 = 3;

const FIRST: &str = "
CREATE TABLE job (
    id INTEGER PRIMARY KEY,
    vehicle TEXT NOT NULL,
    opened_at TEXT NOT NULL,
    demo TEXT UNIQUE
) STRICT;
CREATE TABLE ledger (
    job INTEGER NOT NULL REFERENCES job(id),
    number INTEGER NOT NULL,
    at TEXT NOT NULL,
    body TEXT NOT NULL,
    PRIMARY KEY (job, number)
) STRICT, WITHOUT ROWID;
CREATE TRIGGER ledger_keeps_update BEFORE UPDATE ON ledger
BEGIN SELECT RAISE(ABORT, 'the ledger is append-only'); END;
CREATE TRIGGER ledger_keeps_delete BEFORE DELETE ON ledger
BEGIN SELECT RAISE(ABORT, 'the ledger is append-only'); END;
";

/// Summaries and confirmed causes follow from the ledger; they are made when the file is opened, as
/// `derived` says by which rules they were.
const DERIVED: &str = "
PRAGMA application_id = 1130914156;
CREATE TABLE derived (rules INTEGER NOT NULL) STRICT;
CREATE TABLE summary (
    job INTEGER PRIMARY KEY REFERENCES job(id),
    entries INTEGER NOT NULL,
    vin TEXT NOT NULL,
    complaint TEXT NOT NULL,
    reference TEXT NOT NULL,
    repaired TEXT NOT NULL,
    items TEXT NOT NULL,
    signed_off INTEGER NOT NULL,
    trouble TEXT NOT NULL,
    words TEXT NOT NULL
) STRICT;
CREATE INDEX summary_vin ON summary (vin);
CREATE TABLE cause (
    vehicle TEXT NOT NULL,
    item TEXT NOT NULL,
    job INTEGER NOT NULL REFERENCES job(id),
    PRIMARY KEY (vehicle, item, job)
) STRICT, WITHOUT ROWID;
CREATE INDEX cause_job ON cause (job);
CREATE TABLE kept (
    job INTEGER NOT NULL REFERENCES job(id),
    key TEXT NOT NULL,
    first INTEGER NOT NULL,
    last INTEGER NOT NULL,
    PRIMARY KEY (job, key)
) STRICT, WITHOUT ROWID;
";

/// What the shop has settled for all its jobs, each by a name.
const SETTLED: &str = "
CREATE TABLE settled (
    name TEXT PRIMARY KEY,
    body TEXT NOT NULL
) STRICT, WITHOUT ROWID;
";

pub(crate) fn migrations() -> Migrations<'static> {
    Migrations::new(vec![M::up(FIRST), M::up(DERIVED), M::up(SETTLED)])
}
