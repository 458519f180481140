//! Codes typed in, or pasted from another tool's report (N9): free text is read for codes, failure
//! types, modules and whether they fail now. Nothing is kept before someone has confirmed it.

use regex::Regex;
use serde::Serialize;
use std::sync::LazyLock;
use utoipa::ToSchema;
use vehicle::{FailureType, Monitor, PartId, TroubleCode, Vehicle};

/// A code found in a text.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct PastedCode {
    /// Module part; empty where the text does not say and more than one could hold it.
    pub module: PartId,
    /// Modules that have such a code.
    pub could_be: Vec<PartId>,
    /// Code, for example `B1A11`.
    pub code: TroubleCode,
    /// Failure type, two hexadecimal digits; empty where neither text nor vehicle file says.
    pub failure_type: FailureType,
    /// Meaning, where the vehicle file knows it.
    pub meaning: String,
    /// The text says that it fails now, or that it does not; nothing where it does not say.
    pub failing: Option<bool>,
    /// The line it was found in.
    pub line: String,
}

/// What was read from a text.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, ToSchema)]
pub struct Pasted {
    /// Codes, in order.
    pub codes: Vec<PastedCode>,
    /// Modules the text says are silent.
    pub silent: Vec<PartId>,
}

/// A code of SAE J2012, with a failure type after a hyphen, colon, slash or blank, or directly.
static CODE: LazyLock<Option<Regex>> =
    LazyLock::new(|| Regex::new(r"(?i)\b([PCBU][0-3][0-9A-F]{3})(?:[-:/ ]?([0-9A-F]{2})\b)?").ok());

/// Words that say that a code fails now, and those that say that it does not.
const NOW: [&str; 6] = ["failing now", "active", "present", "current", "static", "confirmed now"];
const EARLIER: [&str; 8] = [
    "failed earlier",
    "stored",
    "history",
    "sporadic",
    "intermittent",
    "not present",
    "passive",
    "inactive",
];
/// Words that say that a module is silent.
const SILENT: [&str; 6] =
    ["no response", "no answer", "does not answer", "silent", "no communication", "not responding"];

/// Whether a text names something as a word of its own.
fn names(text: &str, name: &str) -> bool {
    let edge = |c: Option<char>| c.is_none_or(|c| !c.is_alphanumeric());
    !name.is_empty()
        && text.match_indices(name).any(|(at, _)| {
            edge(text[..at].chars().next_back()) && edge(text[at + name.len()..].chars().next())
        })
}

/// The module a line names: by its name, part or address.
fn module_in<'v>(v: &'v Vehicle, line: &str) -> Option<&'v str> {
    let line = line.to_lowercase();
    let modules = v.parts.iter().filter_map(|p| p.module.as_ref().map(|m| (p, m)));
    let named = modules.filter(|(p, m)| {
        names(&line, &p.name.to_lowercase())
            || names(&line, &p.id.to_lowercase())
            || names(&line, &format!("{:#06x}", m.address))
    });
    // The longest name is the most particular one.
    named.max_by_key(|(p, _)| p.name.len()).map(|(p, _)| p.id.as_str())
}

fn says(line: &str, words: &[&str]) -> bool {
    words.iter().any(|w| names(line, w))
}

