//! Voltages over time, as an oscilloscope writes them.

/// One line of a trace.
#[derive(Debug, Clone, PartialEq)]
pub struct Channel {
    /// What it is called in the file.
    pub name: String,
    /// Volts, one after the other.
    pub volts: Vec<f32>,
}

/// Channels sampled together at a steady rate.
#[derive(Debug, Clone, PartialEq)]
pub struct Trace {
    /// Time of the first sample, seconds.
    pub start_s: f64,
    /// Time between two samples, seconds; above zero.
    pub step_s: f64,
    /// The lines, all of one length.
    pub channels: Vec<Channel>,
}

impl Trace {
    /// Samples of each channel.
    pub fn len(&self) -> usize {
        self.channels.iter().map(|c| c.volts.len()).min().unwrap_or(0)
    }

    /// Whether there is nothing in it.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Time of a sample, seconds.
    pub fn time(&self, sample: f64) -> f64 {
        self.start_s + sample * self.step_s
    }

    /// How long it is, seconds.
    pub fn seconds(&self) -> f64 {
        self.len() as f64 * self.step_s
    }
}
