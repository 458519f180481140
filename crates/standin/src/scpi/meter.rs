//! The multimeter's commands (SCPI-99, instrument class of digital meters).

use super::errors::{Error, Errors};
use super::message::{Unit, is, units};
use super::nr3;
use circuit::{Instrument, Shown};

/// Who it is.
const IDENTITY: &str = "CHALKEUS,STAND-IN METER,0,1";
/// The edition of SCPI it follows.
const VERSION: &str = "1999.0";
/// Readings that are kept for one `READ?` at most.
const SAMPLES: usize = 1000;

/// What it can measure.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Function {
    Volts,
    Ohms,
    Amps,
}

impl Function {
    const ALL: [Self; 3] = [Self::Volts, Self::Ohms, Self::Amps];

    /// Its nodes under CONFigure, MEASure and SENSe; volts may be left out where nothing else is said.
    fn pattern(self) -> &'static str {
        match self {
            Self::Volts => "VOLTage[:DC]",
            Self::Ohms => "RESistance",
            Self::Amps => "CURRent[:DC]",
        }
    }

    /// As it is answered.
    fn name(self) -> &'static str {
        match self {
            Self::Volts => "VOLT",
            Self::Ohms => "RES",
            Self::Amps => "CURR",
        }
    }

    fn instrument(self) -> Instrument {
        match self {
            Self::Volts => Instrument::Volts,
            Self::Ohms => Instrument::Ohms,
            Self::Amps => Instrument::Amps,
        }
    }

    /// Least and largest range, and its letters.
    fn ranges(self) -> (f64, f64, &'static str) {
        match self {
            Self::Volts => (0.1, 1000.0, "V"),
            Self::Ohms => (100.0, 1e8, "OHM"),
            Self::Amps => (1e-3, 1000.0, "A"),
        }
    }
}

/// The meter, as one connection sees it.
#[derive(Debug)]
pub(super) struct Meter {
    function: Function,
    /// The range it was told to take; none: it finds its own.
    range: Option<f64>,
    samples: usize,
    /// Readings that were taken and not fetched.
    taken: Vec<String>,
    enabled: [u8; 2],
    pub(super) errors: Errors,
}

impl Default for Meter {
    fn default() -> Self {
        Self {
            function: Function::Volts,
            range: None,
            samples: 1,
            taken: Vec::new(),
            enabled: [0; 2],
            errors: Errors::default(),
        }
    }
}

/// An answer, or nothing where nothing was asked.
type Done = Result<Option<String>, Error>;

impl Meter {
    /// Does what a message says; the answers of its queries between semicolons.
    pub(super) fn hear(
        &mut self,
        message: &str,
        read: &mut dyn FnMut(Instrument) -> Shown,
    ) -> Option<String> {
        let mut answers = Vec::new();
        let mut path: Vec<String> = Vec::new();
        for unit in units(message) {
            let common = unit.nodes[0].starts_with('*');
            let full: Vec<String> = match unit.rooted || common {
                true => unit.nodes.clone(),
                false => path.iter().chain(&unit.nodes).cloned().collect(),
            };
            let mut done = self.act(&full, &unit, read);
            // Instruments take a header from the root as well.
            if done == Err(Error::UndefinedHeader) && full.len() > unit.nodes.len() {
                done = self.act(&unit.nodes, &unit, read);
                path.clear();
            } else if !common {
                path = full[..full.len() - 1].to_vec();
            }
            match done {
                Ok(answer) => answers.extend(answer),
                Err(error) => self.errors.add(error),
            }
        }
        (!answers.is_empty()).then(|| answers.join(";"))
    }

