//! Live values: read from their modules, several with each request.

use super::{Bench, BenchError, Unanswered, modules};
use link::services::read_data::{self, AT_ONCE};
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;
use tokio::task::JoinSet;
use vehicle::{PartId, SignalIx, Vehicle};

/// What was read of a signal: its value, or why there is none.
pub type Read = Result<f64, String>;

/// What was read, and with how many requests.
#[derive(Debug, Default)]
pub struct Values {
    /// By signal.
    pub values: BTreeMap<SignalIx, Read>,
    /// Modules that said nothing.
    pub silent: BTreeSet<PartId>,
    /// Requests that were sent.
    pub requests: usize,
}

/// What a module does not have although the file says so.
const UNKNOWN: &str = "the module does not know this identifier";

impl Bench {
    /// Reads signals; all modules at once, each its own in their order.
    ///
    /// # Errors
    /// [`BenchError`], when there is no link at all.
    pub async fn values(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        wanted: &[SignalIx],
    ) -> Result<Values, BenchError> {
        self.gateway().await?;
        let addresses: HashMap<&PartId, u16> = modules(vehicle).map(|(p, a)| (&p.id, a)).collect();
        let mut out = Values::default();
        let mut of_module: BTreeMap<u16, Vec<SignalIx>> = BTreeMap::new();
        for s in wanted.iter().copied().filter(|s| vehicle.signals.get(*s).is_some()) {
            let signal = &vehicle.signals[s];
            match (signal.did, addresses.get(&signal.module)) {
                (Some(_), Some(address)) => of_module.entry(*address).or_default().push(s),
                (None, _) => {
                    let why = "the vehicle file has no identifier for it".to_owned();
                    out.values.insert(s, Err(why));
                }
                (_, None) => {
                    out.values.insert(s, Err("its module has no diagnostic address".to_owned()));
                }
            }
        }
        let mut asked = JoinSet::new();
        for (address, signals) in of_module {
            let bench = Arc::clone(self);
            let dids: Vec<(SignalIx, u16, usize)> = signals
                .into_iter()
                .filter_map(|s| {
                    let signal = &vehicle.signals[s];
                    Some((s, signal.did?, signal.coded().length()))
                })
                .collect();
            asked.spawn(async move { of(&bench, address, dids).await });
        }
        while let Some(answer) = asked.join_next().await {
            let answered = answer.map_err(|_| BenchError::BrokenOff)?;
            out.requests += answered.requests;
            for (s, data) in answered.read {
                if answered.is_silent {
                    out.silent.insert(vehicle.signals[s].module.clone());
                }
                let decode = |data: Vec<u8>| {
                    let value = vehicle.signals[s].coded().decode(&data);
                    value.ok_or_else(|| {
                        "the answer has another length than the file says".to_owned()
                    })
                };
                out.values.insert(s, data.and_then(decode));
            }
        }
        Ok(out)
    }
}

/// What one module says.
#[derive(Debug, Default)]
struct Said {
    read: Vec<(SignalIx, Result<Vec<u8>, String>)>,
    requests: usize,
    is_silent: bool,
}

async fn of(bench: &Bench, address: u16, wanted: Vec<(SignalIx, u16, usize)>) -> Said {
    let mut said = Said::default();
    let mut unread: Option<String> = None;
    for some in wanted.chunks(AT_ONCE) {
        if let Some(why) = &unread {
            said.read.extend(some.iter().map(|(s, ..)| (*s, Err(why.clone()))));
            continue;
        }
        let dids: Vec<(u16, usize)> = some.iter().map(|(_, did, n)| (*did, *n)).collect();
        said.requests += 1;
        let answer =
            bench.ask(async |gateway| read_data::several(&gateway, address, &dids).await).await;
        match answer {
            Ok(read) => {
                let mut read: HashMap<u16, Vec<u8>> = read.into_iter().collect();
                let mut data = |did: &u16| read.remove(did).ok_or_else(|| UNKNOWN.to_owned());
                said.read.extend(some.iter().map(|(s, did, _)| (*s, data(did))));
            }
            Err(e) => {
                let why = match e {
                    Unanswered::Silent(_) => {
                        said.is_silent = true;
                        "its module is silent".to_owned()
                    }
                    other => other.words(),
                };
                said.read.extend(some.iter().map(|(s, ..)| (*s, Err(why.clone()))));
                unread = Some(why);
            }
        }
    }
    said
}
