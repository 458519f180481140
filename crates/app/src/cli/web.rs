//! `serve` and `demo`: the web application.

use crate::bench::Addresses;
use crate::http;
use crate::shop::Shop;
use clap::Args;
use std::net::{Ipv4Addr, SocketAddr};
use std::path::PathBuf;
use std::sync::Arc;

/// Start the web application on your own data.
#[derive(Debug, Args)]
pub(super) struct Serve {
    /// Port on loopback.
    #[arg(long, default_value_t = 8080)]
    port: u16,
    /// Directory of the database.
    #[arg(long, default_value = ".data")]
    data: PathBuf,
    /// Directory of vehicle files.
    #[arg(long, default_value = "vehicles")]
    vehicles: PathBuf,
    /// DoIP gateway, for example 192.0.2.4:13400.
    #[arg(long)]
    doip: Option<SocketAddr>,
    /// SCPI multimeter.
    #[arg(long)]
    scpi: Option<SocketAddr>,
    /// Hands-and-eyes interface of a stand-in.
    #[arg(long)]
    hands: Option<SocketAddr>,
}

/// Start the web application with demo data and stand-ins.
#[derive(Debug, Args)]
pub(super) struct Demo {
    /// Port on loopback.
    #[arg(long, default_value_t = 8080)]
    port: u16,
    /// Directory of the database.
    #[arg(long, default_value = ".data/demo")]
    data: PathBuf,
    /// Directory of vehicle files.
    #[arg(long, default_value = "vehicles")]
    vehicles: PathBuf,
    /// Demo jobs.
    #[arg(long, default_value = "demo/jobs.json")]
    jobs: PathBuf,
}

fn runtime() -> Result<tokio::runtime::Runtime, String> {
    tokio::runtime::Runtime::new().map_err(|e| e.to_string())
}

async fn listen(shop: Arc<Shop>, port: u16) -> Result<(), String> {
    let address = SocketAddr::from((Ipv4Addr::LOCALHOST, port));
    let listener = tokio::net::TcpListener::bind(address)
        .await
        .map_err(|e| format!("cannot listen on {address}: {e}; choose another with --port"))?;
    let at = listener.local_addr().map_err(|e| e.to_string())?;
    // Vehicles are solved ahead, so that the first job opens at once.
    let ahead = Arc::clone(&shop);
    std::thread::spawn(move || {
        for id in ahead.vehicle_ids() {
            if let Err(e) = ahead.model(&id) {
                tracing::error!("{e}");
            }
        }
    });
    println!("Chalkeus: http://{at}/");
    axum::serve(listener, http::router(shop, at))
        .with_graceful_shutdown(async {
            let _ = tokio::signal::ctrl_c().await;
        })
        .await
        .map_err(|e| e.to_string())
}

pub(super) fn serve(a: Serve) -> Result<(), String> {
    let shop = Shop::open(&a.data, &a.vehicles)?;
    shop.set_bench(None, Addresses { doip: a.doip, scpi: a.scpi, hands: a.hands });
    runtime()?.block_on(listen(Arc::new(shop), a.port))
}

pub(super) fn demo(a: Demo) -> Result<(), String> {
    let shop = Arc::new(Shop::open(&a.data, &a.vehicles)?);
    runtime()?.block_on(async {
        let _standins = crate::demo::start(&shop, &a.vehicles, &a.jobs).await?;
        listen(shop, a.port).await
    })
}
