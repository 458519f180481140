//! What touches the vehicle: link, meter, hands.

use super::at::{Answer, App, Keeping, Kept, at, away, begin, is_open, keep, keep_evidence};
use super::extract::{Json, Key, Path};
use super::problem::Problem;
use crate::bench::BenchError;
use crate::presence;
use crate::shop::Shop;
use crate::view::{self, SupplyRow};
use axum::extract::State;
use axum::http::StatusCode;
use circuit::Instrument;
use diagnosis::Evidence;
use diagnosis::coincidence::BELONG;
use diagnosis::evidence::Finding;
use diagnosis::ledger::Entry;
use link::services::input_output_control::Level;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use std::time::Duration;
use utoipa::ToSchema;
use vehicle::{Amount, OperatingState, OutputId, PartId};

/// The vehicle now.
#[derive(Debug, Serialize, ToSchema)]
pub struct Live {
    /// Modules that answer.
    answering: usize,
    /// Modules there should be.
    fitted: usize,
    /// Supply as the modules see it, volts.
    supply_volts: Option<f64>,
    /// What is wrong with the link; empty when nothing is.
    trouble: String,
    /// A meter is set up.
    meter: bool,
    /// A scope is set up.
    scope: bool,
    /// Hands are there to set states, place leads and look.
    hands: bool,
    /// Outputs that are driven.
    driven: Vec<DrivenNow>,
}

/// An output that is driven.
#[derive(Debug, Serialize, ToSchema)]
pub struct DrivenNow {
    /// Which.
    output: OutputId,
    /// Seconds until it is given back by itself.
    left_s: f64,
}

/// Link and supply now.
#[utoipa::path(get, path = "/api/jobs/{id}/live", responses((status = 200, body = Live)))]
pub async fn live(State(shop): App, Path(id): Path<i64>) -> Answer<Live> {
    let here = at(&shop, id).await?;
    let bench = shop.bench(id);
    let v = &here.model.circuit.vehicle;
    let fitted = crate::bench::modules(v).count();
    let (meter, hands) = (bench.at.scpi.is_some(), bench.has_hands());
    let scope = bench.has_scope();
    let left = bench.time_left().await.into_iter();
    let driven = left.map(|(output, left_s)| DrivenNow { output, left_s }).collect();
    Ok(Json(match bench.supplies(v).await {
        Ok(list) => {
            let seen: Vec<f64> = list.into_iter().flatten().collect();
            Live {
                answering: seen.len(),
                fitted,
                supply_volts: seen.iter().copied().reduce(f64::max),
                trouble: String::new(),
                meter,
                scope,
                hands,
                driven,
            }
        }
        Err(trouble) => Live {
            answering: 0,
            fitted,
            supply_volts: None,
            trouble: trouble.to_string(),
            meter,
            scope,
            hands,
            driven,
        },
    }))
}

/// A state to bring the vehicle into.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Wanted {
    pub(super) state: OperatingState,
}

/// Notes the operating state; in the demo the hands and the link bring it about.
#[utoipa::path(post, path = "/api/jobs/{id}/state", request_body = Wanted, responses((status = 200, body = Kept)))]
pub async fn state(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(wanted): Json<Wanted>,
) -> Keeping {
    let here = at(&shop, id).await?;
    here.model.circuit.check_state(&wanted.state).map_err(Problem::input)?;
    let bench = shop.bench(id);
    shop.roll_calls.mark(id, &diagnosis::words::state(&here.model, &wanted.state));
    // The state is the technician's word first; a stand-in that is gone does not hold up the job.
    let entry = Entry::State { state: wanted.state.clone() };
    let result = keep(&shop, &here.session, vec![entry], key).await?;
    if bench.has_hands() {
        let vehicle = &here.model.circuit.vehicle;
        let brought = presence::bring_into(&shop, id, vehicle, &wanted.state).await;
        brought.map_err(Problem::bench)?;
    }
    Ok(result)
}

/// Readings of the supply, taken or still to take.
#[utoipa::path(get, path = "/api/jobs/{id}/supply", responses((status = 200, body = [SupplyRow])))]
pub async fn supply(State(shop): App, Path(id): Path<i64>) -> Answer<Vec<SupplyRow>> {
    let here = at(&shop, id).await?;
    let rows = away(&shop, &here, |_, _, at| Ok(view::supply(&at.model, &at.case)?));
    Ok(Json(rows.await?))
}

/// An output to drive or give back.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Drive {
    output: OutputId,
    on: bool,
    /// How much of the time it is to be on, percent, where it takes that.
    #[serde(default)]
    percent: Option<f64>,
}

/// A window is closed, or goes on to another job: what it drove is given back.
#[utoipa::path(post, path = "/api/jobs/{id}/leave", responses((status = 204)))]
pub async fn leave(State(shop): App, Path(id): Path<i64>) -> StatusCode {
    shop.presence.leaves(id);
    StatusCode::NO_CONTENT
}

