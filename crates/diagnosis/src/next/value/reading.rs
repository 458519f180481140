//! What a meter could show.

use super::table::{Table, Words, phi};
use super::{Alike, MOST_BINS, SLIP, Scales, unforeseen};
use crate::evidence::reading::{self, Hanging, LEAST_OHMS, Unsure, sigma, tool_shows};
use crate::evidence::recorded;
use crate::model::{HypIx, Snapshot, shown};
use crate::next::candidates::Candidate;
use crate::posterior::{Explains, Live};
use circuit::meter::Leads;
use circuit::{Change, Instrument, Probe};

/// Edges between values that can be told apart.
pub(super) fn edges(mut values: Vec<(f64, f64)>) -> Vec<f64> {
    values.retain(|v| v.0.is_finite());
    values.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut edges = Vec::new();
    let Some(mut start) = values.first().map(|v| v.0) else { return edges };
    for pair in values.windows(2) {
        let ((low, s_low), (high, s_high)) = (pair[0], pair[1]);
        let width = s_low.max(s_high);
        // A gap, or a spread wider than the instrument's blur.
        if high - low > 2.0 * width || high - start > 4.0 * width {
            edges.push(0.5 * (low + high));
            start = high;
        }
    }
    while edges.len() >= MOST_BINS {
        edges = edges.into_iter().step_by(2).collect();
    }
    edges
}

/// The scale on which values are told apart: of resistances, which range over decades, their logarithm.
#[derive(Debug, Clone, Copy)]
struct Scale {
    log: bool,
}

impl Scale {
    fn of(instrument: Instrument) -> Self {
        Self { log: instrument == Instrument::Ohms }
    }

    /// A value with its standard deviation.
    fn put(self, (value, sigma): (f64, f64)) -> (f64, f64) {
        match self.log && value.is_finite() {
            true => {
                let value = value.max(LEAST_OHMS);
                (value.ln(), sigma / value)
            }
            false => (value, sigma),
        }
    }

    /// The value that stands at a place of the scale.
    fn back(self, at: f64) -> f64 {
        if self.log { at.exp() } else { at }
    }
}

