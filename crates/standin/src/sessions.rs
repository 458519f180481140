//! Who is connected, and the modules' diagnostic sessions: what a tester may do, and for how long
//! after it was last heard (S3 of ISO 14229-2).

use crate::world::World;
use std::collections::BTreeMap;
use std::time::Duration;
use tokio::sync::mpsc;
use vehicle::PartIx;

/// Time after which a module leaves a session in which it hears nothing (S3 server).
const S3: Duration = Duration::from_secs(5);

/// A connected tester.
#[derive(Debug)]
pub(crate) struct Tester {
    source: u16,
    send: mpsc::Sender<Vec<u8>>,
    answered: bool,
}

/// A module's session other than the default one.
#[derive(Debug, Clone, Default)]
pub(crate) struct Session {
    /// The connection that opened it.
    pub(crate) tester: u64,
    left: Duration,
    /// A seed that was given out and not answered yet.
    pub(crate) seed: Option<[u8; 4]>,
    /// Security access was granted.
    pub(crate) unlocked: bool,
}

/// All of them, by part.
pub(crate) type Sessions = BTreeMap<PartIx, Session>;

impl World {
    /// A number for a new connection.
    pub(crate) fn number(&mut self) -> u64 {
        self.connections += 1;
        self.connections
    }

    /// A tester's address is routed on a connection.
    pub(crate) fn comes(&mut self, number: u64, source: u16, send: mpsc::Sender<Vec<u8>>) {
        self.testers.insert(number, Tester { source, send, answered: true });
    }

    /// Another connection that has this address, about to be asked whether it is alive.
    pub(crate) fn asks_alive(
        &mut self,
        number: u64,
        source: u16,
    ) -> Option<(u64, mpsc::Sender<Vec<u8>>)> {
        let (other, tester) =
            self.testers.iter_mut().find(|(n, t)| **n != number && t.source == source)?;
        tester.answered = false;
        Some((*other, tester.send.clone()))
    }

    pub(crate) fn is_alive(&mut self, number: u64) {
        if let Some(tester) = self.testers.get_mut(&number) {
            tester.answered = true;
        }
    }

    pub(crate) fn has_answered(&self, number: u64) -> bool {
        self.testers.get(&number).is_some_and(|t| t.answered)
    }

    /// A connection is gone: its sessions end, and with them what it drives.
    pub(crate) fn leaves(&mut self, number: u64) {
        self.testers.remove(&number);
        let own = self.sessions.iter().filter(|(_, s)| s.tester == number);
        let parts: Vec<PartIx> = own.map(|(part, _)| *part).collect();
        parts.into_iter().for_each(|part| self.default_session(part));
    }

    /// A module enters the extended session.
    pub(crate) fn extended_session(&mut self, part: PartIx, tester: u64) {
        let session = self.sessions.entry(part).or_default();
        *session = Session { tester, left: S3, ..Session::default() };
    }

    /// Back in the default session, a module holds nothing for a tester and learns nothing more.
    pub(crate) fn default_session(&mut self, part: PartIx) {
        self.sessions.remove(&part);
        let module = &self.circuit.vehicle.parts[part].id;
        let outputs = self.circuit.vehicle.outputs.iter();
        let own: Vec<&str> =
            outputs.filter(|o| &o.module == module).map(|o| o.id.as_str()).collect();
        self.driven.retain(|id, _| !own.contains(&id.as_str()));
        self.end_lessons(part);
    }

    /// A module was asked something.
    pub(crate) fn hears(&mut self, part: PartIx) {
        if let Some(session) = self.sessions.get_mut(&part) {
            session.left = S3;
        }
    }

    /// Sessions that nobody keeps open end.
    pub(crate) fn sessions_tick(&mut self, by: Duration) {
        let mut over = Vec::new();
        for (part, session) in &mut self.sessions {
            session.left = session.left.saturating_sub(by);
            if session.left.is_zero() {
                over.push(*part);
            }
        }
        over.into_iter().for_each(|part| self.default_session(part));
    }
}
