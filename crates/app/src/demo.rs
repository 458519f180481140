//! The demo: jobs as the shipped file tells them, and a stand-in for each.
//!
//! Only this file knows of stand-ins and of hidden faults; it hands nothing on but addresses.

use crate::bench::Addresses;
use crate::shop::Shop;
use diagnosis::evidence::Strength;
use diagnosis::ledger::{Entry, Intake};
use diagnosis::prior::{Occurs, Recent};
use serde::Deserialize;
use standin::{Past, Ports, Setup, Standin};
use std::path::Path;
use vehicle::{FailureType, FaultId, PartId, TroubleCode};

#[derive(Debug, Deserialize)]
struct DemoJob {
    id: String,
    vehicle: String,
    vin: String,
    odometer_km: u32,
    reference: String,
    complaint: String,
    conditions: String,
    lamps: String,
    output: String,
    effect: Option<Strength>,
    #[serde(default)]
    shows_in: String,
    #[serde(default)]
    occurs: Occurs,
    #[serde(default)]
    recent: Vec<Recent>,
    faults: Vec<FaultId>,
    #[serde(default)]
    flexes: bool,
    seed: u64,
    past: Vec<DemoPast>,
}

#[derive(Debug, Deserialize)]
struct DemoPast {
    module: PartId,
    code: TroubleCode,
    failure_type: FailureType,
    odometer_km: u32,
    volts: f64,
}

/// Opens the demo jobs that are not there yet and starts a stand-in for each.
pub async fn start(shop: &Shop, vehicles: &Path, jobs: &Path) -> Result<Vec<Standin>, String> {
    let text = std::fs::read_to_string(jobs).map_err(|e| format!("{}: {e}", jobs.display()))?;
    let list: Vec<DemoJob> =
        serde_json::from_str(&text).map_err(|e| format!("{}: {e}", jobs.display()))?;
    let mut standins = Vec::new();
    for job in list {
        let path = vehicles.join(format!("{}.json", job.vehicle));
        let text =
            std::fs::read_to_string(&path).map_err(|e| format!("{}: {e}", path.display()))?;
        let vehicle = vehicle::Vehicle::from_json(&text).map_err(|e| e.to_string())?;
        let setup = Setup {
            vehicle,
            faults: job.faults,
            seed: job.seed,
            flexes: job.flexes,
            vin: job.vin.clone(),
            odometer_km: job.odometer_km,
            past: job
                .past
                .into_iter()
                .map(|p| Past {
                    module: p.module,
                    code: p.code,
                    failure_type: p.failure_type,
                    odometer_km: p.odometer_km,
                    volts: p.volts,
                })
                .collect(),
        };
        let standin = Standin::start(setup, Ports::default()).await.map_err(|e| e.to_string())?;
        let known = shop.store.demo_job(&job.id).map_err(|e| e.to_string())?;
        let id = match known {
            Some(id) => id,
            None => {
                let intake = Intake {
                    vin: job.vin,
                    odometer_km: job.odometer_km,
                    complaint: job.complaint,
                    conditions: job.conditions,
                    lamps: job.lamps,
                    output: job.output,
                    effect: job.effect,
                    reference: job.reference,
                    shows_in: job.shows_in,
                    occurs: job.occurs,
                    recent: job.recent,
                    not_fitted: Default::default(),
                };
                shop.open_job(&job.vehicle, Some(&job.id), &[Entry::Intake { intake }])
                    .map_err(|e| e.to_string())?
            }
        };
        let addresses = Addresses {
            doip: Some(standin.doip),
            scpi: Some(standin.scpi),
            scope: Some(standin.scope),
            hands: Some(standin.hands),
        };
        shop.set_bench(Some(id), addresses);
        standins.push(standin);
    }
    Ok(standins)
}
