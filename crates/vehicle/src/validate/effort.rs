//! Minutes of work and prices: what a check or a repair costs is reckoned with them.

use super::Findings;
use crate::{Minutes, Vehicle};

/// Most minutes that one step of work takes, and the highest price, in the shop's currency.
const MOST_MINUTES: f64 = 1e4;
const HIGHEST_PRICE: f64 = 1e7;

/// Adds what nobody could work by: amounts below zero, without end, or beyond all reason.
pub(super) fn check(v: &Vehicle, f: &mut Findings) {
    let of = |list: &'static str, id: &str, at: &Minutes| {
        let path = move |name: &str| format!("{list}[{id}].minutes.{name}");
        [(path("reach"), at.reach, MOST_MINUTES), (path("unplug"), at.unplug, MOST_MINUTES)]
    };
    let work = (v.parts.iter().flat_map(|x| of("parts", &x.id, &x.minutes)))
        .chain(v.connectors.iter().flat_map(|x| of("connectors", &x.id, &x.minutes)))
        .chain(v.splices.iter().flat_map(|x| of("splices", &x.id, &x.minutes)))
        .chain(v.grounds.iter().flat_map(|x| of("grounds", &x.id, &x.minutes)));
    let states =
        v.states.iter().map(|s| (format!("states[{}].minutes", s.id), s.minutes, MOST_MINUTES));
    let prices = v
        .parts
        .iter()
        .filter_map(|part| Some((format!("parts[{}].price", part.id), part.price?, HIGHEST_PRICE)));
    for (path, value, most) in work.chain(states).chain(prices) {
        if !(0.0..=most).contains(&value) {
            f.add(
                path,
                format!("{value:?} is not possible"),
                format!("give a number from 0 to {most}"),
            );
        }
    }
}
