//! What can go wrong on the wire, said so that a technician knows what to try.

use thiserror::Error;

/// A failed exchange: what was asked, of whom, what came back, what to try.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum LinkError {
    /// Nobody listens there.
    #[error(
        "nothing answers at {address} ({why}); check that the interface is on and the cable is in"
    )]
    NoConnection {
        /// Address tried.
        address: String,
        /// System's words.
        why: String,
    },
    /// The gateway refused routing activation.
    #[error("the gateway refused to route (code {0:#04x}); close other testers and try again")]
    NotActivated(u8),
    /// The link went away.
    #[error("the link was lost while asking {asked}; what was gathered is kept, connect again")]
    Lost {
        /// What was asked.
        asked: String,
    },
    /// No answer in time.
    #[error(
        "{who:#06x} did not answer {asked} within {millis} ms; check its supply, ground and bus"
    )]
    TimeOut {
        /// Logical address.
        who: u16,
        /// What was asked.
        asked: String,
        /// Time waited.
        millis: u64,
    },
    /// The gateway cannot reach the module.
    #[error("the gateway cannot reach {who:#06x} ({why}); check its supply, ground and bus")]
    Unreachable {
        /// Logical address.
        who: u16,
        /// The protocol's reason.
        why: &'static str,
    },
    /// A negative response.
    #[error("{who:#06x} refuses {asked}: {why}")]
    Refused {
        /// Logical address.
        who: u16,
        /// What was asked.
        asked: String,
        /// Code (ISO 14229-1 table A.1).
        code: u8,
        /// In plain words.
        why: &'static str,
    },
    /// An answer that makes no sense.
    #[error("{who} sent something that is no answer to {asked}: {got}")]
    Garbled {
        /// Who.
        who: String,
        /// What was asked.
        asked: String,
        /// What came.
        got: String,
    },
}