    fn act(
        &mut self,
        nodes: &[String],
        unit: &Unit,
        read: &mut dyn FnMut(Instrument) -> Shown,
    ) -> Done {
        if nodes[0].starts_with('*') {
            return self.common(&nodes[0], unit);
        }
        let given = &unit.parameters;
        let plain = |answer: Option<String>| match given.is_empty() {
            true => Ok(answer),
            false => Err(Error::ParameterNotAllowed),
        };
        match unit.query {
            true if is("SYSTem:ERRor[:NEXT]", nodes) => plain(Some(self.errors.next())),
            true if is("SYSTem:ERRor:COUNt", nodes) => plain(Some(self.errors.count().to_string())),
            true if is("SYSTem:VERSion", nodes) => plain(Some(VERSION.into())),
            true if is("READ", nodes) => {
                self.take(read);
                plain(self.fetch().ok())
            }
            true if is("FETCh", nodes) => self.fetch().and_then(|t| plain(Some(t))),
            true if is("CONFigure", nodes) => {
                let range = self.range.map_or("AUTO".to_owned(), nr3);
                plain(Some(format!("\"{} {range}\"", self.function.name())))
            }
            false if is("INITiate[:IMMediate]", nodes) => {
                self.take(read);
                plain(None)
            }
            false if is("ABORt", nodes) => {
                self.taken.clear();
                plain(None)
            }
            _ if is("SAMPle:COUNt", nodes) => self.count(unit),
            _ if is("[SENSe:]FUNCtion[:ON]", nodes) => self.choose(unit),
            _ => self.of_function(nodes, unit, read),
        }
    }

    fn common(&mut self, name: &str, unit: &Unit) -> Done {
        let number = || match &unit.parameters[..] {
            [one] => one.parse::<u8>().map_err(|_| Error::DataType),
            [] => Err(Error::MissingParameter),
            _ => Err(Error::ParameterNotAllowed),
        };
        if unit.query && !unit.parameters.is_empty() {
            return Err(Error::ParameterNotAllowed);
        }
        match (name, unit.query) {
            ("*IDN", true) => Ok(Some(IDENTITY.into())),
            // Everything is done at once.
            ("*OPC", true) | ("*TST", true) => {
                Ok(Some(if name == "*OPC" { "1" } else { "0" }.into()))
            }
            ("*OPC", false) => {
                self.errors.complete();
                Ok(None)
            }
            ("*WAI", false) => Ok(None),
            ("*CLS", false) => {
                self.errors.clear();
                Ok(None)
            }
            ("*RST", false) => {
                let (errors, enabled) = (std::mem::take(&mut self.errors), self.enabled);
                *self = Self { errors, enabled, ..Self::default() };
                Ok(None)
            }
            ("*ESR", true) => Ok(Some(self.errors.events().to_string())),
            ("*STB", true) => Ok(Some(if self.errors.count() > 0 { "4" } else { "0" }.into())),
            ("*ESE" | "*SRE", query) => {
                let which = usize::from(name == "*SRE");
                if query {
                    return Ok(Some(self.enabled[which].to_string()));
                }
                self.enabled[which] = number()?;
                Ok(None)
            }
            _ => Err(Error::UndefinedHeader),
        }
    }

    /// CONFigure, MEASure and SENSe with one of the functions.
    fn of_function(
        &mut self,
        nodes: &[String],
        unit: &Unit,
        read: &mut dyn FnMut(Instrument) -> Shown,
    ) -> Done {
        for function in Function::ALL {
            let under = |head: &str| is(&format!("{head}:{}", function.pattern()), nodes);
            let bare = |head: &str| function == Function::Volts && is(head, nodes);
            if unit.query && (under("MEASure") || bare("MEASure")) {
                self.configure(function, &unit.parameters)?;
                self.take(read);
                return self.fetch().map(Some);
            }
            if !unit.query && (under("CONFigure") || bare("CONFigure")) {
                self.configure(function, &unit.parameters)?;
                return Ok(None);
            }
            let sensed = |tail: &str| is(&format!("[SENSe:]{}{tail}", function.pattern()), nodes);
            if sensed(":RANGe[:UPPer]") {
                if unit.query {
                    let range = self.range.filter(|_| self.function == function);
                    return Ok(Some(nr3(range.unwrap_or(function.ranges().1))));
                }
                let [one] = &unit.parameters[..] else { return Err(counted(unit)) };
                let range = range(function, one)?;
                if self.function == function {
                    self.range = range;
                }
                return Ok(None);
            }
            if sensed(":RANGe:AUTO") {
                if unit.query {
                    return Ok(Some(if self.range.is_none() { "1" } else { "0" }.into()));
                }
                let [one] = &unit.parameters[..] else { return Err(counted(unit)) };
                match one.to_ascii_uppercase().as_str() {
                    "ON" | "1" => self.range = None,
                    "OFF" | "0" => self.range = self.range.or(Some(function.ranges().1)),
                    _ => return Err(Error::IllegalValue),
                }
                return Ok(None);
            }
        }
        Err(Error::UndefinedHeader)
    }

