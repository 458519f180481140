//! References to places a probe can touch.
//!
//! Every cavity has two faces. For a connector on a part the harness face is
//! written `M7.1` and the part's own pin `M7.1:part`; for an in-line pair the
//! faces carry the names of the two sides, `C4.7:cabin` and `C4.7:engine`.
//! Splices, ground points and conductors are named without a dot.

use std::fmt;

/// A point's name, taken apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Point<'t> {
    /// All of it.
    text: &'t str,
    /// Connector, part, splice, ground point or conductor: what comes before the dot, or all of it.
    pub owner: &'t str,
    /// Cavity number as moulded on the connector, or the pin of a part; none without a dot.
    pub no: Option<&'t str>,
    /// Side after the colon.
    pub side: Option<&'t str>,
}

impl<'t> Point<'t> {
    /// Takes a name apart; every text is one.
    pub fn of(text: &'t str) -> Self {
        let (head, side) = match text.split_once(':') {
            Some((head, side)) => (head, Some(side)),
            None => (text, None),
        };
        match head.split_once('.') {
            Some((owner, no)) => Self { text, owner, no: Some(no), side },
            None => Self { text, owner: head, no: None, side },
        }
    }

    /// The cavity without its side: `C4.7` of `C4.7:engine`; the owner where there is no dot.
    pub fn cavity(self) -> &'t str {
        match self.side {
            Some(side) => &self.text[..self.text.len() - side.len() - 1],
            None => self.text,
        }
    }

    /// What comes after the dot: `7:engine` of `C4.7:engine`.
    pub fn no_and_side(self) -> Option<&'t str> {
        self.no.map(|_| &self.text[self.owner.len() + 1..])
    }

    /// Connector or part, and number, of a cavity.
    pub fn key(self) -> Option<(&'t str, &'t str)> {
        Some((self.owner, self.no?))
    }
}

impl fmt::Display for Point<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.text)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn faces_of_cavities_and_bare_names_are_told_apart() {
        let face = Point::of("C4.7:engine");
        assert_eq!((face.owner, face.no, face.side), ("C4", Some("7"), Some("engine")));
        assert_eq!((face.cavity(), face.key()), ("C4.7", Some(("C4", "7"))));
        assert_eq!(face.no_and_side(), Some("7:engine"));
        let splice = Point::of("J3");
        assert_eq!((splice.owner, splice.cavity(), splice.key()), ("J3", "J3", None));
    }

    proptest! {
        #[test]
        fn any_text_is_taken_apart_and_put_together_again(text in "[a-zA-Z0-9.:é]{0,12}") {
            let p = Point::of(&text);
            let no = p.no.map_or(String::new(), |no| format!(".{no}"));
            let side = p.side.map_or(String::new(), |side| format!(":{side}"));
            prop_assert_eq!(format!("{}{no}{side}", p.owner), text.clone());
            prop_assert_eq!(format!("{}{side}", p.cavity()), text);
        }
    }
}
