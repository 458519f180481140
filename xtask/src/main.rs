//! Set-up, demo, tests: everything a fresh machine needs.

mod checks;
mod setup;
mod tests;

use clap::{Parser, Subcommand};
use std::process::{Command, ExitCode};

#[derive(Parser)]
struct Arguments {
    #[command(subcommand)]
    task: Task,
}

#[derive(Subcommand)]
enum Task {
    /// Install what the machine lacks and build the front end.
    Setup,
    /// Set up, build and start the application with demo data; more arguments go to it.
    Demo {
        /// Arguments of `chalkeus demo`.
        #[arg(trailing_var_arg = true, allow_hyphen_values = true)]
        more: Vec<String>,
    },
    /// Set up, then check and test everything.
    Test,
    /// Measure the speed of the solver: every hypothesis in twelve states, against ngspice, and how
    /// it grows with the vehicle; how long a finding takes to the next check; decoding of captures; and the
    /// program in use.
    Bench {
        /// Only one part: wren, kinds, ngspice, growth, evidence, bus or use.
        part: Option<String>,
    },
    /// Write the generated files anew: OpenAPI, JSON Schema, TypeScript types.
    Generate,
}

/// Outcome of a task, in words when it fails.
type Outcome = Result<(), String>;

/// Runs a program in a directory; its failure is ours.
fn run(directory: &str, program: &str, arguments: &[&str]) -> Outcome {
    println!("· {program} {}", arguments.join(" "));
    let started = std::time::Instant::now();
    let status = Command::new(program)
        .args(arguments)
        .current_dir(root().join(directory))
        .status()
        .map_err(|e| format!("{program} cannot be started: {e}"))?;
    println!("  {program} took {:.0} s", started.elapsed().as_secs_f64());
    if status.success() { Ok(()) } else { Err(format!("{program} {} failed", arguments.join(" "))) }
}

/// Output of a program run in the root.
fn output(program: &str, arguments: &[&str]) -> Result<String, String> {
    let out = Command::new(program)
        .args(arguments)
        .current_dir(root())
        .output()
        .map_err(|e| format!("{program} cannot be started: {e}"))?;
    if !out.status.success() {
        return Err(format!(
            "{program} {} failed: {}",
            arguments.join(" "),
            String::from_utf8_lossy(&out.stderr)
        ));
    }
    String::from_utf8(out.stdout).map_err(|e| e.to_string())
}

fn root() -> std::path::PathBuf {
    std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

fn main() -> ExitCode {
    let result = match Arguments::parse().task {
        Task::Setup => setup::all(),
        Task::Demo { more } => demo(&more),
        Task::Test => checks::all(),
        Task::Bench { part } => bench(part.as_deref()),
        Task::Generate => checks::generate(),
    };
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(message) => {
            eprintln!("xtask: {message}");
            ExitCode::FAILURE
        }
    }
}

fn demo(more: &[String]) -> Outcome {
    setup::front_end()?;
    let mut arguments = vec!["run", "--quiet", "--package", "chalkeus", "--", "demo"];
    arguments.extend(more.iter().map(String::as_str));
    run(".", "cargo", &arguments)
}

fn bench(part: Option<&str>) -> Outcome {
    setup::packages()?;
    let run_one = |package: &str, bench: &str, part: Option<&str>| {
        let mut arguments = vec!["bench", "--quiet", "--package", package, "--bench", bench];
        arguments.extend(["--"].into_iter().chain(part));
        run(".", "cargo", &arguments)
    };
    let (evidence, used) = (part == Some("evidence"), part == Some("use"));
    let bus = part == Some("bus");
    if !evidence && !used && !bus {
        run_one("circuit", "whole_vehicle", part)?;
    }
    if part.is_none() || evidence {
        run_one("diagnosis", "evidence", None)?;
    }
    if part.is_none() || bus {
        run_one("bus", "decoding", None)?;
    }
    if part.is_none() || used {
        setup::front_end()?;
        run_one("chalkeus", "shop", None)?;
    }
    Ok(())
}
