//! The stand-in vehicle: a simulated vehicle and meter that answer open protocols.
//!
//! It holds a vehicle file, a hidden fault, part values drawn within tolerance and
//! an operating state, and lets the outside in only through DoIP/UDS ([`doip`]),
//! SCPI ([`scpi`]) and the hands-and-eyes interface ([`hands`]).

mod codes;
pub mod direct;
mod doip;
mod hands;
mod manners;
mod scope;
mod scpi;
mod self_test;
mod services;
mod sessions;
mod settings;
mod world;

pub use world::{Past, Setup};

use std::net::{Ipv4Addr, SocketAddr};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError, TryLockError};
use std::time::Duration;
use thiserror::Error;
use tokio::net::{TcpListener, UdpSocket};
use tokio::runtime::{Handle, RuntimeFlavor};
use tokio::task::JoinSet;
use world::World;

/// Why a stand-in cannot start.
#[derive(Debug, Error)]
pub enum StandinError {
    /// The circuit or the hidden fault.
    #[error(transparent)]
    Circuit(#[from] circuit::CircuitError),
    /// A port.
    #[error("cannot listen on {0}: {1}; is another stand-in running?")]
    Port(SocketAddr, std::io::Error),
}

/// The world behind a lock; held only for a moment each time.
#[derive(Debug, Clone)]
pub(crate) struct Shared(Arc<Mutex<World>>);

impl Shared {
    /// The world, once nobody else has it. Whoever has it may solve circuits, so the timers go on elsewhere while
    /// one waits.
    pub(crate) fn lock(&self) -> MutexGuard<'_, World> {
        let wait = || self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let many = |h: Handle| h.runtime_flavor() == RuntimeFlavor::MultiThread;
        match self.free() {
            Some(world) => world,
            None if Handle::try_current().is_ok_and(many) => tokio::task::block_in_place(wait),
            None => wait(),
        }
    }

    /// The world unless somebody has it just now.
    pub(crate) fn free(&self) -> Option<MutexGuard<'_, World>> {
        match self.0.try_lock() {
            Ok(world) => Some(world),
            Err(TryLockError::Poisoned(poisoned)) => Some(poisoned.into_inner()),
            Err(TryLockError::WouldBlock) => None,
        }
    }
}

/// Ports to listen on; 0 takes any free one.
#[derive(Debug, Clone, Copy, Default)]
pub struct Ports {
    /// DoIP over TCP.
    pub doip: u16,
    /// SCPI of the meter.
    pub scpi: u16,
    /// SCPI of the scope.
    pub scope: u16,
    /// Hands and eyes, HTTP.
    pub hands: u16,
}

/// A running stand-in; dropping it stops it.
#[derive(Debug)]
pub struct Standin {
    /// DoIP address.
    pub doip: SocketAddr,
    /// SCPI address of the meter.
    pub scpi: SocketAddr,
    /// SCPI address of the scope.
    pub scope: SocketAddr,
    /// Hands address.
    pub hands: SocketAddr,
    tasks: JoinSet<()>,
}

/// Time between two looks of the modules at their monitors.
const TICK: Duration = Duration::from_millis(50);

impl Standin {
    /// Starts a stand-in on loopback.
    ///
    /// # Errors
    /// [`StandinError`].
    pub async fn start(setup: Setup, ports: Ports) -> Result<Self, StandinError> {
        let world = Shared(Arc::new(Mutex::new(World::new(setup)?)));
        let (doip, doip_at) = listen(ports.doip).await?;
        // Vehicles are asked for on the port they are reached at (UDP_DISCOVERY is TCP_DATA's number).
        let udp = UdpSocket::bind(doip_at).await.map_err(|e| StandinError::Port(doip_at, e))?;
        let (scpi, scpi_at) = listen(ports.scpi).await?;
        let (scope, scope_at) = listen(ports.scope).await?;
        let (hands, hands_at) = listen(ports.hands).await?;
        let mut tasks = JoinSet::new();
        tasks.spawn(doip::serve(doip, world.clone()));
        tasks.spawn(doip::announce(udp, world.clone()));
        tasks.spawn(scpi::serve(scpi, world.clone()));
        tasks.spawn(scpi::serve_scope(scope, world.clone()));
        tasks.spawn(hands::serve(hands, world.clone()));
        tasks.spawn(async move {
            let mut clock = tokio::time::interval(TICK);
            loop {
                clock.tick().await;
                let world = world.clone();
                // What has to be solved is solved beside the timers.
                let tick = tokio::task::spawn_blocking(move || {
                    let mut w = world.lock();
                    let by = TICK.mul_f64(w.manners.speed);
                    w.tick(by);
                });
                if tick.await.is_err() {
                    return;
                }
            }
        });
        Ok(Self { doip: doip_at, scpi: scpi_at, scope: scope_at, hands: hands_at, tasks })
    }

    /// Waits until it is stopped from outside.
    pub async fn run(mut self) {
        while self.tasks.join_next().await.is_some() {}
    }
}

async fn listen(port: u16) -> Result<(TcpListener, SocketAddr), StandinError> {
    let address = SocketAddr::from((Ipv4Addr::LOCALHOST, port));
    let listener = TcpListener::bind(address).await.map_err(|e| StandinError::Port(address, e))?;
    let at = listener.local_addr().map_err(|e| StandinError::Port(address, e))?;
    Ok((listener, at))
}