    /// Takes a function with its range; the resolution that may follow is what it is.
    fn configure(&mut self, function: Function, given: &[String]) -> Result<(), Error> {
        let range = match given {
            [] => None,
            [one] | [one, _] => range(function, one)?,
            _ => return Err(Error::ParameterNotAllowed),
        };
        (self.function, self.range, self.samples) = (function, range, 1);
        self.taken.clear();
        Ok(())
    }

    fn choose(&mut self, unit: &Unit) -> Done {
        if unit.query {
            return Ok(Some(format!("\"{}\"", self.function.name())));
        }
        let [one] = &unit.parameters[..] else { return Err(counted(unit)) };
        let name = one.trim_matches(['"', '\'']).to_ascii_uppercase();
        let nodes: Vec<String> = name.split(':').map(str::to_owned).collect();
        let found = Function::ALL.into_iter().find(|f| is(f.pattern(), &nodes));
        self.configure(found.ok_or(Error::IllegalValue)?, &[])?;
        Ok(None)
    }

    fn count(&mut self, unit: &Unit) -> Done {
        if unit.query {
            return Ok(Some(self.samples.to_string()));
        }
        let [one] = &unit.parameters[..] else { return Err(counted(unit)) };
        let count: f64 = one.parse().map_err(|_| Error::DataType)?;
        match count >= 1.0 && count <= SAMPLES as f64 {
            true => self.samples = count as usize,
            false => return Err(Error::OutOfRange),
        }
        Ok(None)
    }

    fn take(&mut self, read: &mut dyn FnMut(Instrument) -> Shown) {
        let over = |v: f64| self.range.is_some_and(|r| v.abs() > 1.2 * r);
        let one = |shown: Shown| match shown {
            Shown::Value(v) if over(v) => nr3(OVER),
            Shown::Value(v) => nr3(v),
            Shown::OverLimit => nr3(OVER),
        };
        let instrument = self.function.instrument();
        self.taken = (0..self.samples).map(|_| one(read(instrument))).collect();
    }

    fn fetch(&self) -> Result<String, Error> {
        match self.taken.is_empty() {
            true => Err(Error::Stale),
            false => Ok(self.taken.join(",")),
        }
    }
}

/// What stands for infinity (SCPI-99 7.2.1).
const OVER: f64 = 9.9e37;

/// What is wrong with the number of parameters where one is wanted.
fn counted(unit: &Unit) -> Error {
    if unit.parameters.is_empty() { Error::MissingParameter } else { Error::ParameterNotAllowed }
}

