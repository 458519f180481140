//! References to places a probe can touch.
//!
//! Every cavity has two faces. For a connector on a part the harness face is
//! written `M7.1` and the part's own pin `M7.1:part`; for an in-line pair the
//! faces carry the names of the two sides, `C4.7:cabin` and `C4.7:engine`.

use std::fmt;

/// A face of a terminal pair.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Side {
    /// The harness face of a part's connector, or the first side of an in-line pair.
    First,
    /// The part's own pin, or the second side of an in-line pair.
    Second,
}

/// A parsed cavity id: connector, cavity number, optional side name.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct CavityRef {
    /// Connector id, for example `C4`.
    pub connector: String,
    /// Cavity number as moulded on the connector, for example `7`.
    pub cavity: String,
    /// Side name after the colon, when given.
    pub side: Option<String>,
}

impl CavityRef {
    /// Splits `C4.7:engine`; `None` when there is no dot or a part is empty.
    pub fn parse(text: &str) -> Option<Self> {
        let (head, side) = match text.split_once(':') {
            Some((head, side)) => (head, Some(side.to_owned())),
            None => (text, None),
        };
        let (connector, cavity) = head.split_once('.')?;
        if connector.is_empty() || cavity.is_empty() || side.as_deref() == Some("") {
            return None;
        }
        Some(Self { connector: connector.into(), cavity: cavity.into(), side })
    }
}

impl fmt::Display for CavityRef {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}.{}", self.connector, self.cavity)?;
        match &self.side {
            Some(side) => write!(f, ":{side}"),
            None => Ok(()),
        }
    }
}
