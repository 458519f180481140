//! LIN (ISO 17987): frames, checks, and decoding of a line's voltage.

pub mod decode;
pub mod frame;
pub mod wave;
