//! Every module asked who it is; the vehicle asked for its own number.

use super::{Bench, BenchError, modules};
use diagnosis::identity::Identity;
use link::discovery::{self, Found};
use link::services::read_data;
use link::{Gateway, LinkError};
use std::sync::Arc;
use vehicle::{Vehicle, hex};

impl Bench {
    /// Asks every module for its part, hardware, software and serial number and the vehicle it was
    /// made for; in the order of the vehicle file.
    ///
    /// # Errors
    /// [`BenchError`], when there is no link at all.
    pub async fn identify(
        self: &Arc<Self>,
        vehicle: &Vehicle,
    ) -> Result<Vec<Identity>, BenchError> {
        self.connect().await?;
        let mut out = Vec::new();
        let equipment = vehicle.identifiers.equipment;
        let mut asked =
            self.ask_all(vehicle, |_| true, move |g, who| identity_of(g, who, equipment));
        while let Some(answer) = asked.join_next().await {
            let (module, answer) = answer.map_err(|_| BenchError::BrokenOff)?;
            let (answered, identity) = match answer {
                Ok(identity) => (true, identity),
                Err(_) => (false, Identity::default()),
            };
            out.push(Identity { module, answered, ..identity });
        }
        out.sort_by_key(|i| modules(vehicle).position(|(p, _)| p.id == i.module));
        Ok(out)
    }

    /// The vehicle that announces itself at the gateway's address, over UDP.
    ///
    /// # Errors
    /// [`BenchError`], when there is no link set up or nobody answers.
    pub async fn announced(&self) -> Result<Found, BenchError> {
        let address = self.at.doip.ok_or(BenchError::NoLink)?;
        let found = discovery::identify(address, true).await?;
        found.into_iter().next().ok_or(BenchError::NobodyThere)
    }
}

async fn identity_of(
    gateway: Arc<Gateway>,
    who: u16,
    equipment: u16,
) -> Result<Identity, LinkError> {
    let mut identity = Identity::default();
    for (did, text) in identity.data() {
        match read_data::by_identifier(&gateway, who, did).await {
            Ok(data) => *text = printable(&data),
            // A module may keep some of it to itself.
            Err(LinkError::Refused { .. }) => {}
            Err(e) => return Err(e),
        }
    }
    match read_data::by_identifier(&gateway, who, equipment).await {
        Ok(data) => identity.configuration = hex::digits(&data),
        Err(LinkError::Refused { .. }) => {}
        Err(e) => return Err(e),
    }
    Ok(identity)
}

/// Text without what a broken module may have put in it.
fn printable(data: &[u8]) -> String {
    let text = String::from_utf8_lossy(data);
    text.chars().filter(|c| !c.is_control() && *c != '\u{FFFD}').collect::<String>().trim().into()
}