/// A range: a number with or without its unit, or a word; none: its own choice.
fn range(function: Function, text: &str) -> Result<Option<f64>, Error> {
    let (least, most, letters) = function.ranges();
    let upper = text.to_ascii_uppercase();
    match upper.as_str() {
        "AUTO" | "DEF" | "DEFAULT" => return Ok(None),
        "MIN" | "MINIMUM" => return Ok(Some(least)),
        "MAX" | "MAXIMUM" => return Ok(Some(most)),
        _ => {}
    }
    let end = upper.find(|c: char| c.is_ascii_alphabetic() && c != 'E').unwrap_or(upper.len());
    let number: f64 = upper[..end].trim().parse().map_err(|_| Error::DataType)?;
    let unit = upper[end..].trim();
    // M is milli, except before OHM, where it is mega (IEEE 488.2 7.7.3).
    let factor = match unit.strip_suffix(letters).unwrap_or(unit) {
        "" => 1.0,
        "U" => 1e-6,
        "M" if letters == "OHM" => 1e6,
        "M" => 1e-3,
        "K" => 1e3,
        "MA" => 1e6,
        _ => return Err(Error::DataType),
    };
    let value = number * factor;
    if (0.0..=1.2 * most).contains(&value) {
        Ok(Some(value.max(least)))
    } else {
        Err(Error::OutOfRange)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn told(meter: &mut Meter, message: &str) -> String {
        let mut read = |i: Instrument| match i {
            Instrument::Volts => Shown::Value(12.5),
            Instrument::Amps => Shown::Value(0.25),
            _ => Shown::OverLimit,
        };
        meter.hear(message, &mut read).unwrap_or_default()
    }

    #[test]
    fn the_commands_of_bench_meters_are_understood() {
        let mut m = Meter::default();
        for (message, answer) in [
            ("*IDN?", IDENTITY),
            ("*RST", ""),
            ("*CLS;*OPC?", "1"),
            ("MEASure:VOLTage:DC?", "+1.25000E+01"),
            (":meas:volt?", "+1.25000E+01"),
            ("MEAS?", "+1.25000E+01"),
            ("MEAS:CURR:DC? AUTO", "+2.50000E-01"),
            ("MEAS:RES?", "+9.90000E+37"),
            ("CONF:VOLT:DC 10 V,0.001", ""),
            // 12.5 V are beyond 1.2 times a range of 10 V.
            ("READ?", "+9.90000E+37"),
            ("CONF?", "\"VOLT +1.00000E+01\""),
            ("CONF:VOLT;:READ?;FETC?", "+1.25000E+01;+1.25000E+01"),
            ("SENS:FUNC \"CURR\";FUNC?", "\"CURR\""),
            ("INIT;FETCH?", "+2.50000E-01"),
            ("SAMP:COUN 3;COUN?", "3"),
            ("READ?", "+2.50000E-01,+2.50000E-01,+2.50000E-01"),
            ("CURR:RANG 200 MA;RANG?", "+2.00000E-01"),
            ("SENSE:CURRENT:DC:RANGE:AUTO ON;AUTO?", "1"),
            ("CONF:RES 2.2 KOHM;:RES:RANG?", "+2.20000E+03"),
            ("CONF:RES 1 MOHM;:RES:RANG?", "+1.00000E+06"),
            ("SYST:VERS?", "1999.0"),
            ("SYSTem:ERRor:NEXT?", "0,\"No error\""),
            ("*ESE 60;*ESE?", "60"),
            ("*STB?", "0"),
        ] {
            assert_eq!(told(&mut m, message), answer, "{message}");
        }
    }

    #[test]
    fn what_is_wrong_is_kept_by_its_number() {
        let mut m = Meter::default();
        for (message, number) in [
            ("FROB", -113),
            ("MEAS:TEMP?", -113),
            ("MEAS:VOLT", -113),
            ("*IDN", -113),
            ("CONF:VOLT 10,1,2", -108),
            ("SYST:ERR:COUN? 1", -108),
            ("SAMP:COUN", -109),
            ("SAMP:COUN many", -104),
            ("SAMP:COUN 0", -222),
            ("CONF:VOLT twelve", -104),
            ("CONF:VOLT 1e9", -222),
            ("CONF:VOLT 10 OHM", -104),
            ("FUNC \"TEMP\"", -224),
            ("ABOR;FETC?", -230),
            ("*ESE", -109),
            ("*ESE x", -104),
        ] {
            assert_eq!(told(&mut m, message), "", "{message}");
            let said = told(&mut m, "SYST:ERR?");
            assert!(said.starts_with(&format!("{number},")), "{message}: {said}");
        }
        assert_eq!(told(&mut m, "SYST:ERR:COUN?"), "0");
        // One wrong unit does not spoil the others; the register says which kinds there were.
        told(&mut m, "*CLS");
        assert_eq!(told(&mut m, "FROB;SAMP:COUN 0;:MEAS:VOLT?"), "+1.25000E+01");
        assert_eq!(told(&mut m, "*STB?;*ESR?;*ESR?;:SYST:ERR:COUN?"), "4;48;0;2");
    }

    proptest! {
        #[test]
        fn any_line_is_heard(text in "\\PC{0,60}") {
            let mut m = Meter::default();
            told(&mut m, &text);
            told(&mut m, &format!("CONF:VOLT {text}"));
            told(&mut m, &format!("SAMP:COUN {text}"));
            prop_assert!(m.samples <= SAMPLES);
        }
    }
}
