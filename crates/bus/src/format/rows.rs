//! Lines of numbers, read in pieces on all cores: an hour of a fast scope is a gigabyte of text.

use super::csv::{Style, number};
use memchr::{memchr, memchr_iter};
use rayon::prelude::*;

/// Text that one core reads at a time, bytes.
const PIECE: usize = 1 << 20;
/// Pieces read before their numbers are put with the others: bounds what lies about meanwhile.
const AT_A_TIME: usize = 32;

/// Columns of numbers.
#[derive(Debug, Default)]
pub(super) struct Rows {
    /// The first column, where it is the time.
    pub times: Vec<f64>,
    /// The others.
    pub columns: Vec<Vec<f32>>,
}

/// What is wrong with a line, counted from 1.
#[derive(Debug)]
pub(super) struct Wrong {
    pub line: usize,
    pub what: String,
}

/// Reads all lines; `from` is 1 where the first of `width` columns is the time, else 0.
pub(super) fn read(text: &str, style: Style, from: usize, width: usize) -> Result<Rows, Wrong> {
    let mut rows = Rows { times: Vec::new(), columns: vec![Vec::new(); width - from] };
    let mut lines = 0;
    for wave in pieces(text).chunks(AT_A_TIME) {
        let read = |text: &&str| piece(text, style, from, width);
        let all: Vec<_> = wave.par_iter().map(read).collect();
        for (text, piece) in wave.iter().zip(all) {
            let piece = piece.map_err(|w| Wrong { line: lines + w.line, ..w })?;
            lines += memchr_iter(b'\n', text.as_bytes()).count();
            rows.times.extend(piece.times);
            for (all, more) in rows.columns.iter_mut().zip(piece.columns) {
                all.extend(more);
            }
        }
    }
    Ok(rows)
}

/// The text in pieces that end with a line.
fn pieces(mut text: &str) -> Vec<&str> {
    let mut out = Vec::new();
    while !text.is_empty() {
        let after = text.as_bytes().get(PIECE..).and_then(|rest| memchr(b'\n', rest));
        let (piece, rest) = text.split_at(after.map_or(text.len(), |at| PIECE + at + 1));
        out.push(piece);
        text = rest;
    }
    out
}

fn piece(text: &str, style: Style, from: usize, width: usize) -> Result<Rows, Wrong> {
    let mut rows = Rows { times: Vec::new(), columns: vec![Vec::new(); width - from] };
    let is_end = |b: u8| matches!(b, b',' | b';' | b'\t' | b' ' | b'\r');
    for (k, line) in text.split_terminator('\n').enumerate() {
        if line.trim().is_empty() {
            continue;
        }
        let end = line.bytes().rposition(|b| !is_end(b)).map_or(0, |last| last + 1);
        let wrong = |what: String| Wrong { line: k + 1, what };
        let mut seen = 0usize;
        for part in line[..end].split(char::from(style.separator)) {
            let value = plain(part).or_else(|| number(part, style.comma)).ok_or_else(|| {
                let part: String = part.trim().chars().take(40).collect();
                wrong(format!("“{part}” is no number"))
            })?;
            match seen.checked_sub(from) {
                None => rows.times.push(value),
                Some(at) => rows.columns.get_mut(at).into_iter().for_each(|c| c.push(value as f32)),
            }
            seen += 1;
        }
        if seen != width {
            return Err(wrong(format!("{seen} columns instead of {width}")));
        }
    }
    Ok(rows)
}

/// A number with a decimal point and nothing about it, as nearly all are.
fn plain(text: &str) -> Option<f64> {
    fast_float2::parse(text).ok().filter(|v: &f64| v.is_finite())
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const COMMAS: Style = Style { separator: b',', comma: false };

    #[test]
    fn a_line_far_down_is_named_by_its_number() {
        let mut text = "1.25,2.5\n".repeat(300_000);
        let good = read(&text, COMMAS, 0, 2).unwrap();
        assert_eq!(good.columns.iter().map(Vec::len).collect::<Vec<_>>(), [300_000; 2]);
        text.push_str("1.25,x\n");
        assert_eq!(read(&text, COMMAS, 0, 2).unwrap_err().line, 300_001);
    }

    proptest! {
        #[test]
        fn pieces_are_the_text_and_end_with_a_line(lines in proptest::collection::vec("[0-9]{0,3}é?", 0..60)) {
            let text = lines.join("\n").repeat(2000);
            let all = pieces(&text);
            prop_assert_eq!(all.concat(), text.clone());
            for p in all.iter().rev().skip(1) {
                prop_assert!(p.ends_with('\n'));
            }
        }

        #[test]
        fn any_number_is_read_as_the_standard_library_reads_it(value in any::<f64>()) {
            let expected = value.is_finite().then_some(value);
            prop_assert_eq!(plain(&value.to_string()), expected);
            prop_assert_eq!(plain(&format!("{value:e}")), expected);
        }
    }
}
