//! CAN and CAN FD (ISO 11898-1): frames, their bits, and receiving them from a line's edges.

pub mod bits;
pub mod crc;
pub mod decode;
pub mod frame;
pub mod receive;
pub mod wave;
