//! The command line. Exit codes: 0 done, 1 the input is at fault, 2 wrong call.

mod core;
mod decode;
mod trial;
mod web;

use clap::{Parser, Subcommand};
use std::path::PathBuf;
use std::process::ExitCode;

#[derive(Debug, Parser)]
#[command(
    name = "chalkeus",
    version,
    about = "Finds electrical faults in vehicles by solving the circuit."
)]
struct Arguments {
    #[command(subcommand)]
    command: Command,
}

/// A vehicle in an operating state.
#[derive(Debug, clap::Args)]
struct Point {
    /// Vehicle file.
    vehicle: PathBuf,
    /// Name of a state in the vehicle file, or @FILE.json.
    #[arg(long)]
    state: String,
    /// A fault that `faults` lists.
    #[arg(long)]
    fault: Option<String>,
    /// JSON on standard output.
    #[arg(long)]
    json: bool,
}

#[derive(Debug, Subcommand)]
enum Command {
    /// Start the web application with demo data and stand-ins.
    Demo(web::Demo),
    /// Start the web application on your own data.
    Serve(web::Serve),
    /// Copy the database into a new file, whole even while the program runs.
    Backup(web::Backup),
    /// Validate a vehicle file: errors, and what makes it doubtful when a healthy vehicle is solved.
    Check {
        /// Vehicle file.
        vehicle: PathBuf,
        /// JSON on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Voltages at every cavity, currents in every conductor, module aliveness, codes.
    Solve(Point),
    /// The same point as a SPICE deck.
    Netlist(Point),
    /// How often each kind of thing fails before anything is known, and why.
    Rates {
        /// JSON on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Every generated hypothesis with its repair item and prior: failures a year of a thousand.
    Faults {
        /// Vehicle file.
        vehicle: PathBuf,
        /// JSON on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Frames, errors, levels and findings of a capture: voltages as CSV, a candump log or pcapng.
    Decode(decode::Decode),
    /// Ranked suspects with reasons, and the next checks.
    Suspects {
        /// Vehicle file.
        vehicle: PathBuf,
        /// Evidence file.
        #[arg(long)]
        evidence: PathBuf,
        /// JSON on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Simulated jobs with hidden faults: how often, how fast and at what cost each strategy finds them.
    Trial(trial::Trial),
    /// Print the JSON Schema of the vehicle file.
    Schema,
    /// Print the OpenAPI description of the web interface.
    Openapi,
}

/// Runs the command given on the command line.
pub fn run() -> ExitCode {
    let result = match Arguments::parse().command {
        Command::Demo(demo) => web::demo(demo),
        Command::Serve(serve) => web::serve(serve),
        Command::Backup(backup) => web::backup(&backup),
        Command::Check { vehicle, json } => core::check(&vehicle, json),
        Command::Solve(point) => core::solve(&point),
        Command::Netlist(point) => core::netlist(&point),
        Command::Rates { json } => core::rates(json),
        Command::Faults { vehicle, json } => core::faults(&vehicle, json),
        Command::Suspects { vehicle, evidence, json } => core::suspects(&vehicle, &evidence, json),
        Command::Decode(wanted) => decode::run(&wanted),
        Command::Trial(arguments) => trial::run(&arguments),
        Command::Schema => core::schema(),
        Command::Openapi => {
            core::print(&http_openapi());
            Ok(())
        }
    };
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(message) => {
            eprintln!("chalkeus: {message}");
            ExitCode::FAILURE
        }
    }
}

fn http_openapi() -> serde_json::Value {
    serde_json::to_value(crate::http::openapi()).unwrap_or_default()
}
