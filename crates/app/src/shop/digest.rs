//! What a job's summary makes of each entry.

use serde::Deserialize;
use store::Summary;

/// As much of an entry as a list of jobs shows.
#[derive(Deserialize)]
#[serde(tag = "entry", rename_all = "snake_case")]
enum Told {
    Intake { intake: Intake },
    Repaired { item: String, text: String },
    SignedOff {},
    Reopened {},
    // The rest is known, and says nothing in a list.
    Symptom {},
    State {},
    Scan {},
    RollCall {},
    Identified {},
    Cleared {},
    Found {},
    Captured {},
    LiveKept {},
    Pictured {},
    SelfTested {},
    Writing {},
    Written {},
    Taught {},
    Followed {},
    Decided {},
    Kept {},
    Restarted {},
    Refused {},
    Doubted {},
    Adjusted {},
    Overridden {},
    Note {},
}

#[derive(Deserialize)]
#[serde(default)]
#[derive(Default)]
struct Intake {
    vin: String,
    complaint: String,
    reference: String,
}

/// Takes an entry's body into the summary of its job.
pub(super) fn digest(summary: &mut Summary, body: &str) -> Result<(), String> {
    match serde_json::from_str(body).map_err(|e| unreadable(&e))? {
        Told::Intake { intake } => {
            summary.vin = intake.vin;
            summary.complaint = intake.complaint;
            summary.reference = intake.reference;
        }
        Told::Repaired { item, text } => {
            summary.repaired = text;
            summary.items.insert(item);
        }
        Told::SignedOff {} => summary.signed_off = true,
        Told::Reopened {} => summary.signed_off = false,
        _ => {}
    }
    Ok(())
}

/// Why an entry cannot be read, in words.
pub(super) fn unreadable(e: &serde_json::Error) -> String {
    if e.is_data() {
        format!("it was written by another version of Chalkeus ({e})")
    } else {
        format!("it is damaged ({e})")
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use diagnosis::ledger::{Entry, Intake};

    /// Every kind of entry this version writes is known to the list.
    #[test]
    fn every_kind_of_entry_is_known() {
        let schema = serde_json::to_value(schemars::schema_for!(Entry)).unwrap();
        let kinds = schema["oneOf"].as_array().unwrap();
        assert!(kinds.len() > 10);
        for kind in kinds {
            let name = kind["properties"]["entry"]["const"].as_str().unwrap();
            let body = format!(
                "{{\"entry\": \"{name}\", \"item\": \"a\", \"text\": \"b\", \"intake\": {{}}}}"
            );
            assert_eq!(digest(&mut Summary::default(), &body), Ok(()), "{name}");
        }
    }

    #[test]
    fn a_summary_follows_its_entries() {
        let mut s = Summary::default();
        let intake = Intake { complaint: "dark".into(), vin: "0V".into(), ..Intake::default() };
        let repaired = |item: &str| Entry::Repaired {
            item: item.parse().unwrap(),
            text: format!("renewed {item}"),
            probability: 0.9,
            proven: true,
            beside: Vec::new(),
        };
        let all = [
            Entry::Intake { intake },
            repaired("wire:1"),
            repaired("wire:2"),
            Entry::SignedOff { open: Vec::new(), reason: String::new() },
        ];
        for e in all {
            digest(&mut s, &serde_json::to_string(&e).unwrap()).unwrap();
        }
        assert_eq!((s.complaint.as_str(), s.repaired.as_str()), ("dark", "renewed wire:2"));
        assert!(s.signed_off && s.items.len() == 2);
        let again = Entry::Reopened { reason: "it came back".into() };
        digest(&mut s, &serde_json::to_string(&again).unwrap()).unwrap();
        assert!(!s.signed_off);
    }

    #[test]
    fn what_cannot_be_read_says_why() {
        let later = digest(&mut Summary::default(), "{\"entry\": \"hologram\"}").unwrap_err();
        assert!(later.contains("another version"), "{later}");
        let damaged = digest(&mut Summary::default(), "{\"entry\": \"no").unwrap_err();
        assert!(damaged.contains("damaged"), "{damaged}");
    }
}
