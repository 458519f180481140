//! A digital module input with a pull-up to its supply or a pull-down to its ground.

use super::{Kind, kind};
use crate::typical;

kind! {
    /// A digital module input with a pull-up to its supply or a pull-down to its ground.
    Input {
        pins {
            /// The input pin.
            pin,
            /// Pulled to this pin of the module.
            pull_to,
        }
        numbers {
            /// Pull resistance, ohms.
            #[serde(default = "typical::pull_ohms")]
            pull_ohms,
        }
    }
}

impl Kind for Input {}
