//! Bytes as hexadecimal digits, two a byte, as files and ledgers have them.

/// The bytes of digits; none of anything else.
pub fn bytes(digits: &str) -> Option<Vec<u8>> {
    let digits = digits.as_bytes();
    let are_digits = digits.len().is_multiple_of(2) && digits.iter().all(u8::is_ascii_hexdigit);
    let byte = |pair: &[u8]| u8::from_str_radix(std::str::from_utf8(pair).ok()?, 16).ok();
    are_digits.then(|| digits.chunks(2).map(byte).collect()).flatten()
}

/// The digits of bytes.
pub fn digits(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02X}")).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn digits_and_bytes_are_the_same(data in proptest::collection::vec(any::<u8>(), 0..40)) {
            prop_assert_eq!(bytes(&digits(&data)), Some(data));
        }
        #[test]
        fn nothing_else_is_taken_for_digits(text in "[0-9A-Fa-f+x ]{0,6}") {
            let are = text.len() % 2 == 0 && text.chars().all(|c| c.is_ascii_hexdigit());
            prop_assert_eq!(bytes(&text).is_some(), are);
        }
    }
}
