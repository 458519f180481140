//! What stands beside the vehicle: its gateway, a meter, and in the demo a pair of hands.

mod course;
mod error;
mod frames;
mod hands;
mod identity;
mod outputs;
mod restart;
mod scan;
pub(crate) mod scope;
mod self_tests;
pub mod setup;
mod values;

pub use error::BenchError;
use link::{Gateway, LinkError};
use std::collections::BTreeMap;
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::{Duration, Instant};
use thiserror::Error;
pub use values::Values;
use vehicle::{OutputId, Part, Vehicle};

/// Where things listen.
#[derive(Debug, Clone, Copy, Default)]
pub struct Addresses {
    /// DoIP gateway.
    pub doip: Option<SocketAddr>,
    /// SCPI meter.
    pub scpi: Option<SocketAddr>,
    /// SCPI oscilloscope.
    pub scope: Option<SocketAddr>,
    /// Hands and eyes.
    pub hands: Option<SocketAddr>,
}

/// A link that could not be opened is not tried again for so long: with the cable out, everyone who
/// asks would wait for a time-out of his own.
const PAUSE: Duration = Duration::from_secs(1);

/// The link, or when and why it could not be opened.
#[derive(Debug, Default)]
enum Slot {
    #[default]
    Closed,
    Open(Arc<Gateway>),
    Failed(Instant, String),
}

/// An open bench.
#[derive(Debug)]
pub struct Bench {
    /// Addresses.
    pub at: Addresses,
    gateway: tokio::sync::Mutex<Slot>,
    /// Outputs driven and not given back yet.
    driven: tokio::sync::Mutex<BTreeMap<OutputId, outputs::Driven>>,
    /// How far each module is that tests itself, by its address.
    testing: tokio::sync::Mutex<BTreeMap<u16, self_tests::Progress>>,
    http: reqwest::Client,
}

impl Bench {
    /// A bench at addresses; nothing is opened yet.
    pub fn new(at: Addresses) -> Self {
        let http = reqwest::Client::builder().no_proxy().timeout(Duration::from_secs(3)).build();
        Self {
            at,
            gateway: tokio::sync::Mutex::default(),
            driven: tokio::sync::Mutex::default(),
            testing: tokio::sync::Mutex::default(),
            http: http.unwrap_or_default(),
        }
    }

    /// The link, opened anew when it is not there or gone.
    pub(crate) async fn gateway(&self) -> Result<Arc<Gateway>, BenchError> {
        let Some(address) = self.at.doip else {
            return Err(BenchError::NoLink);
        };
        let mut slot = self.gateway.lock().await;
        match &*slot {
            Slot::Open(open) if !open.is_gone() => return Ok(Arc::clone(open)),
            Slot::Failed(at, why) if at.elapsed() < PAUSE => {
                return Err(BenchError::NotOpened(why.clone()));
            }
            _ => *slot = Slot::Closed,
        }
        match Gateway::connect(address).await {
            Ok(open) => {
                let open = Arc::new(open);
                *slot = Slot::Open(Arc::clone(&open));
                Ok(open)
            }
            Err(e) => {
                let why = e.to_string();
                *slot = Slot::Failed(Instant::now(), why);
                Err(e.into())
            }
        }
    }

    /// The same for someone who wants it now, whatever was tried a moment ago.
    pub(crate) async fn connect(&self) -> Result<Arc<Gateway>, BenchError> {
        {
            let mut slot = self.gateway.lock().await;
            if matches!(*slot, Slot::Failed(..)) {
                *slot = Slot::Closed;
            }
        }
        self.gateway().await
    }

    /// Asks something over the link; a link that was lost meanwhile is opened anew, once.
    pub(crate) async fn ask<T, F: Future<Output = Result<T, LinkError>>>(
        &self,
        question: impl Fn(Arc<Gateway>) -> F,
    ) -> Result<T, Unanswered> {
        let unasked = |e: BenchError| Unanswered::Unasked(e.to_string());
        let open = self.gateway().await.map_err(unasked)?;
        match question(open).await {
            Err(LinkError::Lost { .. }) => {
                let open = self.gateway().await.map_err(unasked)?;
                question(open).await.map_err(Unanswered::of)
            }
            answer => answer.map_err(Unanswered::of),
        }
    }
}

/// Why a question got no answer.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum Unanswered {
    /// It could not be asked: that says nothing of the module.
    #[error("{0}")]
    Unasked(String),
    /// The module kept silent, or cannot be reached.
    #[error("{0}")]
    Silent(String),
    /// It answered, and not what was asked for.
    #[error("{0}")]
    Otherwise(String),
}

impl Unanswered {
    fn of(e: LinkError) -> Self {
        let words = e.to_string();
        match e {
            LinkError::TimeOut { .. } | LinkError::Unreachable { .. } => Self::Silent(words),
            LinkError::Refused { .. } => Self::Otherwise(words),
            LinkError::Garbled { who, .. } if who.starts_with("0x") => Self::Otherwise(words),
            _ => Self::Unasked(words),
        }
    }

    /// In words.
    pub(crate) fn words(self) -> String {
        match self {
            Self::Unasked(w) | Self::Silent(w) | Self::Otherwise(w) => w,
        }
    }
}

/// Parts that are modules, with their addresses.
pub fn modules(vehicle: &Vehicle) -> impl Iterator<Item = (&Part, u16)> {
    vehicle.parts.iter().filter_map(|p| p.module.as_ref().map(|m| (p, m.address)))
}
