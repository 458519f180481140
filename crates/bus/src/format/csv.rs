//! Voltages as columns of text: with a time column, or with the time between samples told; any of the usual
//! separators, decimal points or commas, lines of heading before them.

use super::{FormatError, rows};
use crate::trace::{Channel, Trace};

/// What the file does not say.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Hints {
    /// Time between two samples, seconds, for files without a time column.
    pub step_s: Option<f64>,
    /// What a unit of the time column is in seconds, where its heading does not say.
    pub time_unit_s: Option<f64>,
}

/// Lines of heading at most.
const HEADING: usize = 64;
/// Channels at most.
const CHANNELS: usize = 16;
/// How far a time may lie off an even step, as a share of it: times are printed with few digits.
const UNEVEN: f64 = 0.75;

/// A number as any instrument prints it.
pub(super) fn number(text: &str, comma: bool) -> Option<f64> {
    let text = text.trim().trim_matches('"').trim();
    if comma { text.replace(',', ".").parse().ok() } else { text.parse().ok() }
        .filter(|v: &f64| v.is_finite())
}

/// How a line of numbers is divided.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Style {
    /// What stands between two numbers.
    pub(super) separator: u8,
    /// The decimal point is a comma.
    pub(super) comma: bool,
}

const STYLES: [Style; 5] = [
    Style { separator: b';', comma: true },
    Style { separator: b'\t', comma: true },
    Style { separator: b',', comma: false },
    Style { separator: b';', comma: false },
    Style { separator: b'\t', comma: false },
];

impl Style {
    fn numbers(self, line: &str) -> Option<Vec<f64>> {
        let line = line.trim_end_matches([',', ';', '\t', ' ', '\r']);
        let parts = line.split(char::from(self.separator));
        let all: Option<Vec<f64>> = parts.map(|p| number(p, self.comma)).collect();
        all.filter(|n| !n.is_empty())
    }
}

/// The first line of numbers, how it is divided, and what stands before it.
fn sniff(text: &str) -> Result<(usize, Style, Vec<&str>), FormatError> {
    let mut heading = Vec::new();
    for (k, line) in text.lines().take(HEADING).enumerate() {
        // The way that finds the most numbers; among equals the first.
        let found = STYLES.iter().filter_map(|s| Some((s.numbers(line)?.len(), *s)));
        let best = found.fold(None, |best: Option<(usize, Style)>, f| match best {
            Some(b) if b.0 >= f.0 => Some(b),
            _ => Some(f),
        });
        if let Some((n, style)) = best.filter(|_| !line.trim().is_empty()) {
            // A lone number among the headings is a setting, not a sample.
            let next = text.lines().nth(k + 1).and_then(|l| style.numbers(l));
            if n > 1 || next.is_none_or(|next| next.len() == 1) {
                return Ok((k, style, heading));
            }
        }
        heading.push(line);
    }
    Err(FormatError::Line {
        line: heading.len().max(1),
        what: "there are no numbers in the first lines; give columns of volts, with a line of names above"
            .into(),
    })
}

/// Seconds of a unit that stands in a heading, as `Time (ms)` or `us`.
fn unit(heading: &str) -> Option<f64> {
    let lower = heading.to_lowercase();
    let words = lower.split(|c: char| !(c.is_alphabetic() || c == 'µ' || c == 'μ'));
    words
        .filter_map(|w| match w {
            "s" | "sec" | "second" | "seconds" => Some(1.0),
            "ms" | "msec" => Some(1e-3),
            "us" | "µs" | "μs" | "usec" => Some(1e-6),
            "ns" | "nsec" => Some(1e-9),
            _ => None,
        })
        .next_back()
}

fn is_time(heading: &str) -> bool {
    let lower = heading.to_lowercase();
    let words: Vec<&str> = lower.split(|c: char| !c.is_alphabetic()).collect();
    words.iter().any(|w| matches!(*w, "time" | "t" | "second" | "seconds" | "zeit" | "temps"))
}

