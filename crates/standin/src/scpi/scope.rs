//! The scope's commands (SCPI-99: SENSe:SWEep, INITiate, TRACe, FORMat), with traces as blocks of definite
//! length (IEEE 488.2, 8.7.9).

use super::errors::{Error, Errors};
use super::message::{Unit, is, units};
use super::nr3;
use crate::scope::{SAMPLES, SECONDS, Sweep};
use bus::trace::Trace;

/// Who it is.
const IDENTITY: &str = "CHALKEUS,STAND-IN SCOPE,0,1";
/// The sweep it starts with.
const USUAL: Sweep = Sweep { seconds: 0.02, samples: 400_000 };

/// The scope, as one connection sees it.
#[derive(Debug)]
pub(super) struct Scope {
    sweep: Sweep,
    /// Numbers as text instead of four bytes each.
    ascii: bool,
    taken: Option<Trace>,
    pub(super) errors: Errors,
}

impl Default for Scope {
    fn default() -> Self {
        Self { sweep: USUAL, ascii: false, taken: None, errors: Errors::default() }
    }
}

/// What a message asks for that takes the vehicle.
#[derive(Debug, PartialEq)]
pub(super) enum Wish {
    /// An answer, or nothing.
    Said(Vec<u8>),
    /// A sweep is to be taken; the rest of the message follows it.
    Sweep(String),
}

type Done = Result<Option<Vec<u8>>, Error>;

impl Scope {
    /// The sweep that is set.
    pub(super) fn sweep(&self) -> Sweep {
        self.sweep
    }

    /// Takes in what was drawn; what could not be is an error.
    pub(super) fn take(&mut self, drawn: Result<Trace, String>) {
        match drawn {
            Ok(trace) => self.taken = Some(trace),
            Err(_) => self.errors.add(Error::IllegalValue),
        }
    }

    /// Does what a message says, up to a sweep.
    pub(super) fn hear(&mut self, message: &str) -> Wish {
        let mut answers: Vec<Vec<u8>> = Vec::new();
        let all: Vec<&str> = message.split(';').collect();
        for (k, text) in all.iter().enumerate() {
            for unit in units(text) {
                if !unit.query && is("INITiate[:IMMediate]", &unit.nodes) {
                    self.taken = None;
                    return Wish::Sweep(all[k + 1..].join(";"));
                }
                match self.act(&unit) {
                    Ok(answer) => answers.extend(answer),
                    Err(error) => self.errors.add(error),
                }
            }
        }
        Wish::Said(answers.join(&b';'))
    }

    fn act(&mut self, unit: &Unit) -> Done {
        let nodes = &unit.nodes;
        let text = |t: String| Ok(Some(t.into_bytes()));
        match (nodes[0].as_str(), unit.query) {
            ("*IDN", true) => return text(IDENTITY.into()),
            ("*OPC", true) => return text("1".into()),
            ("*TST", true) => return text("0".into()),
            ("*ESR", true) => return text(self.errors.events().to_string()),
            ("*WAI", false) => return Ok(None),
            ("*OPC", false) => {
                self.errors.complete();
                return Ok(None);
            }
            ("*CLS", false) => {
                self.errors.clear();
                return Ok(None);
            }
            ("*RST", false) => {
                let errors = std::mem::take(&mut self.errors);
                *self = Self { errors, ..Self::default() };
                return Ok(None);
            }
            _ => {}
        }
        match unit.query {
            true if is("SYSTem:ERRor[:NEXT]", nodes) => text(self.errors.next()),
            true if is("SYSTem:ERRor:COUNt", nodes) => text(self.errors.count().to_string()),
            true if is("SYSTem:VERSion", nodes) => text("1999.0".into()),
            true if is("[SENSe:]SWEep:TIME", nodes) => text(nr3(self.sweep.seconds)),
            true if is("[SENSe:]SWEep:POINts", nodes) => text(self.sweep.samples.to_string()),
            true if is("FORMat[:DATA]", nodes) => {
                text(if self.ascii { "ASC" } else { "REAL,32" }.into())
            }
            true if is("TRACe:CATalog", nodes) => {
                let count = self.taken.as_ref().map_or(0, |t| t.channels.len());
                text((1..=count).map(|k| format!("\"CH{k}\"")).collect::<Vec<_>>().join(","))
            }
            true if is("TRACe[:DATA]", nodes) => self.trace(unit),
            false if is("[SENSe:]SWEep:TIME", nodes) => {
                self.sweep.seconds = number(unit, 1e-6, SECONDS)?;
                Ok(None)
            }
            false if is("[SENSe:]SWEep:POINts", nodes) => {
                self.sweep.samples = number(unit, 10.0, SAMPLES as f64)? as usize;
                Ok(None)
            }
            false if is("FORMat[:DATA]", nodes) => {
                let word = unit.parameters.first().ok_or(Error::MissingParameter)?;
                self.ascii = match word.to_ascii_uppercase().as_str() {
                    "ASC" | "ASCII" => true,
                    "REAL" => false,
                    _ => return Err(Error::IllegalValue),
                };
                Ok(None)
            }
            false if is("ABORt", nodes) => {
                self.taken = None;
                Ok(None)
            }
            _ => Err(Error::UndefinedHeader),
        }
    }

