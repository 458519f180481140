//! `serve` and `demo`: the web application.

use crate::bench::Addresses;
use crate::http;
use crate::shop::Shop;
use clap::Args;
use diagnosis::Cache;
use std::net::{Ipv4Addr, SocketAddr};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use tokio::signal::unix::{SignalKind, signal};

/// Where the data is, and how much memory may be used for what was solved.
#[derive(Debug, Args)]
struct Place {
    /// Directory of vehicle files.
    #[arg(long, default_value = "vehicles")]
    vehicles: PathBuf,
    /// Memory for solved vehicles, MB; what does not fit is solved again when it is asked for.
    #[arg(long, default_value_t = diagnosis::Cache::ROOM >> 20)]
    cache: usize,
    /// Directory where solved vehicles are kept for the next start; in that of the database unless
    /// another is named.
    #[arg(long)]
    solved: Option<PathBuf>,
}

impl Place {
    fn open(&self, data: &Path) -> Result<Arc<Shop>, String> {
        let cache = Cache::of(self.cache.max(LEAST_CACHE) << 20);
        let solved = self.solved.clone().unwrap_or_else(|| data.join("solved"));
        Shop::open(data, &self.vehicles, &solved, cache).map_err(|e| e.to_string())
    }
}

/// Least memory with which a state of a large vehicle can be kept at all, MB.
const LEAST_CACHE: usize = 32;

/// Start the web application on your own data.
#[derive(Debug, Args)]
pub(super) struct Serve {
    /// Port on loopback.
    #[arg(long, default_value_t = 8080)]
    port: u16,
    /// Directory of the database.
    #[arg(long, default_value = ".data")]
    data: PathBuf,
    #[command(flatten)]
    place: Place,
    /// DoIP gateway, for example 192.0.2.4:13400.
    #[arg(long)]
    doip: Option<SocketAddr>,
    /// SCPI multimeter.
    #[arg(long)]
    scpi: Option<SocketAddr>,
    /// SCPI oscilloscope.
    #[arg(long)]
    scope: Option<SocketAddr>,
    /// Hands-and-eyes interface of a stand-in.
    #[arg(long)]
    hands: Option<SocketAddr>,
    /// Address in the local network at which a second person may look on while a procedure is followed, for
    /// example 192.0.2.7:8090. Nothing else is served there.
    #[arg(long)]
    beside: Option<SocketAddr>,
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
    #[command(flatten)]
    place: Place,
    /// Demo jobs.
    #[arg(long, default_value = "demo/jobs.json")]
    jobs: PathBuf,
    /// Address in the local network at which a second person may look on while a procedure is followed, for
    /// example 192.0.2.7:8090. Nothing else is served there.
    #[arg(long)]
    beside: Option<SocketAddr>,
}

/// Copy the database into a new file, whole even while the program runs.
#[derive(Debug, Args)]
pub(super) struct Backup {
    /// Directory of the database.
    #[arg(long, default_value = ".data")]
    data: PathBuf,
    /// Directory to write; it must not exist yet.
    to: PathBuf,
}

pub(super) fn backup(a: &Backup) -> Result<(), String> {
    store::backup(&a.data, &a.to).map_err(|e| e.to_string())?;
    println!("{}", a.to.display());
    Ok(())
}

/// Threads beside those that serve requests: what is asked waits for one of them, however many ask.
const BESIDE: usize = 16;

fn runtime() -> Result<tokio::runtime::Runtime, String> {
    tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .max_blocking_threads(BESIDE)
        .build()
        .map_err(|e| e.to_string())
}

/// Listens for the wish to end from now on; done when it comes. Whoever asks twice does not wait.
fn asked_to_end() -> std::io::Result<impl Future<Output = ()>> {
    let mut interrupted = signal(SignalKind::interrupt())?;
    let mut terminated = signal(SignalKind::terminate())?;
    Ok(async move {
        tokio::select! {
            _ = interrupted.recv() => {}
            _ = terminated.recv() => {}
        }
        tokio::spawn(async move {
            interrupted.recv().await;
            // What was acknowledged is on the disk.
            std::process::exit(130);
        });
    })
}

async fn listen(shop: Arc<Shop>, port: u16, beside: Option<SocketAddr>) -> Result<(), String> {
    let address = SocketAddr::from((Ipv4Addr::LOCALHOST, port));
    let listener = tokio::net::TcpListener::bind(address)
        .await
        .map_err(|e| format!("cannot listen on {address}: {e}; choose another with --port"))?;
    let at = listener.local_addr().map_err(|e| e.to_string())?;
    // Vehicles are solved ahead, so that the first job opens at once; a large file is looked through.
    let ahead = Arc::clone(&shop);
    std::thread::spawn(move || {
        for id in ahead.vehicles.ids() {
            if let Err(e) = ahead.solve_ahead(&id) {
                tracing::error!("{e}");
            }
        }
        if !ahead.store.checked_at_start()
            && let Err(e) = ahead.store.check()
        {
            eprintln!("chalkeus: {e}");
        }
    });
    let end = asked_to_end().map_err(|e| e.to_string())?;
    let looking_on = match beside {
        Some(address) => Some(look_on(&shop, address).await?),
        None => None,
    };
    println!("Chalkeus: http://{at}/");
    crate::serve::serve(listener, http::router(Arc::clone(&shop), at), end).await;
    if let Some(task) = looking_on {
        task.abort();
    }
    shop.close().map_err(|e| e.to_string())
}

/// Lets a second person look on from elsewhere.
async fn look_on(
    shop: &Arc<Shop>,
    address: SocketAddr,
) -> Result<tokio::task::JoinHandle<()>, String> {
    if address.ip().is_unspecified() {
        let what = "is no address that a phone can open";
        return Err(format!("--beside {address} {what}; name this computer's own in its network"));
    }
    let listener = tokio::net::TcpListener::bind(address)
        .await
        .map_err(|e| format!("cannot listen on {address}: {e}; choose another with --beside"))?;
    let at = listener.local_addr().map_err(|e| e.to_string())?;
    let _ = shop.beside.set(at);
    let router = http::beside(Arc::clone(shop), at);
    Ok(tokio::spawn(crate::serve::serve(listener, router, std::future::pending())))
}

pub(super) fn serve(a: Serve) -> Result<(), String> {
    crate::allocator::share();
    let shop = a.place.open(&a.data)?;
    shop.set_bench(None, Addresses { doip: a.doip, scpi: a.scpi, scope: a.scope, hands: a.hands });
    let runtime = runtime()?;
    let outcome = runtime.block_on(listen(shop, a.port, a.beside));
    // What runs away from the requests is not waited for.
    runtime.shutdown_background();
    outcome
}

pub(super) fn demo(a: Demo) -> Result<(), String> {
    crate::allocator::share();
    let shop = a.place.open(&a.data)?;
    let runtime = runtime()?;
    let outcome = runtime.block_on(async {
        let _standins = crate::demo::start(&shop, &a.place.vehicles, &a.jobs).await?;
        listen(shop, a.port, a.beside).await
    });
    runtime.shutdown_background();
    outcome
}
