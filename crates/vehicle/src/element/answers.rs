//! What elements answer with.

/// One point of a table: stimulus value and what the part shows there.
pub type TablePoint = (f64, f64);

/// A table over a stimulus.
#[derive(Debug, Clone, Copy)]
pub struct Table<'a> {
    /// Its points, in rising order of the stimulus.
    pub points: &'a [TablePoint],
    /// Least and largest value that is possible.
    pub range: (f64, f64),
}

/// Two pins joined by a fixed resistance.
#[derive(Debug, Clone, Copy)]
pub struct Joins<'a> {
    /// One pin.
    pub a: &'a str,
    /// The other.
    pub b: &'a str,
    /// Resistance between them, ohms.
    pub ohms: f64,
}

/// What a module lives on.
#[derive(Debug, Clone, Copy)]
pub struct Feed<'a> {
    /// Supply pin.
    pub plus: &'a str,
    /// Ground pin.
    pub minus: &'a str,
    /// Pin that wakes it, where one does.
    pub wake: Option<&'a str>,
    /// Whether a bus wakes it.
    pub by_bus: bool,
}

impl<'a> Feed<'a> {
    /// All its pins.
    pub fn pins(self) -> impl Iterator<Item = &'a str> {
        [self.plus, self.minus].into_iter().chain(self.wake)
    }
}

/// Where a transceiver listens.
#[derive(Debug, Clone, Copy)]
pub enum Ears<'a> {
    /// Between two lines (ISO 11898-2).
    Can {
        /// CAN high.
        high: &'a str,
        /// CAN low.
        low: &'a str,
        /// Ground pin of the module.
        ground: &'a str,
    },
    /// On one line against half its supply (ISO 17987-4).
    Lin {
        /// The line.
        line: &'a str,
        /// Supply pin of the module.
        supply: &'a str,
        /// Ground pin of the module.
        ground: &'a str,
        /// Whether it is the master.
        master: bool,
    },
}

/// A transceiver's end of a bus.
#[derive(Debug, Clone, Copy)]
pub struct BusEnd<'a> {
    /// The bus.
    pub bus: &'a str,
    /// Where it listens.
    pub ears: Ears<'a>,
}

impl<'a> BusEnd<'a> {
    /// Pins of its lines: high and low of CAN, the one of LIN.
    pub fn lines(&self) -> Vec<&'a str> {
        match self.ears {
            Ears::Can { high, low, .. } => vec![high, low],
            Ears::Lin { line, .. } => vec![line],
        }
    }

    /// Its lines as anybody would call them, with their pins.
    pub fn named_lines(&self) -> Vec<(String, &'a str)> {
        match self.ears {
            Ears::Can { high, low, .. } => {
                vec![(format!("{} high", self.bus), high), (format!("{} low", self.bus), low)]
            }
            Ears::Lin { line, .. } => vec![(self.bus.to_owned(), line)],
        }
    }

    /// Whether it is the master of a LIN bus.
    pub fn is_master(&self) -> bool {
        matches!(self.ears, Ears::Lin { master: true, .. })
    }

    /// Whether it is on a CAN bus.
    pub fn is_can(&self) -> bool {
        matches!(self.ears, Ears::Can { .. })
    }
}

/// What a driver joins its pin to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Switches {
    /// The module's supply.
    Supply,
    /// The module's ground.
    Ground,
}

/// A pin that gives current of its own.
#[derive(Debug, Clone, Copy)]
pub struct Gives<'a> {
    /// The pin.
    pub pin: &'a str,
    /// Largest current, amperes.
    pub limit_amps: f64,
    /// What it switches the pin to; none: a reference that is always there.
    pub switches: Option<Switches>,
}

/// Something wrong with an element's parameters.
#[derive(Debug, Clone, PartialEq)]
pub enum Wrong {
    /// With several of them together.
    Whole {
        /// What is wrong.
        what: &'static str,
        /// What to do.
        mend: &'static str,
    },
    /// With one number of a field.
    Number {
        /// The field.
        field: &'static str,
        /// What is wrong.
        what: String,
        /// What to do.
        mend: &'static str,
    },
    /// A field names a position that the part has not.
    Position {
        /// The field.
        field: &'static str,
        /// The position named.
        named: String,
    },
}

/// Teeth that pass a sensor.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Turns<'a> {
    /// What turns them.
    pub stimulus: &'a str,
    /// What they make a sensor feel: 0 in a gap, 1 before a tooth.
    pub feeds: &'a str,
    /// Teeth in a second at one unit of what turns them.
    pub hertz: f64,
}

impl Wrong {
    /// With several parameters together.
    pub(super) fn whole(what: &'static str, mend: &'static str) -> Self {
        Self::Whole { what, mend }
    }

    /// A position that the part has not.
    pub(super) fn position(field: &'static str, named: &str) -> Self {
        Self::Position { field, named: named.to_owned() }
    }
}

/// Reads a table at a stimulus value: straight lines between points, held at the ends.
pub fn at_table(table: &[TablePoint], x: f64) -> f64 {
    let above = table.iter().position(|p| p.0 >= x);
    match above {
        Some(0) => table[0].1,
        Some(k) => {
            let ((x0, y0), (x1, y1)) = (table[k - 1], table[k]);
            y0 + (y1 - y0) * (x - x0) / (x1 - x0)
        }
        None => table.last().map_or(0.0, |p| p.1),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tables_are_straight_between_points_and_held_at_the_ends() {
        let table = [(-10.0, 4.0), (0.0, 2.0), (20.0, 1.0)];
        let read = [-30.0, -10.0, -5.0, 0.0, 10.0, 20.0, 99.0].map(|x| at_table(&table, x));
        assert_eq!(read, [4.0, 4.0, 3.0, 2.0, 1.5, 1.0, 1.0]);
    }
}
