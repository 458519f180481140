//! What follows from a model alone, made when it is first asked for, one of each type: so a model need
//! not know who derives what from it.

use std::any::Any;
use std::sync::OnceLock;

/// A list that only grows, so that what was handed out stays.
#[derive(Debug, Default)]
pub(super) struct Derived {
    what: OnceLock<Box<dyn Any + Send + Sync>>,
    next: OnceLock<Box<Derived>>,
}

impl Derived {
    pub(super) fn get<T: Any + Send + Sync>(&self, make: impl FnOnce() -> T) -> &T {
        let (mut at, mut make) = (self, Some(make));
        let mut made: Option<Box<dyn Any + Send + Sync>> = None;
        loop {
            if at.what.get().is_none() {
                let new = made.take().or_else(|| make.take().map(|make| Box::new(make()) as _));
                // Another thread may have been as quick: then this one looks whether it was the same.
                made = new.and_then(|new| at.what.set(new).err());
            }
            if let Some(found) = at.what.get().and_then(|what| what.downcast_ref()) {
                return found;
            }
            at = at.next.get_or_init(Box::default);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_of_each_type_is_made_once() {
        let all = Derived::default();
        assert_eq!(*all.get(|| 1u32), 1);
        assert_eq!(all.get(|| String::from("a")), "a");
        assert_eq!(*all.get(|| 2u32), 1);
        assert_eq!(all.get(|| String::from("b")), "a");
    }
}
