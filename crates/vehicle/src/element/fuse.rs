//! A blade fuse; blows when its current stays above 1.35 times its rating (ISO 8820-3).

use super::{Kind, kind};

kind! {
    /// A blade fuse; blows when its current stays above 1.35 times its rating (ISO 8820-3).
    Fuse {
        pins {
            /// First blade.
            a,
            /// Second blade.
            b,
        }
        numbers {
            /// Rated current, amperes.
            rating_amps,
        }
    }
}

impl Kind for Fuse {
    fn ohmic(&self) -> Vec<(&str, &str)> {
        vec![(&self.a, &self.b)]
    }
    fn loses_volts(&self) -> Vec<(&str, &str)> {
        vec![(&self.a, &self.b)]
    }
    fn rating_amps(&self) -> Option<f64> {
        Some(self.rating_amps)
    }
    fn bare_end(&self) -> Option<&'static str> {
        Some("blade, on its back")
    }
}
