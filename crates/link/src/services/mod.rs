//! One small file per UDS service: its request and the reading of its answer.

pub mod clear_codes;
pub mod ecu_reset;
pub mod input_output_control;
pub mod read_codes;
pub mod read_data;
pub mod routine;
pub mod security_access;
pub mod session;
pub mod tester_present;
pub mod write_data;

pub(crate) use crate::uds::garbled;
