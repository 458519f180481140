//! All modules asked at once: their codes with freeze-frame data, their supply, their identity.

use super::{Bench, Unanswered, modules};
use diagnosis::ledger::{ReadCode, ScannedModule};
use link::services::{clear_codes, read_codes, read_data, tester_present};
use link::{Gateway, LinkError, dtc};
use std::collections::BTreeMap;
use std::sync::Arc;
use tokio::task::JoinSet;
use vehicle::Vehicle;

/// A module's own supply voltage, signed millivolts.
const SUPPLY_DID: u16 = 0x2001;
/// Extended data record: how often a code's monitor has failed.
const OCCURRENCES: u8 = 0x01;

/// Lengths of the snapshot identifiers the modules use, bytes.
fn snapshot_length(did: u16) -> Option<usize> {
    match did {
        0xDD01 => Some(3),
        0xDD02 => Some(2),
        _ => None,
    }
}

fn snapshot_words(recorded: &[(u16, Vec<u8>)]) -> Vec<(String, String)> {
    recorded
        .iter()
        .map(|(did, data)| {
            let number = data.iter().fold(0u64, |n, b| n << 8 | u64::from(*b));
            match did {
                0xDD01 => ("odometer".to_owned(), format!("{number} km")),
                0xDD02 => ("supply".to_owned(), format!("{:.2} V", number as f64 / 1000.0)),
                other => (format!("{other:04X}"), format!("{data:02X?}")),
            }
        })
        .collect()
}

impl Bench {
    /// Asks every module that is wanted something at once; the answers as they come, with the module.
    /// Dropping the set takes all questions back.
    pub(super) fn ask_all<T, F>(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        wanted: impl Fn(&str) -> bool,
        question: impl Fn(Arc<Gateway>, u16) -> F + Copy + Send + Sync + 'static,
    ) -> JoinSet<(String, Result<T, Unanswered>)>
    where
        T: Send + 'static,
        F: Future<Output = Result<T, LinkError>> + Send + 'static,
    {
        let mut asked = JoinSet::new();
        for (part, address) in modules(vehicle).filter(|(p, _)| wanted(&p.id)) {
            let (bench, id) = (Arc::clone(self), part.id.clone());
            asked.spawn(async move {
                let answer = bench.ask(|gateway| question(gateway, address)).await;
                (id, answer)
            });
        }
        asked
    }

    /// Asks modules for their codes and their freeze-frame data, and tells of each as it answers; in
    /// the order of the vehicle file at the end.
    ///
    /// # Errors
    /// In words, when there is no link at all.
    pub async fn scan(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        wanted: impl Fn(&str) -> bool,
        mut tell: impl FnMut(&ScannedModule),
    ) -> Result<Vec<ScannedModule>, String> {
        self.connect().await?;
        let mut out: Vec<ScannedModule> = Vec::new();
        let mut asked = self.ask_all(vehicle, wanted, codes_of);
        while let Some(answer) = asked.join_next().await {
            let (module, answer) = answer.map_err(|e| e.to_string())?;
            let scanned = scanned(module, answer);
            tell(&scanned);
            out.push(scanned);
        }
        in_order(vehicle, &mut out);
        Ok(out)
    }

    /// Codes of modules with their status alone; nothing of those that do not answer.
    ///
    /// # Errors
    /// In words, when there is no link at all.
    pub async fn statuses(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        wanted: impl Fn(&str) -> bool,
    ) -> Result<BTreeMap<String, Option<Vec<ReadCode>>>, String> {
        self.gateway().await?;
        let mut said = BTreeMap::new();
        let mut asked = self.ask_all(vehicle, wanted, statuses_of);
        while let Some(answer) = asked.join_next().await {
            let (module, answer) = answer.map_err(|e| e.to_string())?;
            said.insert(module, answer.ok());
        }
        Ok(said)
    }

    /// Who answers now; nothing of those that could not be asked.
    ///
    /// # Errors
    /// In words, when there is no link at all.
    pub async fn who_answers(
        self: &Arc<Self>,
        vehicle: &Vehicle,
    ) -> Result<BTreeMap<String, Option<bool>>, String> {
        self.gateway().await?;
        let mut said = BTreeMap::new();
        let mut asked = self.ask_all(vehicle, |_| true, presence_of);
        while let Some(answer) = asked.join_next().await {
            let (module, answer) = answer.map_err(|e| e.to_string())?;
            let answers = match answer {
                Ok(()) | Err(Unanswered::Otherwise(_)) => Some(true),
                Err(Unanswered::Silent(_)) => Some(false),
                Err(Unanswered::Unasked(_)) => None,
            };
            said.insert(module, answers);
        }
        Ok(said)
    }