impl Scales<'_> {
    /// What a tool that loads the circuit shows on a sound vehicle and under each explanation.
    fn tool_reads(&self, c: &Candidate, probe: &Probe, leads: Leads) -> (f64, Vec<Option<f64>>) {
        let model = self.model;
        let tool = model.tool(&c.state, probe);
        let healthy = tool.sound(|| reading::read(model, &c.state, &[], leads));
        let (known, mut learnt) = (tool.known(), Vec::new());
        let p = model.predict(&c.state);
        let mut shows = None;
        let mut solve = |l: &Live| {
            let shows = shows.get_or_insert_with(|| tool_shows(&model.circuit, &p, leads));
            shows(&self.changes(l))
        };
        let value = |l: &Live| match l.what {
            Explains::Fault(h) => Some(known.get(&h).copied().unwrap_or_else(|| {
                let value = solve(l);
                learnt.push((h, value));
                value
            })),
            Explains::Pair(_) => Some(solve(l)),
            Explains::Elsewhere => None,
        };
        let values = self.live.iter().map(value).collect();
        model.tool_learns(&c.state, probe, &tool, learnt);
        (healthy, values)
    }

    /// Puts the voltmeter's own load on, under the explanations that it matters to.
    fn load(&self, c: &Candidate, leads: Leads, values: &mut [Option<f64>]) {
        let (Leads::Between(_, a, b), model) = (leads, self.model) else { return };
        let p = model.predict(&c.state);
        let hanging = Hanging::of(model, &c.state, &p, leads, (a, b));
        let matters = |l: &Live, volts: f64| match l.what {
            Explains::Fault(h) => hanging.matters(h, volts),
            Explains::Pair(_) => true,
            Explains::Elsewhere => false,
        };
        let those: Vec<usize> = (0..values.len())
            .filter(|k| values[*k].is_some_and(|volts| matters(&self.live[*k], volts)))
            .collect();
        let sets: Vec<Vec<Change>> = those.iter().map(|k| self.changes(&self.live[*k])).collect();
        let read = reading::reads(model, &c.state, sets.iter().map(Vec::as_slice), leads);
        for (k, volts) in those.into_iter().zip(read) {
            values[k] = Some(volts);
        }
    }

    /// What a reading could show under each explanation.
    fn ranges(&self, c: &Candidate, probe: &Probe) -> Option<Ranges> {
        let model = self.model;
        let leads = probe.leads(&model.circuit).ok()?;
        let p = model.predict(&c.state);
        let quick = |s: &Snapshot| shown(leads, &model.circuit, s);
        let loads = matches!(leads, Leads::Between(i, ..) if i != Instrument::Volts);
        let (healthy, values) = match loads {
            true => self.tool_reads(c, probe, leads),
            false => {
                let of = |l: &Live| Some(quick(&*self.snapshot(&p, c, l, false)?));
                let mut values: Vec<Option<f64>> = self.live.iter().map(of).collect();
                if self.loaded {
                    self.load(c, leads, &mut values);
                }
                (quick(&p.healthy), values)
            }
        };
        let least = 2.0 * probe.instrument.sigma(if healthy.is_finite() { healthy } else { 0.0 });
        let differs = |v: &f64| v.is_finite() != healthy.is_finite() || (v - healthy).abs() > least;
        if !values.iter().flatten().any(differs) {
            return None;
        }
        let tolerance = match loads {
            true => 0.05 * if healthy.is_finite() { healthy } else { 0.0 },
            false => model.rough_scatter(&p, &c.state, quick),
        };
        let blur =
            |value: f64, unsure: Unsure| sigma(probe.instrument, value, healthy, tolerance, unsure);
        let solved =
            |h: HypIx| (!loads && self.used.contains(&h)).then(|| p.fault(h).map(quick))?;
        // With a tool's load the ends of a grid are not at hand.
        let at_hand = |h: HypIx| match loads {
            true => f64::INFINITY,
            false => solved(h).unwrap_or(healthy),
        };
        // Most hypotheses leave most readings alone: theirs is the sound one.
        let sound_sigma = blur(healthy, Unsure::alone(0.0));
        let moves = |v: f64| !((v - healthy).abs() < 0.02 * sound_sigma || v == healthy);
        let both: Vec<Option<(f64, f64)>> = self
            .live
            .iter()
            .zip(&values)
            .map(|(l, v)| {
                v.map(|v| match moves(v) {
                    true => match self.numbered(l, v, solved) {
                        Some((v, share)) => (v, blur(v, Unsure::alone(share))),
                        None => (v, blur(v, self.unsure(l, healthy, at_hand))),
                    },
                    false => (healthy, sound_sigma),
                })
            })
            .collect();
        let moved = both.iter().flatten().filter(|x| moves(x.0)).copied();
        let scale = Scale::of(probe.instrument);
        let all = moved.chain([(healthy, sound_sigma)]).map(|x| scale.put(x));
        let edges = edges(all.collect());
        let over = values.iter().flatten().any(|v| !v.is_finite()) || !healthy.is_finite();
        let n = edges.len() + 1;
        if n + usize::from(over) < 2 {
            return None;
        }
        let mut ranges = Ranges {
            instrument: probe.instrument,
            scale,
            edges,
            over,
            sound: Vec::new(),
            of: Vec::new(),
        };
        ranges.sound = ranges.row((healthy, sound_sigma));
        let of = |x: Option<(f64, f64)>| match x {
            None => Shows::Anything,
            Some(x) if !moves(x.0) => Shows::AsSound,
            Some(x) => Shows::Own(x),
        };
        ranges.of = both.into_iter().map(of).collect();
        Some(ranges)
    }

    pub(super) fn reading(&self, c: &Candidate, probe: &Probe) -> Option<Table> {
        let ranges = self.ranges(c, probe)?;
        let mut of = ranges.of.iter();
        Some(self.rows(ranges.words(), &ranges.sound, SLIP, |_, into| match of.next() {
            None | Some(Shows::Anything) => false,
            Some(Shows::AsSound) => {
                into.extend(&ranges.sound);
                true
            }
            Some(Shows::Own(x)) => {
                ranges.put(*x, into);
                true
            }
        }))
    }

    /// What a meter left on would hold: it stays in a range, or goes from the sound one to another.
    pub(super) fn recorded(&self, c: &Candidate, probe: &Probe) -> Option<Table> {
        let ranges = self.ranges(c, probe)?;
        let words = Words::Held(Box::new(ranges.words()));
        let n = ranges.sound.len();
        let slip = SLIP / (2 * n) as f64;
        let mut chances = Vec::with_capacity(2 * n * self.live.len());
        let mut row = Vec::with_capacity(n);
        let mut alike = Alike::of(self.posterior, &ranges.sound, unforeseen(&ranges.sound));
        for (l, shows) in self.live.iter().zip(&ranges.of) {
            row.clear();
            let mut wavering = match l.what {
                Explains::Fault(h) => self.posterior.share_wavering(h),
                _ => 0.0,
            };
            match shows {
                Shows::Own(x) => ranges.put(*x, &mut row),
                Shows::AsSound => row.extend(&ranges.sound),
                Shows::Anything => {
                    row.extend(alike.row());
                    wavering = 0.5;
                }
            }
            alike.take_in(l, &row);
            let goes = wavering * recorded::CAUGHT;
            let stays = |(there, sound): (&f64, &f64)| {
                (1.0 - wavering) * there + (wavering - goes) * sound + goes * there * sound
            };
            let went = |(there, sound): (&f64, &f64)| goes * there * (1.0 - sound);
            let pairs = || row.iter().zip(&ranges.sound);
            let own = pairs().map(stays).chain(pairs().map(went));
            chances.extend(own.map(|x| (1.0 - SLIP) * x + slip));
        }
        Some(Table { chances, words })
    }
}

