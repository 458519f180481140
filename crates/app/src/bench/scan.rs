//! All modules asked at once: their codes with freeze-frame data, their supply, their identity.

use super::{Bench, BenchError, Unanswered, modules};
use diagnosis::ledger::{ReadCode, ScannedModule};
use link::services::{clear_codes, read_codes, read_data, routine, tester_present};
use link::{Gateway, LinkError, dtc};
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;
use tokio::task::JoinSet;
use vehicle::Vehicle;

/// A module's own supply voltage, signed millivolts.
const SUPPLY_DID: u16 = 0x2001;
/// Routine with which a module runs all its monitors at once.
const SELF_TEST: u16 = 0x0200;
/// Supply in freeze-frame data, millivolts.
const FRAME_SUPPLY: u16 = 0xDD02;
/// Extended data record: how often a code's monitor has failed.
const OCCURRENCES: u8 = 0x01;

/// What freeze-frame data may hold beside what all codes have: name and unit of a module's signals,
/// by its address and the signal's identifier.
#[derive(Debug, Clone, Default)]
struct Frames(Arc<HashMap<(u16, u16), (String, String)>>);

impl Frames {
    fn of(vehicle: &Vehicle) -> Self {
        let signals = modules(vehicle).flat_map(|(part, address)| {
            let own = vehicle.signals.iter().filter(|s| s.module == part.id);
            own.filter_map(move |s| Some(((address, s.did?), (s.name.clone(), s.unit.clone()))))
        });
        Self(Arc::new(signals.collect()))
    }

    /// Length of an identifier's data, bytes.
    fn length(&self, who: u16, did: u16) -> Option<usize> {
        match (did, self.0.get(&(who, did))) {
            (0xDD00, _) => Some(4),
            (0xDD01, _) => Some(3),
            (0xDD02, _) => Some(2),
            (_, Some((_, unit))) => Some(if unit == "V" { 2 } else { 1 }),
            _ => None,
        }
    }

    fn words(&self, who: u16, recorded: &[(u16, Vec<u8>)]) -> Vec<(String, String)> {
        let word = |(did, data): &(u16, Vec<u8>)| {
            let number = data.iter().fold(0u64, |n, b| n << 8 | u64::from(*b));
            match (did, self.0.get(&(who, *did)), data.as_slice()) {
                (0xDD00, ..) => {
                    let (hours, minutes) = (number / 3600, number / 60 % 60);
                    ("time".to_owned(), format!("{hours} h {minutes} min {} s", number % 60))
                }
                (0xDD01, ..) => ("odometer".to_owned(), format!("{number} km")),
                (0xDD02, ..) => ("supply".to_owned(), format!("{:.2} V", number as f64 / 1000.0)),
                (_, Some((name, _)), [high, low]) => {
                    let volts = f64::from(i16::from_be_bytes([*high, *low])) / 1000.0;
                    (name.clone(), format!("{volts:.2} V"))
                }
                (_, Some((name, _)), _) => {
                    (name.clone(), if number == 0 { "off" } else { "on" }.to_owned())
                }
                (other, None, data) => (format!("{other:04X}"), format!("{data:02X?}")),
            }
        };
        recorded.iter().map(word).collect()
    }
}

impl Bench {
    /// Asks every module that is wanted something at once; the answers as they come, with the module.
    /// Dropping the set takes all questions back.
    pub(super) fn ask_all<T, F>(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        wanted: impl Fn(&str) -> bool,
        question: impl Fn(Arc<Gateway>, u16) -> F + Clone + Send + Sync + 'static,
    ) -> JoinSet<(String, Result<T, Unanswered>)>
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
    ) -> Result<BTreeMap<String, Option<Vec<ReadCode>>>, BenchError> {
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
    ) -> Result<BTreeMap<String, Option<bool>>, BenchError> {
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
    ) -> Result<Vec<(String, Option<String>)>, BenchError> {
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

    /// Lets modules test themselves: every monitor that can run does at once; those that did.
    ///
    /// # Errors
    /// [`BenchError`], when there is no link at all.
    pub async fn self_tests(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        wanted: impl Fn(&str) -> bool,
    ) -> Result<BTreeMap<String, Option<String>>, BenchError> {
        self.connect().await?;
        let mut said = BTreeMap::new();
        let mut asked = self.ask_all(vehicle, wanted, self_test_of);
        while let Some(answer) = asked.join_next().await {
            let (module, answer) = answer.map_err(|_| BenchError::BrokenOff)?;
            said.insert(module, answer.err().map(Unanswered::words));
        }
        Ok(said)
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
        if let Err(LinkError::TimeOut { .. }) = supply_of(gateway, entity).await {
            return Ok(vec![None]);
        }
        let mut out = Vec::new();
        let mut asked = self.ask_all(vehicle, |_| true, supply_of);
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
fn scanned(module: String, answer: Result<Vec<ReadCode>, Unanswered>) -> ScannedModule {
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

async fn self_test_of(gateway: Arc<Gateway>, who: u16) -> Result<(), LinkError> {
    routine::control(&gateway, who, SELF_TEST, routine::Control::Start, &[]).await.map(|_| ())
}

async fn statuses_of(gateway: Arc<Gateway>, who: u16) -> Result<Vec<ReadCode>, LinkError> {
    let all = read_codes::supported(&gateway, who).await?.into_iter();
    Ok(all
        .map(|c| ReadCode {
            code: c.code,
            failure_type: c.failure_type,
            status: c.status,
            ..ReadCode::default()
        })
        .collect())
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

/// Supply that a snapshot holds, millivolts.
fn supply_mv(recorded: &[read_codes::Recorded]) -> Option<u32> {
    let (_, data) = recorded.iter().find(|(did, _)| *did == FRAME_SUPPLY)?;
    let [high, low] = data[..] else { return None };
    Some(u32::from(u16::from_be_bytes([high, low])))
}

async fn codes_of(
    gateway: Arc<Gateway>,
    who: u16,
    frames: Frames,
) -> Result<Vec<ReadCode>, LinkError> {
    let mut codes = Vec::new();
    for c in read_codes::supported(&gateway, who).await? {
        let mut read = ReadCode {
            code: c.code,
            failure_type: c.failure_type,
            status: c.status,
            ..ReadCode::default()
        };
        if (read.failing() || read.stored())
            && let Some(bytes) = dtc::bytes(&read.code, &read.failure_type)
        {
            // Missing freeze-frame data does not spoil the scan, and is told.
            match frame_of(&gateway, who, bytes, &frames).await {
                Ok(recorded) => {
                    read.snapshot = frames.words(who, &recorded);
                    read.supply_mv = supply_mv(&recorded);
                }
                Err(why) => read.unread = why.to_string(),
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
