//! Freeze-frame data in words: what all codes record, and the values of the module's own signals.

use super::modules;
use link::services::read_codes::Recorded;
use std::collections::HashMap;
use std::sync::Arc;
use vehicle::{Coding, Datum, Identifiers, Vehicle};

/// A module's signal: what it is called, its unit, how it travels.
#[derive(Debug, Clone)]
struct Own {
    name: String,
    unit: String,
    coding: Coding,
}

/// What freeze frames may hold, by the module's address and the identifier.
#[derive(Debug, Clone)]
pub(super) struct Frames {
    always: Identifiers,
    own: Arc<HashMap<(u16, u16), Own>>,
}

impl Frames {
    pub(super) fn of(vehicle: &Vehicle) -> Self {
        let signals = modules(vehicle).flat_map(|(part, address)| {
            let own = vehicle.signals.iter().filter(|s| s.module == part.id);
            own.filter_map(move |s| {
                let (name, unit) = (s.name.clone(), s.unit.clone());
                Some(((address, s.did?), Own { name, unit, coding: s.coded() }))
            })
        });
        Self { always: vehicle.identifiers, own: Arc::new(signals.collect()) }
    }

    /// How the identifiers and counters of all modules are numbered.
    pub(super) fn identifiers(&self) -> &Identifiers {
        &self.always
    }

    fn always(&self, did: u16) -> Option<Datum> {
        let frame = self.always.freeze_frame;
        [frame.time, frame.odometer, frame.supply].into_iter().find(|d| d.did == did)
    }

    /// Length of an identifier's data, bytes.
    pub(super) fn length(&self, who: u16, did: u16) -> Option<usize> {
        let always = self.always(did).map(|d| d.coding.length());
        always.or_else(|| Some(self.own.get(&(who, did))?.coding.length()))
    }

    /// Supply that a frame holds, millivolts.
    pub(super) fn supply_mv(&self, recorded: &[Recorded]) -> Option<u32> {
        let supply = self.always.freeze_frame.supply;
        let (_, data) = recorded.iter().find(|(did, _)| *did == supply.did)?;
        Some((supply.coding.decode(data)? * 1000.0).round().max(0.0) as u32)
    }

    /// What a frame holds, as names and values.
    pub(super) fn words(&self, who: u16, recorded: &[Recorded]) -> Vec<(String, String)> {
        recorded.iter().map(|(did, data)| self.word(who, *did, data)).collect()
    }

    fn word(&self, who: u16, did: u16, data: &[u8]) -> (String, String) {
        let frame = self.always.freeze_frame;
        let unread = || (format!("{did:04X}"), format!("{data:02X?}"));
        let value = |coding: Coding| coding.decode(data);
        if did == frame.time.did {
            let Some(seconds) = value(frame.time.coding) else { return unread() };
            let seconds = seconds.max(0.0) as u64;
            let (hours, minutes) = (seconds / 3600, seconds / 60 % 60);
            return ("time".to_owned(), format!("{hours} h {minutes} min {} s", seconds % 60));
        }
        if did == frame.odometer.did {
            let Some(km) = value(frame.odometer.coding) else { return unread() };
            return ("odometer".to_owned(), format!("{km:.0} km"));
        }
        if did == frame.supply.did {
            let Some(volts) = value(frame.supply.coding) else { return unread() };
            return ("supply".to_owned(), format!("{volts:.2} V"));
        }
        let Some(own) = self.own.get(&(who, did)) else { return unread() };
        let Some(value) = value(own.coding) else { return unread() };
        let shown = match own.unit.as_str() {
            "" => if value == 0.0 { "off" } else { "on" }.to_owned(),
            unit => format!("{value:.2} {unit}"),
        };
        (own.name.clone(), shown)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn frames() -> Frames {
        let text = include_str!("../../../../vehicles/wren.json");
        Frames::of(&Vehicle::from_json(text).unwrap())
    }

    #[test]
    fn a_frame_is_told_in_words() {
        let frames = frames();
        let frame = frames.always.freeze_frame;
        let gateway = 0x1001;
        let recorded: Vec<Recorded> = vec![
            // 3725 s are 1 h 2 min 5 s; 123456 km; 12345 mV.
            (frame.time.did, frame.time.coding.encode(3725.0)),
            (frame.odometer.did, frame.odometer.coding.encode(123_456.0)),
            (frame.supply.did, frame.supply.coding.encode(12.345)),
            (0x2001, vec![0x30, 0x39]),
            (0xABCD, vec![1, 2]),
        ];
        let told = frames.words(gateway, &recorded);
        let told: Vec<(&str, &str)> = told.iter().map(|(a, b)| (a.as_str(), b.as_str())).collect();
        assert_eq!(
            told,
            [
                ("time", "1 h 2 min 5 s"),
                ("odometer", "123456 km"),
                ("supply", "12.35 V"),
                ("Gateway supply", "12.35 V"),
                ("ABCD", "[01, 02]"),
            ]
        );
        assert_eq!(frames.supply_mv(&recorded), Some(12_345));
        assert_eq!(frames.length(gateway, frame.odometer.did), Some(3));
        assert_eq!(frames.length(gateway, 0xABCD), None);
    }

    #[test]
    fn data_of_the_wrong_length_is_shown_as_it_came() {
        let frames = frames();
        let frame = frames.always.freeze_frame;
        let told = frames.words(0x1001, &[(frame.time.did, vec![1]), (frame.supply.did, vec![])]);
        assert_eq!(told[0], ("DD00".to_owned(), "[01]".to_owned()));
        assert_eq!(told[1].1, "[]");
        assert_eq!(frames.supply_mv(&[(frame.supply.did, vec![1])]), None);
    }
}
