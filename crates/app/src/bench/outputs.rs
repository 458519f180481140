//! Outputs driven over the link, kept on by saying that the tester is still there, and given back.

use super::{Bench, BenchError, modules};
use link::Gateway;
use link::services::{input_output_control, session, tester_present};
use std::sync::Arc;
use std::time::{Duration, Instant};
use vehicle::{OutputId, Vehicle};

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

impl Bench {
    /// Drives or gives back an output.
    pub async fn drive(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        id: &str,
        on: bool,
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
        let did = output.did;
        let result = self
            .ask(async |gateway| {
                if on {
                    session::extended(&gateway, address).await?;
                    input_output_control::drive(&gateway, address, did, true).await?;
                } else {
                    input_output_control::give_back(&gateway, address, did).await?;
                }
                Ok(gateway)
            })
            .await;
        let mut driven = self.driven.lock().await;
        if !on {
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
            let given = self.drive(vehicle, &output, false).await;
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