/// Drives an output, or gives it back.
#[utoipa::path(post, path = "/api/jobs/{id}/drive", request_body = Drive, responses((status = 200, body = Kept)))]
pub async fn drive(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(d): Json<Drive>,
) -> Keeping {
    let here = at(&shop, id).await?;
    let vehicle = &here.model.circuit.vehicle;
    let Some(own) = vehicle.outputs.iter().find(|o| o.id == d.output) else {
        let why = format!("there is no output “{}” in this vehicle", d.output);
        return Err(Problem::field("output", why).into());
    };
    // Giving back is never refused.
    if d.on {
        is_open(&here.session)?;
    }
    let mut state = here.case.state.clone();
    if d.on {
        state.key = vehicle::KeyPosition::On;
        // Nothing is driven both ways at once.
        if let Some(other) = &own.other_way {
            state.outputs.remove(other);
            state.percent.remove(other);
        }
        state.outputs.insert(d.output.clone());
        if let Some(percent) = d.percent {
            state.percent.insert(d.output.clone(), Amount(percent));
        }
    } else {
        state.outputs.remove(&d.output);
        state.percent.remove(&d.output);
    }
    here.model.circuit.check_state(&state).map_err(Problem::input)?;
    let bench = shop.bench(id);
    if bench.has_hands() {
        presence::bring_into(&shop, id, vehicle, &state).await.map_err(Problem::bench)?;
    } else {
        let level = d.percent.map_or(Level::On, Level::Percent);
        bench.drive(vehicle, &d.output, d.on.then_some(level)).await.map_err(Problem::bench)?;
        presence::guard(&shop, id);
    }
    keep(&shop, &here.session, vec![Entry::State { state }], key).await
}

/// A reading to take from the meter.
#[derive(Debug, Deserialize, ToSchema)]
pub struct Metered {
    quantity: Instrument,
    red: String,
    #[serde(default)]
    black: String,
    state: OperatingState,
}

/// Brings the vehicle into the state, places the leads, reads the meter, keeps the reading.
#[utoipa::path(post, path = "/api/jobs/{id}/meter", request_body = Metered, responses((status = 200, body = Kept)))]
pub async fn meter(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(m): Json<Metered>,
) -> Keeping {
    from_meter(shop, id, key, m, false).await
}

/// How long a meter is read while the demo's hands move the harness, and while somebody else does.
const BY_HANDS: Duration = Duration::from_secs(3);
const BY_OTHERS: Duration = Duration::from_secs(20);

/// Brings the vehicle into the state, places the leads, reads the meter again and again while the harness
/// is moved, and keeps the lowest and the highest value.
#[utoipa::path(post, path = "/api/jobs/{id}/record", request_body = Metered, responses((status = 200, body = Kept)))]
pub async fn record(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(m): Json<Metered>,
) -> Keeping {
    from_meter(shop, id, key, m, true).await
}

/// Takes one value from the meter, or holds the extremes of many, and gives back what was driven for it.
async fn from_meter(shop: Arc<Shop>, id: i64, key: Key, m: Metered, extremes: bool) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    here.model.circuit.check_state(&m.state).map_err(Problem::input)?;
    let bench = shop.bench(id);
    let Metered { quantity: instrument, red, black, state } = m;
    let vehicle = &here.model.circuit.vehicle;
    if bench.has_hands() {
        presence::bring_into(&shop, id, vehicle, &state).await.map_err(Problem::bench)?;
    }
    let found = match extremes {
        true => hold(&bench, vehicle, instrument, [&red, &black])
            .await
            .map(|[low, high]| Finding::Recorded { instrument, red, black, low, high }),
        false => bench.measure(instrument, &red, &black).await.map(|value| Finding::Reading {
            instrument,
            red,
            black,
            value,
        }),
    };
    rest(&bench, vehicle, &state).await;
    let evidence = Evidence::new(state.clone(), found.map_err(Problem::bench)?);
    let before = vec![Entry::State { state: at_rest(&state) }];
    keep_evidence(&shop, &here, before, evidence, "meter", key).await
}

/// The lowest and the highest value of a meter over a while.
async fn hold(
    bench: &crate::bench::Bench,
    vehicle: &vehicle::Vehicle,
    instrument: Instrument,
    [red, black]: [&str; 2],
) -> Result<[f64; 2], BenchError> {
    let mut held = [f64::INFINITY, f64::NEG_INFINITY];
    let mut take = |value: Option<f64>| -> Result<(), BenchError> {
        let value = value.ok_or(BenchError::OutOfRange)?;
        held = [held[0].min(value), held[1].max(value)];
        Ok(())
    };
    take(bench.measure(instrument, red, black).await?)?;
    let mut during = BY_OTHERS;
    if bench.has_hands() {
        during = BY_HANDS;
        for place in &vehicle.places {
            bench.moved(&place.id).await?;
        }
    }
    let end = tokio::time::Instant::now() + during;
    while tokio::time::Instant::now() < end {
        take(bench.measure(instrument, red, black).await?)?;
        tokio::time::sleep(Duration::from_millis(60)).await;
    }
    Ok(held)
}

pub(super) fn at_rest(state: &OperatingState) -> OperatingState {
    state.undriven()
}

