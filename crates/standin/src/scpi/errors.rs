//! What went wrong, kept until it is asked for (SCPI-99 21.8), and the event register of IEEE 488.2.

use std::collections::VecDeque;

/// Errors kept; when there are more the last one says so.
const KEPT: usize = 20;

/// An error or event by the standard's number.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Error {
    DataType,
    ParameterNotAllowed,
    MissingParameter,
    UndefinedHeader,
    OutOfRange,
    IllegalValue,
    Stale,
    QueueOverflow,
    TooLong,
}

impl Error {
    /// Number and text.
    fn told(self) -> (i32, &'static str) {
        match self {
            Self::DataType => (-104, "Data type error"),
            Self::ParameterNotAllowed => (-108, "Parameter not allowed"),
            Self::MissingParameter => (-109, "Missing parameter"),
            Self::UndefinedHeader => (-113, "Undefined header"),
            Self::OutOfRange => (-222, "Data out of range"),
            Self::IllegalValue => (-224, "Illegal parameter value"),
            Self::Stale => (-230, "Data corrupt or stale"),
            Self::QueueOverflow => (-350, "Queue overflow"),
            Self::TooLong => (-363, "Input buffer overrun"),
        }
    }

    /// Its bit in the event register: command, execution or device error.
    fn bit(self) -> u8 {
        match self.told().0 {
            -199..=-100 => 1 << 5,
            -299..=-200 => 1 << 4,
            _ => 1 << 3,
        }
    }
}

/// Operation complete, in the event register.
const COMPLETE: u8 = 1;

/// The queue and the register.
#[derive(Debug, Default)]
pub(super) struct Errors {
    queue: VecDeque<Error>,
    events: u8,
}

impl Errors {
    /// Keeps one.
    pub(super) fn add(&mut self, error: Error) {
        self.events |= error.bit();
        match self.queue.len() < KEPT {
            true => self.queue.push_back(error),
            false => self.queue[KEPT - 1] = Error::QueueOverflow,
        }
    }

    /// The oldest, as it is answered.
    pub(super) fn next(&mut self) -> String {
        let (number, text) = self.queue.pop_front().map_or((0, "No error"), Error::told);
        format!("{number},\"{text}\"")
    }

    /// How many there are.
    pub(super) fn count(&self) -> usize {
        self.queue.len()
    }

    /// All work is done.
    pub(super) fn complete(&mut self) {
        self.events |= COMPLETE;
    }

    /// The event register, which is empty once it was read.
    pub(super) fn events(&mut self) -> u8 {
        std::mem::take(&mut self.events)
    }

    /// Forgets everything.
    pub(super) fn clear(&mut self) {
        *self = Self::default();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn errors_come_in_their_order_and_too_many_say_so() {
        let mut errors = Errors::default();
        errors.add(Error::UndefinedHeader);
        errors.add(Error::OutOfRange);
        // Command error is bit 5, execution error bit 4.
        assert_eq!((errors.count(), errors.events(), errors.events()), (2, 0b11_0000, 0));
        assert_eq!(errors.next(), "-113,\"Undefined header\"");
        assert_eq!(errors.next(), "-222,\"Data out of range\"");
        assert_eq!(errors.next(), "0,\"No error\"");
        (0..30).for_each(|_| errors.add(Error::DataType));
        assert_eq!(errors.count(), KEPT);
        let all: Vec<String> = (0..KEPT).map(|_| errors.next()).collect();
        assert_eq!(all[KEPT - 1], "-350,\"Queue overflow\"");
        errors.add(Error::DataType);
        errors.clear();
        assert_eq!((errors.count(), errors.events()), (0, 0));
    }
}
