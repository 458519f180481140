//! The `chalkeus` program: command line, web application, demo.

mod allocator;
mod bench;
mod captures;
mod cli;
mod demo;
mod follow;
mod http;
mod picture;
mod plans;
mod presence;
mod progress;
mod report;
mod roll_call;
mod serve;
mod shop;
mod view;

use std::process::ExitCode;

fn main() -> ExitCode {
    tracing_subscriber::fmt()
        .with_env_filter(
            tracing_subscriber::EnvFilter::try_from_default_env()
                .unwrap_or_else(|_| tracing_subscriber::EnvFilter::new("warn")),
        )
        .with_writer(std::io::stderr)
        .init();
    cli::run()
}
