//! Repair items: what a technician would mend or renew as one thing.

use super::{CavityId, ConnectorId, GroundId, NameError, PartId, Point, SpliceId, WireId};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;

/// What kind of thing a repair item is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum ItemKind {
    /// A conductor.
    Wire,
    /// A terminal pair in its cavity or socket.
    Terminal,
    /// A ground point.
    Ground,
    /// A whole connector.
    Connector,
    /// A splice or bus bar.
    Splice,
    /// Two conductors rubbed through to each other.
    Pair,
    /// A part.
    Part,
    /// Something that the vehicle file does not have.
    Elsewhere,
}

/// A repair item. Written `<kind>:<name>`: `wire:62`, `terminal:C4.7`, `pair:61+62`, `part:M7`; what the
/// vehicle file does not have is `elsewhere`.
#[derive(
    Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema,
)]
#[serde(into = "String", try_from = "String")]
#[schemars(with = "String")]
pub enum Item {
    /// A conductor, by its id.
    Wire(WireId),
    /// A terminal pair, by its cavity `C4.7` or its pin in a socket `F12.1`.
    Terminal(CavityId),
    /// A ground point, by its id.
    Ground(GroundId),
    /// A whole connector, by its id.
    Connector(ConnectorId),
    /// A splice or bus bar, by its id.
    Splice(SpliceId),
    /// Two conductors rubbed through to each other, by their ids.
    Pair(WireId, WireId),
    /// A part, by its id.
    Part(PartId),
    /// Something that the vehicle file does not have.
    Elsewhere,
}

impl Item {
    /// The part of an id.
    pub fn part(id: &str) -> Self {
        Self::Part(id.into())
    }

    /// The conductor of an id.
    pub fn wire(id: &str) -> Self {
        Self::Wire(id.into())
    }

    /// What kind of thing it is.
    pub fn kind(&self) -> ItemKind {
        match self {
            Self::Wire(_) => ItemKind::Wire,
            Self::Terminal(_) => ItemKind::Terminal,
            Self::Ground(_) => ItemKind::Ground,
            Self::Connector(_) => ItemKind::Connector,
            Self::Splice(_) => ItemKind::Splice,
            Self::Pair(..) => ItemKind::Pair,
            Self::Part(_) => ItemKind::Part,
            Self::Elsewhere => ItemKind::Elsewhere,
        }
    }

    /// Its id if it is a part.
    pub fn as_part(&self) -> Option<&str> {
        if let Self::Part(id) = self { Some(id) } else { None }
    }

    /// The connector, part or socket whose terminal it is.
    pub fn terminal_of(&self) -> Option<&str> {
        if let Self::Terminal(cavity) = self { Some(Point::of(cavity).owner) } else { None }
    }

    /// The name of the thing itself, as the vehicle file has it; of two conductors that of the first, and
    /// none for what the file does not have.
    pub fn thing(&self) -> Option<&str> {
        match self {
            Self::Wire(id) | Self::Pair(id, _) => Some(id),
            Self::Terminal(id) => Some(id),
            Self::Ground(id) => Some(id),
            Self::Connector(id) => Some(id),
            Self::Splice(id) => Some(id),
            Self::Part(id) => Some(id),
            Self::Elsewhere => None,
        }
    }
}

impl fmt::Display for Item {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Wire(id) => write!(f, "wire:{id}"),
            Self::Terminal(id) => write!(f, "terminal:{id}"),
            Self::Ground(id) => write!(f, "ground:{id}"),
            Self::Connector(id) => write!(f, "connector:{id}"),
            Self::Splice(id) => write!(f, "splice:{id}"),
            Self::Pair(a, b) => write!(f, "pair:{a}+{b}"),
            Self::Part(id) => write!(f, "part:{id}"),
            Self::Elsewhere => f.write_str("elsewhere"),
        }
    }
}

impl FromStr for Item {
    type Err = NameError;

    fn from_str(text: &str) -> Result<Self, NameError> {
        const FORM: &str = "kind:name, such as wire:62, terminal:C4.7 or part:M7";
        let wrong = || NameError { text: text.to_owned(), what: "repair item", form: FORM };
        if text == "elsewhere" {
            return Ok(Self::Elsewhere);
        }
        let (kind, id) = text.split_once(':').filter(|(_, id)| !id.is_empty()).ok_or_else(wrong)?;
        Ok(match kind {
            "wire" => Self::Wire(id.into()),
            "terminal" => Self::Terminal(id.into()),
            "ground" => Self::Ground(id.into()),
            "connector" => Self::Connector(id.into()),
            "splice" => Self::Splice(id.into()),
            "part" => Self::Part(id.into()),
            "pair" => {
                let (a, b) = id.split_once('+').ok_or_else(wrong)?;
                Self::Pair(a.into(), b.into())
            }
            _ => return Err(wrong()),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_is_read_again() {
        let written =
            "wire:62 terminal:C4.7 ground:G2 connector:C4 splice:J1 pair:61+62 part:M7 elsewhere";
        for text in written.split(' ') {
            let item: Item = text.parse().unwrap();
            assert_eq!(item.to_string(), text);
            assert_eq!(serde_json::to_value(&item).unwrap(), text);
        }
        assert_eq!("terminal:C4.7".parse::<Item>().unwrap().terminal_of(), Some("C4"));
    }

    #[test]
    fn what_is_no_item_says_how_one_is_written() {
        for text in ["", "wire", "wire:", "bolt:3", "pair:61", "Elsewhere"] {
            let e = text.parse::<Item>().unwrap_err();
            assert!(e.to_string().contains("such as wire:62"), "{e}");
        }
    }
}