/// Gives driven outputs back; nothing stays on after a reading.
pub(super) async fn rest(
    bench: &std::sync::Arc<crate::bench::Bench>,
    vehicle: &vehicle::Vehicle,
    state: &OperatingState,
) {
    for output in &state.outputs {
        if let Err(e) = bench.drive(vehicle, output, None).await {
            tracing::warn!("{output} was not given back: {e}");
        }
    }
}

/// An effect to look at.
#[derive(Debug, Deserialize, ToSchema)]
pub struct LookAt {
    part: PartId,
    state: OperatingState,
}

/// Drives what the state needs and lets the demo's eyes look.
#[utoipa::path(post, path = "/api/jobs/{id}/look", request_body = LookAt, responses((status = 200, body = Kept)))]
pub async fn look(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(l): Json<LookAt>,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    here.model.circuit.check_state(&l.state).map_err(Problem::input)?;
    let bench = shop.bench(id);
    if !bench.has_hands() {
        return Err(Problem::input("look yourself and say: normal, weak or nothing").into());
    }
    let vehicle = &here.model.circuit.vehicle;
    presence::bring_into(&shop, id, vehicle, &l.state).await.map_err(Problem::bench)?;
    let seen = bench.look(&l.part, None, None).await;
    rest(&bench, vehicle, &l.state).await;
    let strength = seen.map_err(Problem::bench)?;
    let state = Entry::State { state: at_rest(&l.state) };
    let finding = Finding::Effect { part: l.part, strength };
    let evidence = Evidence::new(l.state, finding);
    keep_evidence(&shop, &here, vec![state], evidence, "seen", key).await
}

/// How long it is waited for what was moved before to come to rest, so often at most.
const QUIET: Duration = Duration::from_millis(400);
const QUIET_TRIES: u32 = 20;
/// The longest that the rounds are waited for in which a roll call shows what moving a harness did.
const SHOWS: Duration = Duration::from_secs(10);

/// A check by hand for the demo's hands.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum ForHands {
    /// Look at a place or thing.
    Seen {
        /// Where.
        at: String,
        /// State now.
        state: OperatingState,
    },
    /// Move the harness.
    Moved {
        /// Where.
        at: String,
        /// State now.
        state: OperatingState,
    },
    /// A fused jumper, or a part swapped, while an effect is watched.
    Substituted {
        /// Ends of the jumper.
        #[serde(default)]
        jumper: Option<[String; 2]>,
        /// The part swapped.
        #[serde(default)]
        swapped: Option<PartId>,
        /// The part watched.
        part: PartId,
        /// State to watch it in.
        state: OperatingState,
    },
}

/// Lets the demo's hands and eyes do a check by hand.
#[utoipa::path(post, path = "/api/jobs/{id}/hands", request_body = ForHands, responses((status = 200, body = Kept)))]
pub async fn by_hands(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(wanted): Json<ForHands>,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let bench = shop.bench(id);
    if !bench.has_hands() {
        return Err(Problem::input("do it yourself and say what you found").into());
    }
    let vehicle = &here.model.circuit.vehicle;
    let mut before = Vec::new();
    let (state, finding) = match wanted {
        ForHands::Seen { at, state } => {
            let sight = bench.see(&at).await.map_err(Problem::bench)?;
            (state, Finding::Seen { at, sight })
        }
        ForHands::Moved { at, state } => {
            // What was moved before may still be at work: its changes are not laid to this.
            for _ in 0..QUIET_TRIES {
                if shop.roll_calls.is_quiet(id) {
                    break;
                }
                tokio::time::sleep(QUIET).await;
            }
            let round = shop.roll_calls.round(id);
            let place = diagnosis::words::thing(&here.model, &at);
            shop.roll_calls.mark(id, &format!("moved {place}"));
            let mut changed = bench.moved(&at).await.map_err(Problem::bench)?;
            if shop.roll_calls.runs(id) {
                // What a hand would hardly notice the roll call does.
                let until = tokio::time::Instant::now() + SHOWS;
                while shop.roll_calls.round(id) < round + BELONG
                    && shop.roll_calls.runs(id)
                    && tokio::time::Instant::now() < until
                {
                    tokio::time::sleep(QUIET / 4).await;
                }
                changed = shop.roll_calls.dropped_since(id, round);
            }
            (state, Finding::Moved { at, changed })
        }
        ForHands::Substituted { jumper, swapped, part, state } => {
            here.model.circuit.check_state(&state).map_err(Problem::input)?;
            presence::bring_into(&shop, id, vehicle, &state).await.map_err(Problem::bench)?;
            let seen = bench.look(&part, jumper.as_ref(), swapped.as_deref()).await;
            rest(&bench, vehicle, &state).await;
            let strength = seen.map_err(Problem::bench)?;
            before.push(Entry::State { state: at_rest(&state) });
            (state, Finding::Substituted { jumper, swapped, part, strength })
        }
    };
    keep_evidence(&shop, &here, before, Evidence::new(state, finding), "seen", key).await
}
