//! What a list shows of a job: made from its entries one by one, kept beside them.

use rusqlite::{Connection, OptionalExtension, params};
use std::collections::BTreeSet;

/// Rules by which summaries are made; with other rules they are made anew when the file is opened.
pub(crate) const RULES: i64 = 1;

/// What an entry's body does to the summary; in words what is wrong when it cannot be read.
pub type Digest = fn(&mut Summary, &str) -> Result<(), String>;

/// A job in a list.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Summary {
    /// Vehicle identification number.
    pub vin: String,
    /// What the customer says.
    pub complaint: String,
    /// Order or customer reference.
    pub reference: String,
    /// What was done; empty before the repair.
    pub repaired: String,
    /// Repair items that were repaired.
    pub items: BTreeSet<String>,
    /// Signed off and not opened again.
    pub signed_off: bool,
    /// Entries of its ledger.
    pub entries: u64,
    /// What is wrong with its entries; empty when nothing is.
    pub trouble: String,
}

impl Summary {
    pub(crate) fn take(&mut self, digest: Digest, body: &str) {
        self.entries += 1;
        if let Err(why) = digest(self, body)
            && self.trouble.is_empty()
        {
            self.trouble = format!("entry {} cannot be read: {why}", self.entries);
        }
    }

    /// Everything that a search looks through, in lower case.
    fn words(&self, job: i64, vehicle: &str) -> String {
        let all = [&self.complaint, &self.reference, &self.vin, &self.repaired];
        let text = all.map(String::as_str).join(" ");
        format!("job {job} {vehicle} {text}").to_lowercase()
    }
}

/// Between items; no identifier holds a line break.
const BETWEEN: &str = "\n";

pub(crate) fn read(c: &Connection, job: i64) -> rusqlite::Result<Option<Summary>> {
    c.prepare_cached(
        "SELECT vin, complaint, reference, repaired, items, signed_off, entries, trouble
         FROM summary WHERE job = ?1",
    )?
    .query_row([job], |r| of(r, 0))
    .optional()
}

/// A summary from the columns of a row, from one on.
pub(crate) fn of(r: &rusqlite::Row<'_>, from: usize) -> rusqlite::Result<Summary> {
    let items: String = r.get(from + 4)?;
    Ok(Summary {
        vin: r.get(from)?,
        complaint: r.get(from + 1)?,
        reference: r.get(from + 2)?,
        repaired: r.get(from + 3)?,
        items: items.split(BETWEEN).filter(|i| !i.is_empty()).map(str::to_owned).collect(),
        signed_off: r.get(from + 5)?,
        entries: r.get::<_, i64>(from + 6)?.unsigned_abs(),
        trouble: r.get(from + 7)?,
    })
}

pub(crate) fn write(c: &Connection, job: i64, s: &Summary) -> rusqlite::Result<()> {
    let vehicle: String = c
        .prepare_cached("SELECT vehicle FROM job WHERE id = ?1")?
        .query_row([job], |r| r.get(0))?;
    let items: Vec<&str> = s.items.iter().map(String::as_str).collect();
    c.prepare_cached(
        "INSERT OR REPLACE INTO summary
         (job, entries, vin, complaint, reference, repaired, items, signed_off, trouble, words)
         VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)",
    )?
    .execute(params![
        job,
        s.entries as i64,
        s.vin,
        s.complaint,
        s.reference,
        s.repaired,
        items.join(BETWEEN),
        s.signed_off,
        s.trouble,
        s.words(job, &vehicle),
    ])?;
    c.prepare_cached("DELETE FROM cause WHERE job = ?1")?.execute([job])?;
    if s.signed_off {
        let mut add =
            c.prepare_cached("INSERT INTO cause (vehicle, item, job) VALUES (?1, ?2, ?3)")?;
        for item in items {
            add.execute(params![vehicle, item, job])?;
        }
    }
    Ok(())
}

/// Makes all summaries from the ledgers where they were made by other rules, or never.
pub(crate) fn refresh(c: &mut Connection, digest: Digest) -> rusqlite::Result<()> {
    let rules: Option<i64> =
        c.query_row("SELECT rules FROM derived", [], |r| r.get(0)).optional()?;
    if rules == Some(RULES) {
        return Ok(());
    }
    let t = c.transaction()?;
    t.execute_batch("DELETE FROM summary; DELETE FROM cause; DELETE FROM derived;")?;
    let jobs: Vec<i64> = t
        .prepare("SELECT id FROM job")?
        .query_map([], |r| r.get(0))?
        .collect::<rusqlite::Result<_>>()?;
    for job in jobs {
        let mut summary = Summary::default();
        let mut s = t.prepare_cached(
            "SELECT CAST(body AS BLOB) FROM ledger WHERE job = ?1 ORDER BY number",
        )?;
        let mut rows = s.query([job])?;
        while let Some(row) = rows.next()? {
            let body: Vec<u8> = row.get(0)?;
            summary.take(digest, &String::from_utf8_lossy(&body));
        }
        write(&t, job, &summary)?;
    }
    t.execute("INSERT INTO derived (rules) VALUES (?1)", [RULES])?;
    t.commit()
}
