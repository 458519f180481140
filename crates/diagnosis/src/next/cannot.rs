//! What cannot be done here: one check, every check that needs a tool, or fitting a part.

use super::candidates::{Candidate, What};
use circuit::Instrument;
use serde::{Deserialize, Serialize};
use std::fmt;
use vehicle::{ConnectorId, SignalId};

/// The name of a check: what is done, at which points, in which state. Stable, and kept in ledgers.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct CheckId(String);

impl CheckId {
    /// The name of a check.
    pub fn of(check: &Candidate) -> Self {
        let what = match &check.what {
            What::Reading(p) => format!("{} {} {}", p.instrument.name(), p.red, p.black),
            What::Record(p) => format!("record {} {} {}", p.instrument.name(), p.red, p.black),
            What::Effect { part } => format!("effect {part}"),
            What::Scan => "scan".to_owned(),
            What::RollCall => "answers".to_owned(),
            What::Values { signals } => {
                let ids: Vec<&str> = signals.iter().map(SignalId::as_str).collect();
                format!("values {}", ids.join(" "))
            }
            What::Agree { signals, apart } => {
                let ids: Vec<&str> = signals.iter().map(SignalId::as_str).collect();
                let night = if *apart > 0.0 { " after a night" } else { "" };
                format!("agree {}{night}", ids.join(" "))
            }
            What::Move { at } => format!("move {at}"),
            What::Look { at } => format!("look {at}"),
            What::Jumper { red, black, part } => format!("jumper {red} {black} {part}"),
            What::Swap { swapped, part } => format!("swap {swapped} {part}"),
        };
        let unplugged: Vec<&str> = check.state.unplugged.iter().map(ConnectorId::as_str).collect();
        let led: String = check.state.rerouted.iter().map(|r| format!(" {r}")).collect();
        let name = format!("{what} @ {} {}{led}", check.state_id, unplugged.join("+"));
        Self(name.trim_end().to_owned())
    }

    /// The name as text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for CheckId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

/// A tool that is not at hand.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Tool {
    /// A current clamp.
    Clamp,
    /// Something that talks to the modules.
    Tester,
}

impl Tool {
    const ALL: [Self; 2] = [Self::Clamp, Self::Tester];

    /// What checks with it begin with.
    fn name(self) -> &'static str {
        match self {
            Self::Clamp => Instrument::Amps.name(),
            Self::Tester => "scan",
        }
    }

    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Clamp => "clamp",
            Self::Tester => "tester",
        }
    }

    fn serves(self, check: &Candidate) -> bool {
        match (self, &check.what) {
            (Self::Clamp, What::Reading(p) | What::Record(p)) => p.instrument == Instrument::Amps,
            (
                Self::Tester,
                What::Scan | What::RollCall | What::Values { .. } | What::Agree { .. },
            ) => true,
            _ => false,
        }
    }
}

/// What cannot be done here. Written `amps *` without a clamp, `scan *` without a tester, `fit K9` for a
/// part that is not at hand, else as the check's name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(from = "String", into = "String")]
pub enum CannotDo {
    /// One check.
    Check(CheckId),
    /// Every check that needs a tool.
    Every(Tool),
    /// Fitting a part.
    Fit(String),
}

impl CannotDo {
    /// Whether it says so of a check.
    pub fn names(&self, check: &Candidate, id: &CheckId) -> bool {
        match self {
            Self::Check(one) => one == id,
            Self::Every(tool) => tool.serves(check),
            Self::Fit(_) => false,
        }
    }
}

impl fmt::Display for CannotDo {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Check(id) => id.fmt(f),
            Self::Every(tool) => write!(f, "{} *", tool.name()),
            Self::Fit(part) => write!(f, "fit {part}"),
        }
    }
}

impl From<CannotDo> for String {
    fn from(what: CannotDo) -> Self {
        what.to_string()
    }
}

/// Names of before began with a capital and wrote the instrument as one word.
fn as_written_now(name: &str) -> String {
    let (head, rest) = name.split_once(' ').unwrap_or((name, ""));
    let instrument = |word: &str| {
        let alike = |i: &Instrument| i.name().replace('_', "").eq_ignore_ascii_case(word);
        Instrument::ALL.into_iter().find(alike).map(|i| i.name().to_owned())
    };
    let now = instrument(head).unwrap_or_else(|| head.to_ascii_lowercase());
    let rest = if now == "record" { as_written_now(rest) } else { rest.to_owned() };
    format!("{now} {rest}").trim_end().to_owned()
}

impl From<String> for CannotDo {
    fn from(text: String) -> Self {
        let name = as_written_now(text.trim());
        let every = Tool::ALL.into_iter().find(|t| name == format!("{} *", t.name()));
        match (every, name.strip_prefix("fit ")) {
            (Some(tool), _) => Self::Every(tool),
            (None, Some(part)) => Self::Fit(part.to_owned()),
            (None, None) => Self::Check(CheckId(name)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use circuit::Probe;
    use proptest::prelude::*;
    use vehicle::OperatingState;

    fn check(what: What) -> Candidate {
        Candidate::new(what, OperatingState::default(), "on")
    }

    fn clamp() -> Probe {
        Probe { instrument: Instrument::Amps, red: "12".into(), black: String::new() }
    }

    #[test]
    fn what_is_missing_names_the_checks_it_serves() {
        let checks = [
            check(What::Reading(clamp())),
            check(What::Record(clamp())),
            check(What::Reading(Probe::volts("C4.7:cabin", "BAT.-"))),
            check(What::Scan),
        ];
        let named = |text: &str| {
            let cannot = CannotDo::from(text.to_owned());
            checks.each_ref().map(|c| cannot.names(c, &CheckId::of(c)))
        };
        assert_eq!(named("amps *"), [true, true, false, false]);
        assert_eq!(named("scan *"), [false, false, false, true]);
        assert_eq!(named("volts C4.7:cabin BAT.- @ on"), [false, false, true, false]);
        assert_eq!(named("fit K9"), [false; 4]);
        // As older ledgers have them.
        assert_eq!(named("Amps *"), [true, true, false, false]);
        assert_eq!(named("Volts C4.7:cabin BAT.- @ on"), [false, false, true, false]);
        assert_eq!(named("Record Amps 12  @ on"), [false, true, false, false]);
        assert_eq!(CannotDo::from("Fit K9".to_owned()), CannotDo::Fit("K9".to_owned()));
        assert_eq!(as_written_now("LowVolts A B @ on"), "low_volts A B @ on");
    }

    proptest! {
        #[test]
        fn what_is_written_is_read_again(text in "\\PC{0,40}") {
            let cannot = CannotDo::from(text);
            prop_assert_eq!(CannotDo::from(cannot.to_string()), cannot);
        }
    }
}