/// Reads a text.
pub fn read(v: &Vehicle, text: &str) -> Pasted {
    let mut out = Pasted::default();
    let mut heading = "";
    for line in text.lines() {
        let named = module_in(v, line);
        heading = named.unwrap_or(heading);
        let lower = line.to_lowercase();
        let found = CODE.iter().flat_map(|code| code.captures_iter(line));
        let mut any = false;
        for found in found {
            let Ok(code) = found[1].to_uppercase().parse::<TroubleCode>() else { continue };
            any = true;
            let given = found.get(2).and_then(|t| t.as_str().parse::<FailureType>().ok());
            let all: Vec<&Monitor> = v
                .monitors
                .iter()
                .filter(|m| m.code == code)
                .filter(|m| given.as_ref().is_none_or(|t| *t == m.failure_type))
                .collect();
            let mut could_be: Vec<PartId> = all.iter().map(|m| m.module.clone()).collect();
            could_be.dedup();
            let module = match could_be.as_slice() {
                [] => heading,
                [one] => one,
                several if several.iter().any(|m| m == heading) => heading,
                _ => "",
            };
            let own: Vec<&&Monitor> = all.iter().filter(|m| m.module == module).collect();
            let failure_type = match (&given, own.as_slice()) {
                (Some(given), _) => *given,
                (None, [one]) => one.failure_type,
                _ => FailureType::default(),
            };
            let meaning = own.iter().find(|m| m.failure_type == failure_type);
            let failing = match (says(&lower, &EARLIER), says(&lower, &NOW)) {
                (true, _) => Some(false),
                (false, true) => Some(true),
                _ => None,
            };
            let known = PastedCode {
                module: module.into(),
                meaning: meaning.map(|m| m.text.clone()).unwrap_or_default(),
                could_be,
                code,
                failure_type,
                failing,
                line: line.trim().to_owned(),
            };
            let same = |c: &PastedCode| {
                (&c.module, &c.code, &c.failure_type)
                    == (&known.module, &known.code, &known.failure_type)
            };
            if !out.codes.iter().any(same) {
                out.codes.push(known);
            }
        }
        if let (Some(module), false, true) = (named, any, says(&lower, &SILENT))
            && !out.silent.iter().any(|m| m == module)
        {
            out.silent.push(module.into());
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn wren() -> Vehicle {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
        Vehicle::from_json(&std::fs::read_to_string(path).unwrap()).unwrap()
    }

    #[test]
    fn a_report_in_free_words_is_read() {
        let text = "\
            Body module (A2)\n\
              B1A11-14  Rear washer pump  ACTIVE\n\
              b1a10:14 stored, 3 times\n\
            Rear module: no response\n\
            -- climate module --\n\
            U3006 16 low voltage\n\
            evaporator B1E01 history\n\
            nothing here: P12, 0xB1A1, ABC1234";
        let p = read(&wren(), text);
        let words = |c: &PastedCode| (c.code.to_string(), c.failure_type.to_string());
        let words: Vec<_> = p.codes.iter().map(words).collect();
        let all = p.codes.iter().zip(&words);
        let brief: Vec<_> =
            all.map(|(c, w)| (c.module.as_str(), w.0.as_str(), w.1.as_str(), c.failing)).collect();
        assert_eq!(
            brief,
            [
                ("A2", "B1A11", "14", Some(true)),
                ("A2", "B1A10", "14", Some(false)),
                // Every module has this one: the heading says which is meant.
                ("A23", "U3006", "16", None),
                // Two failure types are possible, and the text does not say which.
                ("A23", "B1E01", "", Some(false)),
            ]
        );
        assert_eq!(p.silent, ["A3"]);
        assert!(p.codes[2].could_be.len() > 20);
    }

    #[test]
    fn a_code_that_one_module_alone_can_set_needs_no_heading() {
        let p = read(&wren(), "U1004");
        assert_eq!(
            (p.codes[0].module.as_str(), p.codes[0].failure_type.byte()),
            ("A23", Some(0x16))
        );
        assert!(!p.codes[0].meaning.is_empty());
        // One that no module has is kept with the heading, for whoever knows better.
        let p = read(&wren(), "Gateway\nP0123-11");
        assert_eq!((p.codes[0].module.as_str(), p.codes[0].could_be.len()), ("A1", 0));
        assert_eq!(read(&wren(), ""), Pasted::default());
    }

    proptest! {
        #[test]
        fn any_text_can_be_pasted(text in "\\PC{0,200}", more in "[PCBU0-9A-F:\\-\\n äß]{0,80}") {
            let v = wren();
            let p = read(&v, &format!("{text}\n{more}"));
            for c in &p.codes {
                prop_assert!(c.line.to_uppercase().contains(&c.code.to_string()), "{c:?}");
            }
        }
    }
}
