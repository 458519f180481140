//! Outputs driven over the link, kept on by saying that the tester is still there, and given back.

use super::{Bench, BenchError, modules};
use diagnosis::request::{Known, known};
use link::Gateway;
use link::services::input_output_control::{self, Level};
use link::services::{session, tester_present};
use std::sync::Arc;
use std::time::{Duration, Instant};
use vehicle::{Output, OutputId, Permit, SignalIx, Vehicle};

/// How often a module that drives something hears that the tester is still there: well within the
/// five seconds after which it takes its output back (S3 of ISO 14229-2).
const KEEP: Duration = Duration::from_secs(2);
/// Longest time that anything is driven, seconds, whatever a vehicle file says.
const LONGEST_S: f64 = 3600.0;

/// An output that is driven.
#[derive(Debug, Clone)]
pub(super) struct Driven {
    /// The link it was driven over: with another one its module has taken it back.
    over: Arc<Gateway>,
    address: u16,
    did: u16,
    /// When its time is over.
    until: Instant,
}

/// What its module is told: what takes percent its usual share where no other is wished for, what knows steps the
/// number of one.
fn told(output: &Output, level: Level) -> Level {
    let percent = match level {
        Level::Percent(percent) => Some(percent),
        Level::On => output.usual_percent(),
        Level::Step(_) => None,
    };
    percent.map_or(level, |p| output.step_of(p).map_or(Level::Percent(p), Level::Step))
}

impl Bench {
    /// Drives an output, or gives it back where no level is named.
    pub async fn drive(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        id: &str,
        level: Option<Level>,
    ) -> Result<(), BenchError> {
        let output = vehicle
            .outputs
            .iter()
            .find(|o| o.id == id)
            .ok_or_else(|| BenchError::NoOutput(id.to_owned()))?;
        let address = modules(vehicle)
            .find(|(p, _)| p.id == output.module)
            .map(|(_, a)| a)
            .ok_or_else(|| BenchError::NoAddress(output.module.to_string()))?;
        let level = level.map(|level| told(output, level));
        if level.is_some() {
            self.is_permitted(vehicle, output).await?;
        }
        let did = output.did;
        let result = self
            .ask(async |gateway| {
                if let Some(level) = level {
                    session::extended(&gateway, address).await?;
                    input_output_control::drive(&gateway, address, did, level).await?;
                } else {
                    input_output_control::give_back(&gateway, address, did).await?;
                }
                Ok(gateway)
            })
            .await;
        let mut driven = self.driven.lock().await;
        if level.is_none() {
            driven.remove(id);
            return Ok(result.map(drop)?);
        }
        let over = result?;
        if driven.is_empty() {
            self.keep_on();
        }
        let until = Instant::now() + Duration::from_secs_f64(output.limit_s.clamp(0.0, LONGEST_S));
        driven.insert(id.into(), Driven { over, address, did, until });
        Ok(())
    }

    /// Reads what must hold before an output is driven, and refuses it where something does not.
    async fn is_permitted(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        output: &Output,
    ) -> Result<(), BenchError> {
        match self.failing(vehicle, &output.needs).await? {
            Some([needs, said]) => {
                Err(BenchError::Guarded { output: output.name.clone(), needs, said })
            }
            None => Ok(()),
        }
    }

    /// The first condition that does not hold, with what was read of it. What nobody can say does not hold
    /// anything up: a dead module may be just what is looked for.
    pub(super) async fn failing(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        needs: &[Permit],
    ) -> Result<Option<[String; 2]>, BenchError> {
        let mut wanted: Vec<SignalIx> = (needs.iter())
            .flat_map(|n| n.holds.signals())
            .filter_map(|id| vehicle.signals.position(|s| s.id == id))
            .collect();
        wanted.sort_unstable();
        wanted.dedup();
        if wanted.is_empty() {
            return Ok(None);
        }
        let read = self.values(vehicle, &wanted).await?;
        let value = |id: &str| {
            let number = vehicle.signals.position(|s| s.id == id)?;
            read.values.get(&number)?.as_ref().ok().copied()
        };
        let fails = |n: &&Permit| known(&n.holds, &value) == Known::Fails;
        let Some(failing) = needs.iter().find(fails) else { return Ok(None) };
        let said = |id: &str| {
            let s = vehicle.signals.iter().find(|s| s.id == id)?;
            let named = s.physical.as_ref().and_then(|p| p.transfer.name(value(id)?));
            let plain = || Some(format!("{:.1} {}", value(id)?, s.unit));
            let said = named.map(str::to_owned).or_else(plain)?;
            Some(format!("{} {said}", s.name).trim_end().to_owned())
        };
        let said: Vec<String> = failing.holds.signals().into_iter().filter_map(said).collect();
        Ok(Some([failing.name.clone(), said.join(", ")]))
    }