    /// A trace by its name: `CH1`.
    fn trace(&self, unit: &Unit) -> Done {
        let [name] = &unit.parameters[..] else { return Err(Error::MissingParameter) };
        let name = name.trim_matches(['"', '\'']).to_ascii_uppercase();
        let number = name.strip_prefix("CH").and_then(|n| n.parse::<usize>().ok());
        let trace = self.taken.as_ref().ok_or(Error::Stale)?;
        let channel = number.and_then(|n| trace.channels.get(n.checked_sub(1)?));
        let volts = &channel.ok_or(Error::IllegalValue)?.volts;
        if self.ascii {
            let all: Vec<String> = volts.iter().map(|v| nr3(f64::from(*v))).collect();
            return Ok(Some(all.join(",").into_bytes()));
        }
        Ok(Some(block(volts)))
    }
}

/// Numbers as a block of definite length, most significant byte first (FORMat:BORDer NORMal).
fn block(volts: &[f32]) -> Vec<u8> {
    let length = (4 * volts.len()).to_string();
    let mut out = format!("#{}{length}", length.len()).into_bytes();
    out.extend(volts.iter().flat_map(|v| v.to_be_bytes()));
    out
}

fn number(unit: &Unit, least: f64, most: f64) -> Result<f64, Error> {
    let [one] = &unit.parameters[..] else {
        return Err(match unit.parameters.is_empty() {
            true => Error::MissingParameter,
            false => Error::ParameterNotAllowed,
        });
    };
    let value: f64 = match one.to_ascii_uppercase().as_str() {
        "MIN" | "MINIMUM" => least,
        "MAX" | "MAXIMUM" => most,
        text => text.trim_end_matches('S').parse().map_err(|_| Error::DataType)?,
    };
    if value >= least && value <= most { Ok(value) } else { Err(Error::OutOfRange) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use bus::trace::Channel;

    fn said(scope: &mut Scope, message: &str) -> String {
        match scope.hear(message) {
            Wish::Said(bytes) => String::from_utf8_lossy(&bytes).into_owned(),
            Wish::Sweep(rest) => format!("sweep, then {rest}"),
        }
    }

    #[test]
    fn it_speaks_as_a_bench_instrument() {
        let mut s = Scope::default();
        assert_eq!(said(&mut s, ":SENSe:SWEep:TIME 0.01;*OPC?"), "1");
        assert_eq!(said(&mut s, "swe:poin 200000;:SENS:SWE:POIN?;TIME?"), "200000");
        assert_eq!(said(&mut s, "SWE:TIME?"), "+1.00000E-02");
        assert_eq!(said(&mut s, "SYST:ERR?"), "-113,\"Undefined header\"");
        assert_eq!(said(&mut s, "TRAC? CH1;SYST:ERR?"), "-230,\"Data corrupt or stale\"");
        assert_eq!(said(&mut s, "SWE:TIME 100;SYST:ERR?"), "-222,\"Data out of range\"");
        assert_eq!(said(&mut s, "INIT;*OPC?"), "sweep, then *OPC?");
        let channels = vec![Channel { name: "H".into(), volts: vec![1.0, -2.5] }];
        s.take(Ok(Trace { start_s: 0.0, step_s: 1e-6, channels }));
        // Eight bytes, so one digit of length: 1.0 is 3F800000, -2.5 is C0200000 (IEEE 754).
        let Wish::Said(bytes) = s.hear("TRACe:DATA? CH1") else { panic!() };
        assert_eq!(bytes, b"#18\x3f\x80\0\0\xc0\x20\0\0");
        assert_eq!(said(&mut s, "FORM ASC;TRAC? \"CH1\""), "+1.00000E+00,-2.50000E+00");
        assert_eq!(said(&mut s, "TRAC? CH2;SYST:ERR?"), "-224,\"Illegal parameter value\"");
    }
}
