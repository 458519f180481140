//! Jobs in pages, newest first, found by any word.

use crate::{Job, Said, Store, StoreError, Summary, job, summary};
use rusqlite::{Connection, params_from_iter};

/// Which jobs are wanted.
#[derive(Debug, Clone, Default)]
pub struct Wanted {
    /// Words that must all be found in complaint, reference, VIN, repair, vehicle or number.
    pub search: String,
    /// Only jobs of this VIN, when it is not empty.
    pub vin: String,
    /// Only jobs older than this one.
    pub before: Option<i64>,
    /// At most so many.
    pub most: usize,
}

/// A job with its summary.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Listed {
    /// The job.
    pub job: Job,
    /// What the list shows of it.
    pub summary: Summary,
}

/// A page of jobs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Page {
    /// Newest first.
    pub jobs: Vec<Listed>,
    /// Jobs found in all, on this page and the others.
    pub found: u64,
    /// Older ones follow.
    pub more: bool,
}

impl Store {
    /// A page of the jobs wanted.
    ///
    /// # Errors
    /// [`StoreError`].
    pub fn jobs(&self, wanted: &Wanted) -> Result<Page, StoreError> {
        page(&self.lock(), wanted).said(&self.path)
    }
}

fn page(c: &Connection, wanted: &Wanted) -> rusqlite::Result<Page> {
    let mut conditions = Vec::new();
    let mut values: Vec<String> = Vec::new();
    for word in wanted.search.to_lowercase().split_whitespace() {
        // Signs that LIKE reads otherwise stand for themselves.
        let plain = word.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_");
        values.push(format!("%{plain}%"));
        conditions.push(format!("words LIKE ?{} ESCAPE '\\'", values.len()));
    }
    if !wanted.vin.is_empty() {
        values.push(wanted.vin.clone());
        conditions.push(format!("vin = ?{}", values.len()));
    }
    let all = |conditions: &[String]| match conditions {
        [] => "TRUE".to_owned(),
        some => some.join(" AND "),
    };
    let from = "FROM job JOIN summary ON summary.job = job.id WHERE";
    let found: i64 = match conditions.as_slice() {
        [] => c.prepare_cached("SELECT COUNT(*) FROM job")?.query_row([], |r| r.get(0))?,
        some => c
            .prepare_cached(&format!("SELECT COUNT(*) {from} {}", all(some)))?
            .query_row(params_from_iter(&values), |r| r.get(0))?,
    };
    if let Some(before) = wanted.before {
        conditions.push(format!("job.id < {before}"));
    }
    let mut s = c.prepare_cached(&format!(
        "SELECT job.id, job.vehicle, job.opened_at, job.demo, vin, complaint, reference, repaired,
                items, signed_off, entries, trouble
         {from} {} ORDER BY job.id DESC LIMIT {}",
        all(&conditions),
        wanted.most + 1
    ))?;
    let rows = s.query_map(params_from_iter(&values), |r| {
        Ok(Listed { job: job(r)?, summary: summary::of(r, 4)? })
    })?;
    let mut jobs: Vec<Listed> = rows.collect::<rusqlite::Result<_>>()?;
    let more = jobs.len() > wanted.most;
    jobs.truncate(wanted.most);
    Ok(Page { jobs, found: found.unsigned_abs(), more })
}
