//! Numbers of things and check sums in what is kept as bytes.

use std::hash::{DefaultHasher, Hasher};

/// What damaged bytes do not have in common with whole ones.
pub(crate) fn sum(bytes: &[u8]) -> u64 {
    let mut sum = DefaultHasher::new();
    sum.write(bytes);
    sum.finish()
}

/// A number of things, 32 bits.
pub(crate) fn put(out: &mut Vec<u8>, n: usize) {
    out.extend((n as u32).to_le_bytes());
}

/// The next number of things.
pub(crate) fn take(from: &mut &[u8]) -> Option<usize> {
    let (n, rest) = from.split_first_chunk::<4>()?;
    *from = rest;
    Some(u32::from_le_bytes(*n) as usize)
}
