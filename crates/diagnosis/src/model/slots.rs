//! A place for every hypothesis that takes room only where something was put, in pieces of neighbours:
//! of most states no more than what is suspected is ever solved.

use std::sync::OnceLock;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Hypotheses in a piece: those of a few repair items stand together.
const PIECE: usize = 32;

type Piece<T> = Box<[OnceLock<T>]>;

/// The places; each is filled once.
#[derive(Debug)]
pub(super) struct Slots<T> {
    pieces: Vec<OnceLock<Piece<T>>>,
    filled: AtomicUsize,
    len: usize,
}

impl<T> Slots<T> {
    pub(super) fn new(len: usize) -> Self {
        let pieces = (0..len.div_ceil(PIECE)).map(|_| OnceLock::new()).collect();
        Self { pieces, filled: AtomicUsize::new(0), len }
    }

    pub(super) fn len(&self) -> usize {
        self.len
    }

    /// Whether every place is filled.
    pub(super) fn is_full(&self) -> bool {
        self.filled.load(Ordering::Acquire) == self.len
    }

    pub(super) fn get(&self, k: impl Into<usize>) -> Option<&T> {
        let k = k.into();
        self.pieces.get(k / PIECE)?.get()?.get(k % PIECE)?.get()
    }

    /// Fills a place, unless it is filled already; the bytes it took beside what the value holds.
    pub(super) fn set(&self, k: impl Into<usize>, value: T) -> usize {
        let k = k.into();
        let Some(piece) = self.pieces.get(k / PIECE).filter(|_| k < self.len) else { return 0 };
        let mut bytes = 0;
        let places = piece.get_or_init(|| {
            bytes = PIECE * size_of::<OnceLock<T>>();
            (0..PIECE).map(|_| OnceLock::new()).collect()
        });
        if places[k % PIECE].set(value).is_ok() {
            self.filled.fetch_add(1, Ordering::Release);
        }
        bytes
    }

    /// Bytes that the places take before anything is put there.
    pub(super) fn bytes_empty(len: usize) -> usize {
        len.div_ceil(PIECE) * size_of::<OnceLock<Piece<T>>>()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_put_first_stays_and_room_is_taken_once() {
        let slots = Slots::new(70);
        assert_eq!((slots.get(69usize), slots.get(70usize)), (None, None));
        let first = slots.set(69usize, "a");
        assert!(first > 0);
        assert_eq!(slots.set(68usize, "b"), 0);
        assert_eq!(slots.set(69usize, "c"), 0);
        assert_eq!(slots.set(70usize, "beyond"), 0);
        assert_eq!(
            (slots.get(69usize), slots.get(68usize), slots.get(0usize)),
            (Some(&"a"), Some(&"b"), None)
        );
        assert!(!slots.is_full());
        (0..70usize).for_each(|k| {
            slots.set(k, "d");
        });
        assert!(slots.is_full());
        assert_eq!(slots.get(69usize), Some(&"a"));
    }
}
