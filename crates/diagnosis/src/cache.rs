//! What was solved and weighed, kept as long as there is room: one cache for all models, bounded by
//! what it takes of memory. What is asked for again stays; what was used once goes first.

use crate::model::HypIx;
use circuit::Probe;
use quick_cache::sync::DefaultLifecycle;
use quick_cache::{DefaultHashBuilder, Equivalent, OptionsBuilder, Weighter};
use std::any::Any;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use vehicle::OperatingState;

/// Things kept, as an estimate: a few states, many readings and pairs.
const ABOUT: usize = 4096;
/// What a kept thing takes beside what it holds, bytes.
const BESIDE: usize = 256;

/// The number of a model, so that models share a cache.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) struct ModelId(u64);

impl ModelId {
    pub(crate) fn next() -> Self {
        static LAST: AtomicU64 = AtomicU64::new(0);
        Self(LAST.fetch_add(1, Ordering::Relaxed))
    }
}

/// What something is kept under.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
enum Key {
    State(ModelId, OperatingState),
    Reading(ModelId, OperatingState, Probe),
    Weighed(ModelId, String),
    Pair(ModelId, OperatingState, [HypIx; 2], bool),
    Tool(ModelId, OperatingState, Probe),
    Numbers(ModelId, String, u8),
}

/// What something is looked for under. Its variants stand in the order of those of [`Key`], so that
/// both have the same hash.
#[derive(Debug, Clone, Copy, Hash)]
pub(crate) enum Wanted<'a> {
    State(ModelId, &'a OperatingState),
    Reading(ModelId, &'a OperatingState, &'a Probe),
    Weighed(ModelId, &'a str),
    Pair(ModelId, &'a OperatingState, [HypIx; 2], bool),
    Tool(ModelId, &'a OperatingState, &'a Probe),
    /// With whether the symptom was there, as a number.
    Numbers(ModelId, &'a str, u8),
}

impl Wanted<'_> {
    fn key(self) -> Key {
        match self {
            Self::State(m, s) => Key::State(m, s.clone()),
            Self::Reading(m, s, p) => Key::Reading(m, s.clone(), p.clone()),
            Self::Weighed(m, text) => Key::Weighed(m, text.to_owned()),
            Self::Pair(m, s, pair, heard) => Key::Pair(m, s.clone(), pair, heard),
            Self::Tool(m, s, p) => Key::Tool(m, s.clone(), p.clone()),
            Self::Numbers(m, text, present) => Key::Numbers(m, text.to_owned(), present),
        }
    }
}

impl Equivalent<Key> for Wanted<'_> {
    fn equivalent(&self, key: &Key) -> bool {
        match (self, key) {
            (Self::State(m, s), Key::State(n, t)) => m == n && *s == t,
            (Self::Reading(m, s, p), Key::Reading(n, t, q))
            | (Self::Tool(m, s, p), Key::Tool(n, t, q)) => m == n && *s == t && *p == q,
            (Self::Numbers(m, s, p), Key::Numbers(n, t, q)) => m == n && *s == t && p == q,
            (Self::Weighed(m, s), Key::Weighed(n, t)) => m == n && *s == t,
            (Self::Pair(m, s, pair, heard), Key::Pair(n, t, other, how)) => {
                m == n && *s == t && pair == other && heard == how
            }
            _ => false,
        }
    }
}

/// A kind of thing that is kept.
pub(crate) trait Keep: Any + Send + Sync {
    /// Bytes that it takes now.
    fn bytes(&self) -> usize;
}

/// Something kept, with what it took when it was put there: what grows is put anew.
#[derive(Debug, Clone)]
struct Kept {
    what: Arc<dyn Any + Send + Sync>,
    bytes: usize,
}

#[derive(Debug, Clone)]
struct Bytes;

impl Weighter<Key, Kept> for Bytes {
    fn weight(&self, _: &Key, kept: &Kept) -> u64 {
        kept.bytes as u64
    }
}

type Life = DefaultLifecycle<Key, Kept>;
type Inner = quick_cache::sync::Cache<Key, Kept, Bytes, DefaultHashBuilder, Life>;

/// The cache; clones share it.
#[derive(Debug, Clone)]
pub struct Cache(Arc<Inner>);

impl Default for Cache {
    fn default() -> Self {
        Self::of(Self::ROOM)
    }
}

impl Cache {
    /// Room unless another is asked for, bytes.
    pub const ROOM: usize = 160 << 20;

    /// A cache with room for so many bytes.
    pub fn of(bytes: usize) -> Self {
        let inner = OptionsBuilder::new()
            .estimated_items_capacity(ABOUT)
            .weight_capacity(bytes as u64)
            // One part: a state takes a good share of the room, and would not fit into a part of it.
            .shards(1)
            .build()
            .map(|options| {
                let lifecycle = Life::default();
                Inner::with_options(options, Bytes, DefaultHashBuilder::default(), lifecycle)
            })
            .unwrap_or_else(|_| Inner::with_weighter(ABOUT, bytes as u64, Bytes));
        Self(Arc::new(inner))
    }

    /// What is kept under a key.
    pub(crate) fn get<T: Keep>(&self, wanted: Wanted<'_>) -> Option<Arc<T>> {
        self.0.get(&wanted)?.what.downcast().ok()
    }

    /// Keeps something, in the place of what was kept there.
    pub(crate) fn put<T: Keep>(&self, wanted: Wanted<'_>, made: &Arc<T>) {
        let kept = Kept { bytes: BESIDE + made.bytes(), what: Arc::<T>::clone(made) };
        self.0.insert(wanted.key(), kept);
    }

    /// Forgets one thing.
    pub(crate) fn remove(&self, wanted: Wanted<'_>) {
        self.0.remove(&wanted);
    }

    /// Forgets everything of a model.
    pub(crate) fn forget(&self, model: ModelId) {
        self.0.retain(|key, _| {
            let (Key::State(m, ..)
            | Key::Reading(m, ..)
            | Key::Weighed(m, ..)
            | Key::Pair(m, ..)
            | Key::Tool(m, ..)
            | Key::Numbers(m, ..)) = key;
            *m != model
        });
    }

    /// Bytes taken.
    pub fn bytes(&self) -> usize {
        self.0.weight() as usize
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Model;

    fn wren() -> vehicle::Vehicle {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../vehicles/wren.json");
        vehicle::Vehicle::from_json(&std::fs::read_to_string(path).unwrap()).unwrap()
    }

    #[test]
    fn it_never_takes_more_than_its_room_and_ends_with_its_models() {
        let room = 12 << 20;
        let cache = Cache::of(room);
        let model = Model::sharing(wren(), &cache).unwrap();
        let other = Model::sharing(wren(), &cache).unwrap();
        let mut alone = 0;
        for named in model.circuit.vehicle.states.iter().take(4) {
            let p = model.predict_all(&named.state);
            alone += p.bytes();
            other.predict(&named.state);
            assert!(cache.bytes() <= room, "{} bytes", cache.bytes());
        }
        assert!(alone > room, "{alone} bytes would have fitted");
        // What was dropped is solved again, and is as before.
        let state = &model.circuit.vehicle.states[1].state;
        let (first, again) = (model.predict_all(state), model.predict_all(state));
        assert!(first.all().zip(again.all()).all(|(a, b)| a.software() == b.software()));
        drop((first, again, model, other));
        assert_eq!(cache.bytes(), 0);
    }
}
