//! UDS (ISO 14229-1): negative responses in plain words.

/// Busy, repeat the request.
pub const BUSY: u8 = 0x21;
/// Correctly received, response pending.
pub const PENDING: u8 = 0x78;

/// Negative response code in plain words (ISO 14229-1 table A.1).
pub fn refusal(code: u8) -> &'static str {
    match code {
        0x10 => "it refuses without saying why",
        0x11 => "it does not have this service",
        0x12 => "it does not have this part of the service",
        0x13 => "the request has the wrong length",
        0x14 => "the answer would be too long",
        0x21 => "it is busy",
        0x22 => "conditions are not right (key, engine, speed or supply)",
        0x24 => "the requests came in the wrong order",
        0x31 => "it does not know this identifier or value",
        0x33 => "security access is needed first",
        0x35 => "the security key is wrong",
        0x36 => "too many wrong security keys",
        0x37 => "it wants a pause before the next security key",
        0x72 => "programming failed",
        0x78 => "it is still working on it",
        0x7E | 0x7F => "not in this session",
        0x83 => "the engine runs",
        0x84 => "the engine does not run",
        0x92 => "the supply voltage is too high",
        0x93 => "the supply voltage is too low",
        _ => "it gives a reason this program does not know",
    }
}
