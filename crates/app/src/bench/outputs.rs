//! Outputs driven over the link, kept on by saying that the tester is still there, and given back.

use super::{Bench, BenchError, Slot, modules};
use link::services::{input_output_control, session, tester_present};
use std::sync::Arc;
use std::time::Duration;
use vehicle::{OutputId, Vehicle};

/// How often a module that drives something hears that the tester is still there: well within the
/// five seconds after which it takes its output back (S3 of ISO 14229-2).
const KEEP: Duration = Duration::from_secs(2);

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
                    input_output_control::drive(&gateway, address, did, true).await
                } else {
                    input_output_control::give_back(&gateway, address, did).await
                }
            })
            .await;
        {
            let mut driven = self.driven.lock().await;
            if on && result.is_ok() {
                if driven.is_empty() {
                    self.keep_on();
                }
                driven.insert(id.into(), address);
            } else if !on {
                driven.remove(id);
            }
        }
        Ok(result?)
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

    /// Says that the tester is still there for as long as something is driven. Only the link that it
    /// was driven over is kept up: with another one, the modules have taken their outputs back.
    fn keep_on(self: &Arc<Self>) {
        let bench = Arc::clone(self);
        tokio::spawn(async move {
            loop {
                tokio::time::sleep(KEEP).await;
                let driven: Vec<u16> = bench.driven.lock().await.values().copied().collect();
                if driven.is_empty() {
                    return;
                }
                let open = match &*bench.gateway.lock().await {
                    Slot::Open(open) if !open.is_gone() => Arc::clone(open),
                    _ => return,
                };
                for address in driven {
                    if tester_present::say(&open, address).await.is_err() {
                        return;
                    }
                }
            }
        });
    }
}
