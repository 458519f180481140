//! All modules asked at once: their codes with freeze-frame data, their supply, their identity.

use super::frames::Frames;
use super::{Bench, BenchError, Unanswered, modules};
use diagnosis::ledger::{ReadCode, ScannedModule};
use link::services::{clear_codes, read_codes, read_data, tester_present};
use link::{Gateway, LinkError};
use std::collections::BTreeMap;
use std::sync::Arc;
use tokio::task::JoinSet;
use vehicle::{Datum, PartId, Vehicle};

impl Bench {
    /// Asks every module that is wanted something at once; the answers as they come, with the module.
    /// Dropping the set takes all questions back.
    pub(super) fn ask_all<T, F>(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        wanted: impl Fn(&str) -> bool,
        question: impl Fn(Arc<Gateway>, u16) -> F + Clone + Send + Sync + 'static,
    ) -> JoinSet<(PartId, Result<T, Unanswered>)>
    where
        T: Send + 'static,
        F: Future<Output = Result<T, LinkError>> + Send + 'static,
    {
        let mut asked = JoinSet::new();
        for (part, address) in modules(vehicle).filter(|(p, _)| wanted(&p.id)) {
            let (bench, id, question) = (Arc::clone(self), part.id.clone(), question.clone());
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
    /// [`BenchError`], when there is no link at all.
    pub async fn scan(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        wanted: impl Fn(&str) -> bool,
        mut tell: impl FnMut(&ScannedModule),
    ) -> Result<Vec<ScannedModule>, BenchError> {
        self.connect().await?;
        let mut out: Vec<ScannedModule> = Vec::new();
        let frames = Frames::of(vehicle);
        let mut asked =
            self.ask_all(vehicle, wanted, move |g, who| codes_of(g, who, frames.clone()));
        while let Some(answer) = asked.join_next().await {
            let (module, answer) = answer.map_err(|_| BenchError::BrokenOff)?;
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
    /// [`BenchError`], when there is no link at all.
    pub async fn statuses(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        wanted: impl Fn(&str) -> bool,
    ) -> Result<BTreeMap<PartId, Option<Vec<ReadCode>>>, BenchError> {
        self.gateway().await?;
        let mut said = BTreeMap::new();
        let mut asked = self.ask_all(vehicle, wanted, statuses_of);
        while let Some(answer) = asked.join_next().await {
            let (module, answer) = answer.map_err(|_| BenchError::BrokenOff)?;
            said.insert(module, answer.ok());
        }
        Ok(said)
    }

    /// Who answers now; nothing of those that could not be asked.
    ///
    /// # Errors
    /// [`BenchError`], when there is no link at all.
    pub async fn who_answers(
        self: &Arc<Self>,
        vehicle: &Vehicle,
    ) -> Result<BTreeMap<PartId, Option<bool>>, BenchError> {
        self.gateway().await?;
        let mut said = BTreeMap::new();
        let mut asked = self.ask_all(vehicle, |_| true, presence_of);
        while let Some(answer) = asked.join_next().await {
            let (module, answer) = answer.map_err(|_| BenchError::BrokenOff)?;
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
    /// [`BenchError`], when there is no link at all.
    pub async fn clear(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        wanted: impl Fn(&str) -> bool,
    ) -> Result<Vec<(PartId, Option<String>)>, BenchError> {
        self.connect().await?;
        let mut out = Vec::new();
        let mut asked = self.ask_all(vehicle, wanted, clear_of);
        while let Some(answer) = asked.join_next().await {
            let (module, answer) = answer.map_err(|_| BenchError::BrokenOff)?;
            out.push((module, answer.err().map(Unanswered::words)));
        }
        out.sort();
        Ok(out)
    }

    /// Supply voltage as each module sees it; `None` where it is silent.
    ///
    /// # Errors
    /// [`BenchError`], when there is no link at all, or it was lost.
    pub async fn supplies(
        self: &Arc<Self>,
        vehicle: &Vehicle,
    ) -> Result<Vec<Option<f64>>, BenchError> {
        let gateway = self.gateway().await?;
        // Behind a gateway that sleeps nobody can be asked.
        let entity = gateway.entity;
        let at = vehicle.identifiers.supply;
        if let Err(LinkError::TimeOut { .. }) = supply_of(gateway, entity, at).await {
            return Ok(vec![None]);
        }
        let mut out = Vec::new();
        let mut asked = self.ask_all(vehicle, |_| true, move |g, who| supply_of(g, who, at));
        while let Some(answer) = asked.join_next().await {
            let (_, answer) = answer.map_err(|_| BenchError::BrokenOff)?;
            match answer {
                Err(why @ Unanswered::Unasked(_)) => return Err(why.into()),
                answer => out.push(answer.ok().flatten()),
            }
        }
        Ok(out)
    }
}

/// What is kept of a module's answer.
fn scanned(module: PartId, answer: Result<Vec<ReadCode>, Unanswered>) -> ScannedModule {
    let mut scanned = ScannedModule {
        module,
        answered: true,
        asked: true,
        trouble: String::new(),
        unexpected: false,
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
    modules.sort_by_key(|m| vehicle.parts.position(|p| p.id == m.module));
}

async fn presence_of(gateway: Arc<Gateway>, who: u16) -> Result<(), LinkError> {
    tester_present::ask(&gateway, who).await
}

async fn clear_of(gateway: Arc<Gateway>, who: u16) -> Result<(), LinkError> {
    clear_codes::all(&gateway, who).await
}

async fn supply_of(gateway: Arc<Gateway>, who: u16, at: Datum) -> Result<Option<f64>, LinkError> {
    let data = read_data::by_identifier(&gateway, who, at.did).await?;
    Ok(at.coding.decode(&data))
}

fn read_code(c: &read_codes::Status) -> ReadCode {
    let [high, low, failure_type] = c.code;
    ReadCode {
        code: [high, low].into(),
        failure_type: failure_type.into(),
        status: c.status,
        ..ReadCode::default()
    }
}

async fn statuses_of(gateway: Arc<Gateway>, who: u16) -> Result<Vec<ReadCode>, LinkError> {
    let all = read_codes::supported(&gateway, who).await?.into_iter();
    Ok(all.map(|c| read_code(&c)).collect())
}

/// The freeze-frame data of a code; asked for once more where the answer was lost.
async fn frame_of(
    gateway: &Arc<Gateway>,
    who: u16,
    code: [u8; 3],
    frames: &Frames,
) -> Result<Vec<read_codes::Recorded>, LinkError> {
    let length = |did| frames.length(who, did);
    match read_codes::snapshot(gateway, who, code, length).await {
        Err(LinkError::TimeOut { .. } | LinkError::Garbled { .. }) => {
            read_codes::snapshot(gateway, who, code, length).await
        }
        answer => answer,
    }
}

async fn codes_of(
    gateway: Arc<Gateway>,
    who: u16,
    frames: Frames,
) -> Result<Vec<ReadCode>, LinkError> {
    let mut codes = Vec::new();
    for c in read_codes::supported(&gateway, who).await? {
        let mut read = read_code(&c);
        if read.failing() || read.stored() {
            // Missing freeze-frame data does not spoil the scan, and is told.
            match frame_of(&gateway, who, c.code, &frames).await {
                Ok(recorded) => {
                    read.snapshot = frames.words(who, &recorded);
                    read.supply_mv = frames.supply_mv(&recorded);
                }
                Err(why) => read.unread = why.to_string(),
            }
            if let Ok(counters) = read_codes::extended(&gateway, who, c.code).await {
                let times =
                    counters.iter().find(|c| c.0 == frames.identifiers().counters.occurrences);
                read.snapshot
                    .extend(times.map(|(_, n)| ("failed".to_owned(), format!("{n} times"))));
            }
        }
        codes.push(read);
    }
    Ok(codes)
}
