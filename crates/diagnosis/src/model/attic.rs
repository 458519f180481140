//! Where states that were solved before are found again when the cache has let them go.

use std::fmt;
use vehicle::OperatingState;

/// Finds the bytes kept of a state, if any, and shows them to whoever wants to read them.
type Fetch = Box<dyn Fn(&OperatingState, &mut dyn FnMut(&[u8])) + Send + Sync>;

/// Looks up what [`super::Model::saved`] made of a state; by itself it holds nothing.
#[derive(Default)]
pub(super) struct Attic(Option<Fetch>);

impl Attic {
    pub(super) fn new(fetch: Fetch) -> Self {
        Self(Some(fetch))
    }

    pub(super) fn fetch(&self, state: &OperatingState, mut read: impl FnMut(&[u8])) {
        if let Some(fetch) = &self.0 {
            fetch(state, &mut read);
        }
    }
}

impl fmt::Debug for Attic {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("Attic").field(&self.0.is_some()).finish()
    }
}