    /// Clears the codes of modules; those that could not be cleared with the reason.
    ///
    /// # Errors
    /// In words, when there is no link at all.
    pub async fn clear(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        wanted: impl Fn(&str) -> bool,
    ) -> Result<Vec<(String, Option<String>)>, String> {
        self.connect().await?;
        let mut out = Vec::new();
        let mut asked = self.ask_all(vehicle, wanted, clear_of);
        while let Some(answer) = asked.join_next().await {
            let (module, answer) = answer.map_err(|e| e.to_string())?;
            out.push((module, answer.err().map(Unanswered::words)));
        }
        out.sort();
        Ok(out)
    }

    /// Supply voltage as each module sees it; `None` where it is silent.
    ///
    /// # Errors
    /// In words, when there is no link at all, or it was lost.
    pub async fn supplies(self: &Arc<Self>, vehicle: &Vehicle) -> Result<Vec<Option<f64>>, String> {
        let gateway = self.gateway().await?;
        // Behind a gateway that sleeps nobody can be asked.
        let entity = gateway.entity;
        if let Err(LinkError::TimeOut { .. }) = supply_of(gateway, entity).await {
            return Ok(vec![None]);
        }
        let mut out = Vec::new();
        let mut asked = self.ask_all(vehicle, |_| true, supply_of);
        while let Some(answer) = asked.join_next().await {
            let (_, answer) = answer.map_err(|e| e.to_string())?;
            match answer {
                Err(Unanswered::Unasked(why)) => return Err(why),
                answer => out.push(answer.ok().flatten()),
            }
        }
        Ok(out)
    }
}

/// What is kept of a module's answer.
fn scanned(module: String, answer: Result<Vec<ReadCode>, Unanswered>) -> ScannedModule {
    let mut scanned = ScannedModule {
        module,
        answered: true,
        asked: true,
        trouble: String::new(),
        codes: Vec::new(),
    };
    match answer {
        Ok(codes) => scanned.codes = codes,
        Err(why) => {
            scanned.answered = matches!(why, Unanswered::Otherwise(_));
            scanned.asked = !matches!(why, Unanswered::Unasked(_));
            scanned.trouble = why.words();
        }
    }
    scanned
}

fn in_order(vehicle: &Vehicle, modules: &mut [ScannedModule]) {
    modules.sort_by_key(|m| vehicle.parts.iter().position(|p| p.id == m.module));
}

async fn presence_of(gateway: Arc<Gateway>, who: u16) -> Result<(), LinkError> {
    tester_present::ask(&gateway, who).await
}

async fn clear_of(gateway: Arc<Gateway>, who: u16) -> Result<(), LinkError> {
    clear_codes::all(&gateway, who).await
}

async fn supply_of(gateway: Arc<Gateway>, who: u16) -> Result<Option<f64>, LinkError> {
    let data = read_data::by_identifier(&gateway, who, SUPPLY_DID).await?;
    Ok(match data[..] {
        [high, low] => Some(f64::from(i16::from_be_bytes([high, low])) / 1000.0),
        _ => None,
    })
}

async fn statuses_of(gateway: Arc<Gateway>, who: u16) -> Result<Vec<ReadCode>, LinkError> {
    let all = read_codes::supported(&gateway, who).await?.into_iter();
    Ok(all
        .map(|c| ReadCode {
            code: c.code,
            failure_type: c.failure_type,
            status: c.status,
            snapshot: Vec::new(),
        })
        .collect())
}

async fn codes_of(gateway: Arc<Gateway>, who: u16) -> Result<Vec<ReadCode>, LinkError> {
    let mut codes = Vec::new();
    for c in read_codes::supported(&gateway, who).await? {
        let mut read = ReadCode {
            code: c.code,
            failure_type: c.failure_type,
            status: c.status,
            snapshot: Vec::new(),
        };
        if (read.failing() || read.stored())
            && let Some(bytes) = dtc::bytes(&read.code, &read.failure_type)
        {
            // Missing freeze-frame data or counters do not spoil the scan.
            if let Ok(s) = read_codes::snapshot(&gateway, who, bytes, snapshot_length).await {
                read.snapshot = snapshot_words(&s);
            }
            if let Ok(counters) = read_codes::extended(&gateway, who, bytes).await {
                let times = counters.iter().find(|c| c.0 == OCCURRENCES);
                read.snapshot
                    .extend(times.map(|(_, n)| ("failed".to_owned(), format!("{n} times"))));
            }
        }
        codes.push(read);
    }
    Ok(codes)
}
