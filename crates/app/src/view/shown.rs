//! What was shown last and what changed since: a window that knows an earlier view is sent the
//! sections and ledger rows that differ.

use super::View;
use serde::Serialize;
use serde_json::{Map, Value};
use std::collections::BTreeMap;
use utoipa::ToSchema;

/// The section whose rows are sent one by one.
const LEDGER: &str = "ledger";

/// What differs from an earlier view.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Changes {
    /// Name of this view, for the next question.
    pub revision: u64,
    /// Nothing of an earlier view is to be kept: all sections are here.
    pub whole: bool,
    /// Sections of the [`View`] that differ; rows of the ledger by themselves.
    #[schema(value_type = Object)]
    pub sections: Map<String, Value>,
    /// Rows of the ledger that are new or differ.
    #[schema(value_type = Vec<super::Row>)]
    pub rows: Vec<Value>,
}

/// What was shown last of a job, each section and row with the revision it is from.
#[derive(Debug, Default)]
pub struct Shown {
    /// Entries and assessment it was made from.
    of: Option<Of>,
    revision: u64,
    sections: BTreeMap<String, (u64, Value)>,
    rows: Vec<(u64, Value)>,
}

/// What a view is made from: another one, another view.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Of {
    /// Number of the last entry.
    pub entries: u64,
    /// Number of the last entry weighed.
    pub assessed: u64,
    /// Address of the assessment, which tells it from another one of the same entries.
    pub assessment: usize,
    /// Nothing newer is being worked out.
    pub fresh: bool,
}

impl Shown {
    /// Whether it was made from just that.
    pub fn is_of(&self, of: Of) -> bool {
        self.of == Some(of)
    }

    /// Takes a newer view. Revisions rise from one process to the next, too, so that a window never
    /// takes what an earlier process sent for what this one would.
    pub fn take(&mut self, of: Of, view: &View) {
        if self.revision == 0 {
            let since = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH);
            self.revision = since.map_or(0, |d| d.as_millis() as u64);
        }
        self.revision += 1;
        self.of = Some(of);
        let Ok(Value::Object(sections)) = serde_json::to_value(view) else { return };
        for (name, value) in sections {
            match value {
                Value::Array(rows) if name == LEDGER => {
                    self.rows.truncate(rows.len());
                    for (k, row) in rows.into_iter().enumerate() {
                        match self.rows.get_mut(k) {
                            Some((_, old)) if *old == row => {}
                            Some(slot) => *slot = (self.revision, row),
                            None => self.rows.push((self.revision, row)),
                        }
                    }
                }
                value => {
                    let same = self.sections.get(&name).is_some_and(|(_, old)| *old == value);
                    if !same {
                        self.sections.insert(name, (self.revision, value));
                    }
                }
            }
        }
    }

    /// What differs from the view of a revision; everything where that one is not known.
    pub fn since(&self, revision: u64) -> Changes {
        let first = self.sections.values().map(|s| s.0).chain(self.rows.iter().map(|r| r.0)).min();
        let known = revision <= self.revision && first.is_some_and(|f| revision >= f);
        let newer = |at: u64| !known || at > revision;
        let sections = self.sections.iter().filter(|(_, (at, _))| newer(*at));
        let rows = self.rows.iter().filter(|(at, _)| newer(*at));
        Changes {
            revision: self.revision,
            whole: !known,
            sections: sections.map(|(name, (_, v))| (name.clone(), v.clone())).collect(),
            rows: rows.map(|(_, row)| row.clone()).collect(),
        }
    }

    /// The whole view.
    pub fn whole(&self) -> Value {
        let sections = self.sections.iter().map(|(name, (_, v))| (name.clone(), v.clone()));
        let mut all: Map<String, Value> = sections.collect();
        all.insert(LEDGER.into(), self.rows.iter().map(|(_, row)| row.clone()).collect());
        Value::Object(all)
    }
}