    /// Seconds that each driven output has left.
    pub async fn time_left(&self) -> Vec<(OutputId, f64)> {
        let left = |d: &Driven| d.until.saturating_duration_since(Instant::now()).as_secs_f64();
        self.driven.lock().await.iter().map(|(id, d)| (id.clone(), left(d))).collect()
    }

    /// Outputs that ended since they were driven: their link is gone, and their modules took them back; or
    /// their time is over, and they are given back now.
    pub async fn ended(&self) -> Vec<OutputId> {
        let over: Vec<(OutputId, Driven)> = {
            let mut driven = self.driven.lock().await;
            let now = Instant::now();
            let over = driven.iter().filter(|(_, d)| d.over.is_gone() || now >= d.until);
            let over: Vec<_> = over.map(|(id, d)| (id.clone(), d.clone())).collect();
            for (id, _) in &over {
                driven.remove(id);
            }
            over
        };
        for (id, d) in over.iter().filter(|(_, d)| !d.over.is_gone()) {
            // Its module stops by itself as well.
            if let Err(e) = input_output_control::give_back(&d.over, d.address, d.did).await {
                tracing::warn!("{id} was not given back when its time was over: {e}");
            }
        }
        over.into_iter().map(|(id, _)| id).collect()
    }

    /// Gives back what is driven although what must hold for it no longer does; what that was and why.
    pub async fn no_longer_permitted(
        self: &Arc<Self>,
        vehicle: &Vehicle,
    ) -> Vec<(OutputId, String)> {
        let driven: Vec<OutputId> = self.driven.lock().await.keys().cloned().collect();
        let mut out = Vec::new();
        for output in vehicle.outputs.iter().filter(|o| driven.contains(&o.id)) {
            // What cannot be read just now has not failed.
            if let Err(why @ BenchError::Guarded { .. }) = self.is_permitted(vehicle, output).await
            {
                if let Err(e) = self.drive(vehicle, &output.id, None).await {
                    tracing::warn!("{} was not given back: {e}", output.id);
                }
                out.push((output.id.clone(), why.to_string()));
            }
        }
        out
    }

    /// Whether anything is driven.
    pub async fn is_driving(&self) -> bool {
        !self.driven.lock().await.is_empty()
    }

    /// Gives back everything that is driven; the first that could not be, after all were tried.
    ///
    /// # Errors
    /// [`BenchError`].
    pub async fn release(self: &Arc<Self>, vehicle: &Vehicle) -> Result<(), BenchError> {
        let driven: Vec<OutputId> = self.driven.lock().await.keys().cloned().collect();
        let mut first = Ok(());
        for output in driven {
            let given = self.drive(vehicle, &output, None).await;
            first = first.and(given);
        }
        first
    }

    /// Says that the tester is still there for as long as something is driven.
    fn keep_on(self: &Arc<Self>) {
        let bench = Arc::clone(self);
        tokio::spawn(async move {
            loop {
                tokio::time::sleep(KEEP).await;
                let driven: Vec<Driven> = bench.driven.lock().await.values().cloned().collect();
                if driven.is_empty() {
                    return;
                }
                for d in driven.into_iter().filter(|d| !d.over.is_gone()) {
                    // A link that is lost just now is noticed by whoever watches over what is driven.
                    let _ = tester_present::say(&d.over, d.address).await;
                }
            }
        });
    }
}
