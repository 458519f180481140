//! What modules are set to: records and identities read and written, lessons taught.

use super::{Bench, BenchError, modules};
use diagnosis::setup;
use link::Gateway;
use link::services::routine::{self, Control};
use link::services::{read_codes, read_data, security_access, session, write_data};
use std::sync::Arc;
use std::time::{Duration, Instant};
use vehicle::element::{Held, Setting};
use vehicle::{TroubleCode, Vehicle};

/// Level that writing takes (ISO 14229-1: odd numbers ask for the seed).
const LEVEL: u8 = 1;
/// Status bits testFailed and confirmedDTC (ISO 14229-1 D.2).
const FAILING_OR_STORED: u8 = 0x09;
/// How often a module is asked how far it is.
const AGAIN: Duration = Duration::from_millis(200);
/// The longest that a module may take to learn something.
const LONGEST: Duration = Duration::from_secs(60);

/// How far a module is with what it is being taught.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Lesson {
    /// Whether it goes on.
    pub running: bool,
    /// Percent learned.
    pub percent: u8,
}

impl Lesson {
    /// Whether all of it was learned.
    pub fn is_learned(self) -> bool {
        !self.running && self.percent >= 100
    }
}

pub(super) fn address_of(vehicle: &Vehicle, module: &str) -> Result<u16, BenchError> {
    let of = modules(vehicle).find(|(p, _)| p.id == *module).map(|(_, address)| address);
    of.ok_or_else(|| BenchError::NoAddress(module.to_owned()))
}

impl Bench {
    /// Reads a record.
    ///
    /// # Errors
    /// [`BenchError`].
    pub async fn record(
        &self,
        vehicle: &Vehicle,
        module: &str,
        did: u16,
    ) -> Result<Vec<u8>, BenchError> {
        let who = address_of(vehicle, module)?;
        let read = async |gateway: Arc<Gateway>| read_data::by_identifier(&gateway, who, did).await;
        Ok(self.ask(read).await?)
    }

    /// Writes a record; what it reads then.
    ///
    /// # Errors
    /// [`BenchError`].
    pub async fn write_record(
        &self,
        vehicle: &Vehicle,
        module: &str,
        did: u16,
        data: &[u8],
    ) -> Result<Vec<u8>, BenchError> {
        let who = address_of(vehicle, module)?;
        let unlock = vehicle.identifiers.unlock;
        let write = async |gateway: Arc<Gateway>| {
            session::extended(&gateway, who).await?;
            let key = |seed: &[u8]| unlock.key(seed, who);
            security_access::unlock(&gateway, who, LEVEL, key).await?;
            write_data::by_identifier(&gateway, who, did, data).await?;
            read_data::by_identifier(&gateway, who, did).await
        };
        Ok(self.ask(write).await?)
    }

    /// What a module says that it holds of a setting, in words; none where it says nothing of it.
    pub async fn held(self: &Arc<Self>, vehicle: &Vehicle, setting: &Setting) -> Option<String> {
        let number = setup::told_by(vehicle, &setting.id)?;
        let read = self.values(vehicle, &[number]).await.ok()?;
        let value = read.values.get(&number)?.as_ref().ok()?;
        Some(setup::in_word(vehicle, setting, *value))
    }

    /// Begins to teach a setting.
    ///
    /// # Errors
    /// [`BenchError`]; what does not hold is told in words.
    pub async fn begin_lesson(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        setting: &Setting,
    ) -> Result<(), BenchError> {
        let Held::Learned { needs, codes_gone, .. } = &setting.held else {
            return Err(BenchError::NothingToTeach(setting.name.clone()));
        };
        let who = address_of(vehicle, &setting.module)?;
        if let Some([needs, said]) = self.failing(vehicle, needs).await? {
            return Err(BenchError::NotTaught { what: setting.name.clone(), needs, said });
        }
        if !codes_gone.is_empty() {
            let read = async |gateway: Arc<Gateway>| {
                read_codes::by_mask(&gateway, who, FAILING_OR_STORED).await
            };
            let stands = self.ask(read).await?;
            let code = |s: &read_codes::Status| TroubleCode::from([s.code[0], s.code[1]]);
            if let Some(code) = stands.iter().map(code).find(|c| codes_gone.contains(c)) {
                return Err(BenchError::NotTaught {
                    what: setting.name.clone(),
                    needs: format!("{code} gone from the memory of {}", setting.module),
                    said: "it stands there".into(),
                });
            }
        }
        self.ask(async |gateway: Arc<Gateway>| session::extended(&gateway, who).await).await?;
        self.lesson(vehicle, setting, Control::Start).await?;
        Ok(())
    }

    /// Starts a lesson, ends it, or asks how far it is.
    ///
    /// # Errors
    /// [`BenchError`].
    pub async fn lesson(
        &self,
        vehicle: &Vehicle,
        setting: &Setting,
        control: Control,
    ) -> Result<Lesson, BenchError> {
        let Held::Learned { routine, .. } = setting.held else {
            return Err(BenchError::NothingToTeach(setting.name.clone()));
        };
        let who = address_of(vehicle, &setting.module)?;
        let told = async |gateway: Arc<Gateway>| {
            routine::control(&gateway, who, routine, control, &[]).await
        };
        let told = self.ask(told).await?;
        let [running, percent] = [0, 1].map(|k| told.get(k).copied().unwrap_or(0));
        Ok(Lesson { running: running == 1, percent: percent.min(100) })
    }

    /// Teaches a setting, and waits until it is learned.
    ///
    /// # Errors
    /// [`BenchError`]; what does not hold is told in words.
    pub async fn teach(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        setting: &Setting,
    ) -> Result<(), BenchError> {
        self.begin_lesson(vehicle, setting).await?;
        let began = Instant::now();
        loop {
            tokio::time::sleep(AGAIN).await;
            match self.lesson(vehicle, setting, Control::Results).await? {
                l if l.is_learned() => return Ok(()),
                l if l.running && began.elapsed() < LONGEST => {}
                l => return Err(BenchError::StoppedLearning(setting.name.clone(), l.percent)),
            }
        }
    }
}
