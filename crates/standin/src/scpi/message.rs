//! Program messages as IEEE 488.2 writes them and SCPI-99 orders them: units between semicolons, headers in
//! a long and a short form, the path that a header begins from, parameters between commas.

/// One command or query of a message.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Unit {
    /// Nodes of its header in capitals, without colons; a common command is one that begins with `*`.
    pub(super) nodes: Vec<String>,
    /// It begins at the root: with a colon.
    pub(super) rooted: bool,
    /// It asks.
    pub(super) query: bool,
    /// Parameters as they stand, quotes and all.
    pub(super) parameters: Vec<String>,
}

/// Divides where a character stands outside of quotes.
fn split(text: &str, at: char) -> Vec<&str> {
    let (mut parts, mut from, mut quote) = (Vec::new(), 0, None);
    for (k, c) in text.char_indices() {
        match (c, quote) {
            ('"' | '\'', None) => quote = Some(c),
            (c, Some(q)) if c == q => quote = None,
            (c, None) if c == at => {
                parts.push(&text[from..k]);
                from = k + c.len_utf8();
            }
            _ => {}
        }
    }
    parts.push(&text[from..]);
    parts
}

/// The units of a message; empty ones are left out, as the standard allows.
pub(super) fn units(message: &str) -> Vec<Unit> {
    let units = split(message, ';').into_iter().map(str::trim).filter(|u| !u.is_empty());
    units.map(unit).collect()
}

fn unit(text: &str) -> Unit {
    let (header, rest) = text.split_once(char::is_whitespace).unwrap_or((text, ""));
    let (header, query) = match header.strip_suffix('?') {
        Some(header) => (header, true),
        None => (header, false),
    };
    let rooted = header.starts_with(':');
    let header = header.trim_start_matches(':').to_ascii_uppercase();
    let rest = rest.trim();
    let parameters = match rest.is_empty() {
        true => Vec::new(),
        false => split(rest, ',').into_iter().map(|p| p.trim().to_owned()).collect(),
    };
    Unit { nodes: header.split(':').map(str::to_owned).collect(), rooted, query, parameters }
}

/// Whether nodes are those of a pattern, each in its long or its short form: `SYSTem:ERRor[:NEXT]`. Capitals
/// are the short form; what stands in brackets may be left out.
pub(super) fn is(pattern: &str, nodes: &[String]) -> bool {
    let mut wanted: Vec<(&str, bool)> = Vec::new();
    for part in pattern.split(':') {
        let optional = part.starts_with('[') || part.ends_with(']');
        // A bracket around a first node closes after its colon: `[SENSe:]VOLTage`.
        let name = part.trim_matches(['[', ']']);
        if !name.is_empty() {
            wanted.push((name, optional && is_optional(pattern, name)));
        }
    }
    fits(&wanted, nodes)
}

/// Whether a node stands inside of brackets.
fn is_optional(pattern: &str, name: &str) -> bool {
    let Some(at) = pattern.find(name) else { return false };
    let before = &pattern[..at];
    before.matches('[').count() > before.matches(']').count()
}

fn fits(wanted: &[(&str, bool)], nodes: &[String]) -> bool {
    match (wanted.split_first(), nodes.split_first()) {
        (None, None) => true,
        (None, Some(_)) => false,
        (Some(((_, optional), more)), None) => *optional && fits(more, nodes),
        (Some(((name, optional), more)), Some((node, rest))) => {
            (alike(name, node) && fits(more, rest)) || (*optional && fits(more, nodes))
        }
    }
}

fn alike(name: &str, node: &str) -> bool {
    let short: String = name.chars().filter(|c| !c.is_ascii_lowercase()).collect();
    node == short || node.eq_ignore_ascii_case(name)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn nodes(header: &str) -> Vec<String> {
        unit(header).nodes
    }

    #[test]
    fn headers_have_a_long_and_a_short_form_and_nothing_between() {
        let error = "SYSTem:ERRor[:NEXT]";
        for header in ["SYST:ERR", "system:error", "SYSTem:ERR:next", ":SYST:ERROR:NEXT"] {
            assert!(is(error, &nodes(header)), "{header}");
        }
        for header in ["SYSTE:ERR", "SYST", "SYST:ERR:NEX", "ERR", "SYST:ERR:NEXT:ALL", ""] {
            assert!(!is(error, &nodes(header)), "{header}");
        }
        let sense = "[SENSe:]VOLTage[:DC]:RANGe";
        for header in ["VOLT:RANG", "SENS:VOLT:DC:RANG", "sense:voltage:range"] {
            assert!(is(sense, &nodes(header)), "{header}");
        }
        assert!(!is(sense, &nodes("SENS:RANG")));
    }

    #[test]
    fn a_message_has_units_with_parameters() {
        let all = units(":CONF:VOLT 10, MAX ; *OPC? ;; FUNC \"VOLT:DC;x,y\";READ?");
        assert_eq!(all.len(), 4);
        assert_eq!(
            (all[0].rooted, &all[0].parameters[..]),
            (true, &["10".to_owned(), "MAX".into()][..])
        );
        assert!(all[1].query && all[1].nodes == ["*OPC"]);
        assert_eq!(all[2].parameters, ["\"VOLT:DC;x,y\""]);
        assert!(all[3].query && !all[3].rooted);
    }

    proptest! {
        #[test]
        fn no_message_panics(text in "\\PC{0,80}") {
            for unit in units(&text) {
                let _ = is("[SENSe:]VOLTage[:DC]:RANGe[:UPPer]", &unit.nodes);
            }
        }
    }
}
