//! What modules are set to: records and identities read and written, lessons taught.

use super::{Bench, BenchError, modules};
use link::Gateway;
use link::services::routine::{self, Control};
use link::services::{read_data, security_access, session, write_data};
use std::sync::Arc;
use std::time::{Duration, Instant};
use vehicle::Vehicle;
use vehicle::element::{Held, Setting};

/// Level that writing takes (ISO 14229-1: odd numbers ask for the seed).
const LEVEL: u8 = 1;
/// How often a module is asked how far it is.
const AGAIN: Duration = Duration::from_millis(200);
/// The longest that a module may take to learn something.
const LONGEST: Duration = Duration::from_secs(60);

fn address_of(vehicle: &Vehicle, module: &str) -> Result<u16, BenchError> {
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

    /// Teaches a setting, and waits until it is learned.
    ///
    /// # Errors
    /// [`BenchError`]; what does not hold is told in words.
    pub async fn teach(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        setting: &Setting,
    ) -> Result<(), BenchError> {
        let Held::Learned { routine, needs } = &setting.held else {
            return Err(BenchError::NothingToTeach(setting.name.clone()));
        };
        let (who, routine) = (address_of(vehicle, &setting.module)?, *routine);
        if let Some([needs, said]) = self.failing(vehicle, needs).await? {
            return Err(BenchError::NotTaught { what: setting.name.clone(), needs, said });
        }
        let start = async |gateway: Arc<Gateway>| {
            session::extended(&gateway, who).await?;
            routine::control(&gateway, who, routine, Control::Start, &[]).await
        };
        self.ask(start).await?;
        let began = Instant::now();
        loop {
            tokio::time::sleep(AGAIN).await;
            let results = async |gateway: Arc<Gateway>| {
                routine::control(&gateway, who, routine, Control::Results, &[]).await
            };
            let told = self.ask(results).await?;
            let [running, percent] = [0, 1].map(|k| told.get(k).copied().unwrap_or(0));
            match running {
                0 if percent >= 100 => return Ok(()),
                1 if began.elapsed() < LONGEST => {}
                _ => return Err(BenchError::StoppedLearning(setting.name.clone(), percent)),
            }
        }
    }
}