/// What an explanation makes a reading show.
#[derive(Debug, Clone, Copy)]
enum Shows {
    /// It predicts nothing.
    Anything,
    /// What a sound vehicle shows.
    AsSound,
    /// A value with its standard deviation.
    Own((f64, f64)),
}

/// Ranges of a reading that can be told apart, and what falls into them.
struct Ranges {
    instrument: Instrument,
    scale: Scale,
    /// On the scale.
    edges: Vec<f64>,
    /// Whether over limit is another one.
    over: bool,
    /// Chance of each on a sound vehicle.
    sound: Vec<f64>,
    /// What each explanation shows.
    of: Vec<Shows>,
}

impl Ranges {
    fn words(&self) -> Words {
        let edges = self.edges.iter().map(|e| self.scale.back(*e)).collect();
        Words::Ranges { instrument: self.instrument, edges, over: self.over }
    }

    /// Adds the chance of each range for a value with its standard deviation.
    fn put(&self, x: (f64, f64), into: &mut Vec<f64>) {
        let (value, sigma) = self.scale.put(x);
        if !value.is_finite() {
            into.extend(std::iter::repeat_n(0.0, self.edges.len() + 1));
            into.push(1.0);
            return;
        }
        let mut below = 0.0;
        for edge in self.edges.iter().map(Some).chain([None]) {
            let up_to = edge.map_or(1.0, |e| phi((e - value) / sigma));
            into.push(up_to - below);
            below = up_to;
        }
        if self.over {
            into.push(0.0);
        }
    }

    fn row(&self, x: (f64, f64)) -> Vec<f64> {
        let mut row = Vec::new();
        self.put(x, &mut row);
        row
    }
}
