//! The stand-in vehicle as a program of its own.

use clap::Parser;
use standin::{Ports, Setup, Standin};
use std::path::PathBuf;
use std::process::ExitCode;
use vehicle::FaultId;

/// A simulated vehicle that answers DoIP, SCPI and the hands-and-eyes interface on loopback.
#[derive(Debug, Parser)]
struct Arguments {
    /// Vehicle file.
    vehicle: PathBuf,
    /// Hidden fault, an id that `chalkeus faults` lists; may be given more than once, and none is a
    /// sound vehicle.
    #[arg(long)]
    fault: Vec<FaultId>,
    /// Seed for part values and meter noise.
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// Vehicle identification number it gives.
    #[arg(long, default_value = "0PMWR22K8NB004417")]
    vin: String,
    /// What its odometer shows, kilometres.
    #[arg(long, default_value_t = 61_240)]
    odometer_km: u32,
    /// The faults show only while the harness is moved where they lie.
    #[arg(long)]
    flexes: bool,
    /// DoIP port; 0 takes any free one.
    #[arg(long, default_value_t = 13400)]
    doip: u16,
    /// SCPI port of the meter.
    #[arg(long, default_value_t = 5025)]
    scpi: u16,
    /// SCPI port of the scope.
    #[arg(long, default_value_t = 5026)]
    scope: u16,
    /// Port of the hands-and-eyes interface.
    #[arg(long, default_value_t = 8097)]
    hands: u16,
}

#[tokio::main]
async fn main() -> ExitCode {
    match run(Arguments::parse()).await {
        Ok(()) => ExitCode::SUCCESS,
        Err(message) => {
            eprintln!("standin: {message}");
            ExitCode::FAILURE
        }
    }
}

async fn run(arguments: Arguments) -> Result<(), String> {
    let path = arguments.vehicle.display();
    let text = std::fs::read_to_string(&arguments.vehicle).map_err(|e| format!("{path}: {e}"))?;
    let vehicle = vehicle::Vehicle::from_json(&text).map_err(|e| format!("{path}: {e}"))?;
    let setup = Setup {
        vehicle,
        faults: arguments.fault,
        seed: arguments.seed,
        vin: arguments.vin,
        odometer_km: arguments.odometer_km,
        past: Vec::new(),
        flexes: arguments.flexes,
    };
    let ports = Ports {
        doip: arguments.doip,
        scpi: arguments.scpi,
        scope: arguments.scope,
        hands: arguments.hands,
    };
    let standin = Standin::start(setup, ports).await.map_err(|e| e.to_string())?;
    println!(
        "doip {} scpi {} hands http://{} scope {}",
        standin.doip, standin.scpi, standin.hands, standin.scope
    );
    standin.run().await;
    Ok(())
}