/// Reads a capture.
///
/// # Errors
/// [`FormatError`], with the line and what to do.
pub fn read(text: &str, hints: &Hints) -> Result<Trace, FormatError> {
    let text = text.trim_start_matches('\u{feff}');
    let (first, style, heading) = sniff(text)?;
    let separator = char::from(style.separator);
    let columns = |line: &str| -> Vec<String> {
        line.split(separator).map(|c| c.trim().trim_matches('"').to_owned()).collect()
    };
    let head: Vec<&str> = text.lines().skip(first).take(2).collect();
    let width = style.numbers(head[0]).map_or(0, |n| n.len());
    // The last line of heading with as many columns names them; one below it may give the units.
    let named: Vec<Vec<String>> = heading
        .iter()
        .rev()
        .filter(|l| !l.trim().is_empty())
        .map(|l| columns(l))
        .take_while(|c| c.len() >= width)
        .take(2)
        .collect();
    let name = |k: usize| -> String {
        let all: Vec<&str> =
            named.iter().rev().filter_map(|c| c.get(k)).map(String::as_str).collect();
        all.join(" ").trim().to_owned()
    };
    let pair: Vec<Vec<f64>> = head.iter().filter_map(|l| style.numbers(l)).collect();
    let rises = pair.len() == 2 && pair[1].first() > pair[0].first();
    let has_time =
        width > 1 && rises && (is_time(&name(0)) || named.is_empty() || unit(&name(0)).is_some());
    let from = usize::from(has_time);
    if width - from > CHANNELS {
        return Err(FormatError::Line {
            line: first + 1,
            what: format!(
                "{} columns are more than the {CHANNELS} that can be shown",
                width - from
            ),
        });
    }
    let rows = rows::read(rest(text, first), style, from, width)
        .map_err(|wrong| FormatError::Line { line: first + wrong.line, what: wrong.what })?;
    let named = |(k, volts): (usize, Vec<f32>)| {
        let name = name(from + k);
        let name = if name.is_empty() { format!("Channel {}", k + 1) } else { name };
        Channel { name, volts }
    };
    let channels = rows.columns.into_iter().enumerate().map(named).collect();
    let times = rows.times;
    let (start_s, step_s) = steps(&times, has_time, first, hints, unit(&name(0)))?;
    Ok(Trace { start_s, step_s, channels })
}

/// What follows so many lines.
fn rest(text: &str, lines: usize) -> &str {
    let ends = memchr::memchr_iter(b'\n', text.as_bytes());
    let from = lines.checked_sub(1).and_then(|k| ends.into_iter().nth(k)).map_or(0, |at| at + 1);
    &text[from..]
}

/// Start and step, from the times or from what was told.
fn steps(
    times: &[f64],
    has_time: bool,
    first: usize,
    hints: &Hints,
    said: Option<f64>,
) -> Result<(f64, f64), FormatError> {
    if !has_time {
        return match hints.step_s.filter(|s| s.is_finite() && *s > 0.0) {
            Some(step) => Ok((0.0, step)),
            None => Err(FormatError::NoTimes),
        };
    }
    let unit = hints.time_unit_s.or(said).unwrap_or(1.0);
    let n = times.len();
    if n < 2 {
        return Err(FormatError::Whole("one line of numbers is no trace".into()));
    }
    let step = (times[n - 1] - times[0]) / (n - 1) as f64;
    if step <= 0.0 || !step.is_finite() {
        return Err(FormatError::Line {
            line: first + n,
            what: "the times do not rise from the first to the last".into(),
        });
    }
    let off = |k: &usize| (times[*k] - (times[0] + step * *k as f64)).abs() > UNEVEN * step;
    match (0..n).find(off) {
        Some(k) => Err(FormatError::Line {
            line: first + k + 1,
            what: format!("the times are not evenly spaced: {} here", times[k]),
        }),
        None => Ok((times[0] * unit, step * unit)),
    }
}

