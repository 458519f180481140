//! One small file per UDS service: its request and the reading of its answer.

pub mod clear_codes;
pub mod input_output_control;
pub mod read_codes;
pub mod read_data;
pub mod session;
pub mod tester_present;

use crate::error::LinkError;

fn garbled(who: u16, asked: &str, got: &[u8]) -> LinkError {
    LinkError::Garbled {
        who: format!("{who:#06x}"),
        asked: asked.to_owned(),
        got: format!("{got:02X?}"),
    }
}