/// Writes a trace with a time column in seconds and a line of names.
pub fn write(trace: &Trace) -> String {
    use std::fmt::Write;
    let mut out = String::from("Time (s)");
    for channel in &trace.channels {
        let plain: String =
            channel.name.chars().filter(|c| !matches!(c, ',' | '"' | '\n' | '\r')).collect();
        let _ = write!(out, ",{plain}");
    }
    out.push('\n');
    // A thousandth of a step tells the times apart; volts come back as they were.
    let digits = (3.0 - trace.step_s.log10()).ceil().clamp(3.0, 15.0) as usize;
    for k in 0..trace.len() {
        let _ = write!(out, "{:.digits$}", trace.time(k as f64));
        for channel in &trace.channels {
            let _ = write!(out, ",{}", channel.volts[k]);
        }
        out.push('\n');
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ok(text: &str) -> Trace {
        read(text, &Hints::default()).unwrap()
    }

    #[test]
    fn the_styles_of_many_instruments_are_read() {
        let plain = ok("Time (s),CAN H,CAN L\n0.0,2.5,2.4\n1e-6,2.6,2.3\n2e-6,2.5,2.4\n");
        assert!((plain.step_s - 1e-6).abs() < 1e-12);
        assert_eq!(
            plain.channels.iter().map(|c| c.name.as_str()).collect::<Vec<_>>(),
            ["CAN H", "CAN L"]
        );
        assert_eq!(plain.channels[1].volts, [2.4, 2.3, 2.4]);
        // Semicolons and decimal commas, names and units in lines of their own, an empty line.
        let german = ok(
            "Zeit;Kanal A;Kanal B\n(ms);(V);(V)\n\n0,000;2,50;2,41\n0,002;3,50;1,50\n0,004;3,50;1,50\n",
        );
        assert!((german.step_s - 2e-6).abs() < 1e-12, "{}", german.step_s);
        assert_eq!((german.channels.len(), german.channels[0].volts[1]), (2, 3.5));
        // Settings above, a separator at the end of each line, carriage returns.
        let set = ok(
            "Model,X\r\nSample Interval,4e-08\r\nTIME,CH1\r\n-1.0e-3,0.1,\r\n-0.99e-3,0.2,\r\n-0.98e-3,0.3,\r\n",
        );
        assert!((set.start_s + 1e-3).abs() < 1e-9 && (set.step_s - 1e-5).abs() < 1e-9, "{set:?}");
        assert_eq!(set.channels.len(), 1);
        // No heading and no time: the step is told.
        let bare =
            read("2.5\n2.6\n2.5\n", &Hints { step_s: Some(1e-7), ..Hints::default() }).unwrap();
        assert_eq!((bare.step_s, bare.len()), (1e-7, 3));
    }

    #[test]
    fn what_is_wrong_is_said_with_its_line() {
        let wrong = |text: &str| read(text, &Hints::default()).unwrap_err().to_string();
        assert!(wrong("Time (s),A\n0,1\n1e-6,x\n").starts_with("line 3: “x” is no number"));
        assert!(wrong("Time (s),A\n0,1\n1e-6,2,3\n").starts_with("line 3: 3 columns instead of 2"));
        assert!(wrong("Time (s),A\n0,1\n1e-6,1\n9e-6,1\n").contains("not evenly spaced"));
        assert!(wrong("A\n1\n2\n").contains("no time column"));
        assert!(wrong("hello\nworld\n").contains("no numbers"));
        assert!(wrong("").contains("no numbers"));
    }

    #[test]
    fn what_is_written_is_read_again() {
        let trace = ok("Time (s),CAN H\n0.001,2.5\n0.002,2.625\n0.003,-1\n");
        let again = ok(&write(&trace));
        assert_eq!(again.channels, trace.channels);
        assert!(
            (again.step_s - trace.step_s).abs() < 1e-12 && (again.start_s - 0.001).abs() < 1e-12
        );
    }
}
