//! Live values: what can be read, what is read now, and the charts of sensors.

use super::at::{Answer, App, At, Keeping, at, away, begin, keep};
use super::course::CourseNow;
use super::extract::{Json, Key, Path};
use super::problem::Problem;
use super::vehicle_side::{at_rest, rest};
use axum::extract::State;
use diagnosis::evidence::Finding;
use diagnosis::ledger::Entry;
use diagnosis::live::{self, Meaning, Stands};
use diagnosis::{Evidence, LiveReading, Model};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use std::time::Instant;
use utoipa::ToSchema;
use vehicle::{OperatingState, PartId, SignalId, SignalIx, SignalSource};

/// Signals read with one request at most.
const MOST: usize = 512;

/// What sort of value a signal is.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SignalSort {
    /// The supply of its module.
    Supply,
    /// What a sensor feels, at the pin it ends at.
    Felt,
    /// Another voltage at a pin.
    Pin,
    /// A current within its module.
    Current,
    /// How often teeth pass a sensor.
    Counted,
    /// What the module works out of other values.
    WorkedOut,
    /// What the module is set to or has learned.
    Held,
    /// What the module commands.
    Commanded,
    /// Whether a message arrives.
    Arrives,
    /// What a message brings.
    Received,
}

/// A signal that can be watched.
#[derive(Debug, Serialize, ToSchema)]
pub struct SignalRow {
    /// Id.
    id: SignalId,
    /// Name.
    name: String,
    /// Module that computes it.
    module: PartId,
    /// Name of the module.
    module_name: String,
    /// Unit of what the module says; empty for on and off.
    unit: String,
    /// Unit of what it stands for; empty where it has names instead.
    physical_unit: String,
    /// What sort of value it is.
    sort: SignalSort,
    /// Where it comes from, in words.
    source: String,
    /// What its sensor feels.
    felt: Option<String>,
    /// The sensor.
    sensor: Option<PartId>,
    /// Codes whose monitors look at it.
    codes: Vec<String>,
    /// Functions that ask for it.
    functions: Vec<String>,
    /// It can be kept as a finding: it follows a voltage.
    weighs: bool,
    /// Why it cannot be read; empty when it can.
    unreadable: String,
}

fn rows(model: &Model) -> Vec<SignalRow> {
    let v = &model.circuit.vehicle;
    let part_name = |id: &PartId| {
        v.parts.iter().find(|p| p.id == *id).map(|p| p.name.clone()).unwrap_or_default()
    };
    let of = |(k, s): (SignalIx, &vehicle::Signal)| {
        let id = s.id.as_str();
        let codes = v.monitors.iter().filter(|m| m.fails.signals().contains(&id));
        let functions = v.functions.iter().filter(|f| f.condition().signals().contains(&id));
        let physical = live::physical(&v.signals.raw, s);
        let (sensor, felt) = match physical.map(|p| &p.transfer) {
            Some(vehicle::Transfer::Felt { sensor, stimulus }) => {
                let name = v.stimuli.iter().find(|x| x.id == *stimulus).map(|x| x.name.clone());
                (Some(sensor.clone()), name)
            }
            _ => (None, live::turned_by(v, s).map(str::to_owned)),
        };
        let module = v.parts.iter().find(|p| p.id == s.module);
        let unreadable = match (s.did, module.and_then(|p| p.module.as_ref())) {
            (None, _) => "the vehicle file has no identifier for it",
            (_, None) => "its module has no diagnostic address",
            _ => "",
        };
        SignalRow {
            id: s.id.clone(),
            name: s.name.clone(),
            module: s.module.clone(),
            module_name: part_name(&s.module),
            unit: s.unit.clone(),
            physical_unit: physical.map(|p| p.unit.clone()).unwrap_or_default(),
            sort: match &s.from {
                _ if s.did == Some(v.identifiers.supply.did) => SignalSort::Supply,
                SignalSource::PinVolts { .. } if felt.is_some() => SignalSort::Felt,
                SignalSource::PinVolts { .. } => SignalSort::Pin,
                SignalSource::Amps { .. } => SignalSort::Current,
                SignalSource::Rate { .. } => SignalSort::Counted,
                SignalSource::Setting(_) => SignalSort::Held,
                SignalSource::Formula(_) => SignalSort::WorkedOut,
                SignalSource::Output(_) | SignalSource::Duty(_) => SignalSort::Commanded,
                SignalSource::Arrives(_) => SignalSort::Arrives,
                SignalSource::Received { .. } => SignalSort::Received,
            },
            source: source(model, s),
            felt,
            sensor,
            codes: codes.map(|m| format!("{}-{}", m.code, m.failure_type)).collect(),
            functions: functions.map(|f| f.name.clone()).collect(),
            weighs: model.circuit.software.follows(k).is_some()
                || model.circuit.software.ring(k).is_some(),
            unreadable: unreadable.to_owned(),
        }
    };
    v.signals.iter_enumerated().map(of).collect()
}

fn source(model: &Model, s: &vehicle::Signal) -> String {
    let v = &model.circuit.vehicle;
    let message = |id: &str| {
        let of = v.messages.iter().find(|m| m.id == id);
        of.map_or_else(|| id.to_owned(), |m| format!("“{}” of {}", m.name, m.sender))
    };
    match &s.from {
        SignalSource::PinVolts { pin, against } => {
            format!("pin {}.{pin}, {against}", s.module)
        }
        SignalSource::Amps { from, .. } => format!("current within {}, from {from}", s.module),
        SignalSource::Rate { pin, ring, .. } => {
            format!("pulses at pin {}.{pin}, of {ring}", s.module)
        }
        SignalSource::Formula(_) => {
            let of: std::collections::BTreeSet<&str> =
                s.from.inputs().into_iter().map(|i| i.as_str()).collect();
            format!("worked out of {}", of.into_iter().collect::<Vec<_>>().join(", "))
        }
        SignalSource::Setting(_) => format!("held by {}", s.module),
        SignalSource::Output(_) | SignalSource::Duty(_) => format!("what {} commands", s.module),
        SignalSource::Arrives(id) => format!("message {}", message(id)),
        SignalSource::Received { message: id, .. } => format!("by message {}", message(id)),
    }
}

/// Every signal of the vehicle.
#[utoipa::path(get, path = "/api/jobs/{id}/signals", responses((status = 200, body = [SignalRow])))]
pub async fn signals(State(shop): App, Path(id): Path<i64>) -> Answer<Vec<SignalRow>> {
    let here = at(&shop, id).await?;
    Ok(Json(rows(&here.model)))
}

/// Signals to read.
#[derive(Debug, Deserialize, ToSchema)]
pub struct SignalsWanted {
    signals: Vec<SignalId>,
}

/// A value as it was read.
#[derive(Debug, Serialize, ToSchema)]
pub struct LiveValue {
    /// Signal.
    signal: SignalId,
    /// What the module said, in its own unit; none when it could not be read.
    raw: Option<f64>,
    /// What that stands for; none while its sensor's chart is being worked out.
    meaning: Option<Meaning>,
    /// What a sound vehicle would show now, as it stands for something.
    expected: Option<Meaning>,
    /// How it stands to that.
    stands: Option<Stands>,
    /// Why it could not be read; empty when it could.
    why: String,
}

/// What was read.
#[derive(Debug, Serialize, ToSchema)]
pub struct LiveValues {
    /// In the order they were asked for.
    values: Vec<LiveValue>,
    /// Requests to modules that it took.
    requests: usize,
    /// Milliseconds that it took.
    took_ms: f64,
    /// What is wrong with the link; empty when nothing is.
    trouble: String,
    /// What the demo's hands go through just now; what is expected is so at this moment.
    course: Option<CourseNow>,
    /// The state in which a value is kept: while a course is gone through with the speed as it was then, and
    /// with nothing said of what else moves.
    state: OperatingState,
}

/// Moments about the present one in which a value may have been read while a course is gone through, seconds:
/// the present one first.
const ABOUT_S: [f64; 3] = [0.0, -0.5, -1.0];

/// Reads signals now.
#[utoipa::path(post, path = "/api/jobs/{id}/values", request_body = SignalsWanted, responses((status = 200, body = LiveValues)))]
pub async fn values(
    State(shop): App,
    Path(id): Path<i64>,
    Json(wanted): Json<SignalsWanted>,
) -> Answer<LiveValues> {
    let here = at(&shop, id).await?;
    if wanted.signals.len() > MOST {
        return Err(Problem::field("signals", format!("at most {MOST} are read at once")));
    }
    let numbers =
        wanted.signals.iter().map(|id| number(&here, id)).collect::<Result<Vec<_>, _>>()?;
    let vehicle = &here.model.circuit.vehicle;
    let started = Instant::now();
    let read = shop.bench(id).values(vehicle, &numbers).await;
    let took_ms = started.elapsed().as_secs_f64() * 1e3;
    let (read, trouble) = match read {
        Ok(read) => (read, String::new()),
        Err(e) => (crate::bench::Values::default(), e.to_string()),
    };
    let requests = read.requests;
    // Charts take a moment each: whoever reads does not wait for them.
    let lacking: Vec<SignalIx> =
        numbers.iter().copied().filter(|k| !here.model.charts().has(&here.model, *k)).collect();
    if !lacking.is_empty() {
        let model = Arc::clone(&here.model);
        tokio::task::spawn_blocking(move || model.charts().prepare(&model, &lacking));
    }
    let going = shop.bench(id).going().await;
    let course = going.as_ref().and_then(|g| {
        Some(CourseNow { id: g.id.clone()?, since_s: g.since_s, seconds: g.seconds })
    });
    let moving = going.and_then(|g| {
        let profile = vehicle.profiles.iter().find(|p| Some(&p.id) == g.id.as_ref())?;
        let about = ABOUT_S.map(|by| profile.state_at((g.since_s + by).max(0.0)));
        let mut kept = profile.begins.clone();
        for s in vehicle.stimuli.iter().filter(|s| s.driving) {
            kept.stimuli.extend(g.state.stimuli.get(&s.id).map(|a| (s.id.clone(), *a)));
        }
        Some((about.to_vec(), kept))
    });
    let state = moving.as_ref().map_or(&here.case.state, |(_, kept)| kept).clone();
    let values = away(&shop, &here, move |_, _, at| {
        let model = &at.model;
        let states = moving.map_or_else(|| vec![at.case.state.clone()], |(about, _)| about);
        let expected: Vec<_> = states.iter().map(|s| live::expected(model, s)).collect();
        let of = |(k, signal): (SignalIx, SignalId)| {
            let each: Vec<live::Expected> = expected.iter().map(|e| e[k]).collect();
            let sound = each[0];
            let ready = model.charts().has(model, k);
            let meaning = |raw| ready.then(|| model.charts().meaning(model, k, raw));
            let (raw, why) = match read.values.get(&k) {
                Some(Ok(raw)) => (Some(*raw), String::new()),
                Some(Err(why)) => (None, why.clone()),
                None => (None, "there is no link".to_owned()),
            };
            LiveValue {
                signal,
                raw,
                meaning: raw.and_then(meaning),
                expected: (!sound.depends).then(|| meaning(sound.value)).flatten(),
                stands: raw.map(|raw| live::stands_while(model, k, &each, raw)),
                why,
            }
        };
        Ok(numbers.into_iter().zip(wanted.signals).map(of).collect())
    });
    Ok(Json(LiveValues { values: values.await?, requests, took_ms, trouble, course, state }))
}

/// Values to read and keep.
#[derive(Debug, Deserialize, ToSchema)]
pub struct ValuesToKeep {
    signals: Vec<SignalId>,
    state: OperatingState,
    /// Where they have to agree: how far apart what they feel may lie, one standard deviation.
    #[serde(default)]
    apart: Option<f64>,
}

/// Reads live values in a state and keeps them all, of a module that says nothing that it is silent. The hands
/// bring the vehicle into the state where it has any; else the technician has done so.
#[utoipa::path(post, path = "/api/jobs/{id}/read-values", request_body = ValuesToKeep, responses((status = 200, body = super::at::Kept)))]
pub async fn read_values(
    State(shop): App,
    Path(id): Path<i64>,
    key: Key,
    Json(wanted): Json<ValuesToKeep>,
) -> Keeping {
    let here = begin(&shop, id, &key).await?;
    let vehicle = &here.model.circuit.vehicle;
    here.model.circuit.check_state(&wanted.state).map_err(Problem::input)?;
    if wanted.signals.is_empty() || wanted.signals.len() > MOST {
        return Err(Problem::field("signals", format!("from 1 to {MOST} are read at once")).into());
    }
    let numbers =
        wanted.signals.iter().map(|id| number(&here, id)).collect::<Result<Vec<_>, _>>()?;
    let bench = shop.bench(id);
    bench.connect().await.map_err(Problem::bench)?;
    let read = match crate::presence::bring_into(&shop, id, vehicle, &wanted.state).await {
        Ok(()) => bench.values(vehicle, &numbers).await,
        Err(e) => Err(e),
    };
    rest(&bench, vehicle, &wanted.state).await;
    let read = read.map_err(Problem::bench)?;
    let silent = read.silent.into_iter().map(|module| Finding::Answer { module, answers: false });
    let values = read.values.into_iter().filter_map(|(k, value)| {
        let signal = vehicle.signals[k].id.clone();
        Some(LiveReading { signal, value: value.ok()? })
    });
    let mut entries = Vec::new();
    let found = live::findings(vehicle, values);
    let found = match wanted.apart {
        Some(apart) => live::together(found, apart),
        None => found,
    };
    for finding in found.into_iter().chain(silent) {
        let present = here.case.present;
        let evidence = Evidence { present, ..Evidence::new(wanted.state.clone(), finding) };
        evidence.check(&here.model)?;
        entries.push(Entry::Found { evidence, by: "meter".to_owned() });
    }
    if entries.is_empty() {
        return Err(
            Problem::state("none of these values could be read; see them under Live").into()
        );
    }
    entries.insert(0, Entry::State { state: at_rest(&wanted.state) });
    keep(&shop, &here.session, entries, key).await
}

fn number(here: &At, id: &SignalId) -> Result<SignalIx, Problem> {
    let signals = &here.model.circuit.vehicle.signals;
    let found = signals.position(|s| s.id == *id);
    found.ok_or_else(|| Problem::field("signals", format!("this vehicle has no signal “{id}”")))
}

/// A point of a service chart.
#[derive(Debug, Serialize, ToSchema)]
pub struct PointOfChart {
    /// What is felt.
    felt: f64,
    /// The sensor's own resistance, ohms.
    ohms: Option<f64>,
    /// Volts at the sensor.
    sensor_volts: f64,
    /// Volts at the module.
    module_volts: f64,
}

/// The service chart of a sensor.
#[derive(Debug, Serialize, ToSchema)]
pub struct ServiceChart {
    /// What is felt.
    stimulus: String,
    /// Its unit.
    unit: String,
    /// The sensor.
    sensor: PartId,
    /// Name of the sensor.
    sensor_name: String,
    /// From the least to the largest that is felt.
    points: Vec<PointOfChart>,
    /// Volts at the module with the sensor open.
    open_volts: f64,
    /// Volts at the module with its output shorted.
    short_volts: f64,
    /// Half width of what 19 of 20 sound vehicles read at the module at each point, volts.
    tolerance_volts: Vec<f64>,
    /// Volts that the module believes.
    valid: Option<[f64; 2]>,
    /// What it goes on with otherwise, in the unit.
    substitute: Option<f64>,
}

/// The service chart of a signal that a sensor feels, worked out from its law and its circuit.
#[utoipa::path(get, path = "/api/jobs/{id}/signals/{signal}/chart", responses((status = 200, body = ServiceChart)))]
pub async fn chart(
    State(shop): App,
    Path((id, signal)): Path<(i64, SignalId)>,
) -> Answer<ServiceChart> {
    let here = at(&shop, id).await?;
    let k = number(&here, &signal)?;
    let made = away(&shop, &here, move |_, _, at| Ok(charted(&at.model, k))).await?;
    made.map(Json).ok_or_else(|| Problem::missing(format!("“{signal}” is of no sensor")))
}

fn charted(model: &Model, k: SignalIx) -> Option<ServiceChart> {
    let v = &model.circuit.vehicle;
    let physical = live::physical(&v.signals.raw, &v.signals[k])?;
    let vehicle::Transfer::Felt { sensor, stimulus } = &physical.transfer else { return None };
    let felt = v.stimuli.iter().find(|s| s.id == *stimulus)?;
    let chart = model.charts().of(model, k)?;
    let points = chart.points.iter().map(|p| PointOfChart {
        felt: p.felt,
        ohms: p.ohms,
        sensor_volts: p.sensor_volts,
        module_volts: p.module_volts,
    });
    let name = v.parts.iter().find(|p| p.id == *sensor).map(|p| p.name.clone());
    Some(ServiceChart {
        stimulus: felt.name.clone(),
        unit: physical.unit.clone(),
        sensor: sensor.clone(),
        sensor_name: name.unwrap_or_default(),
        points: points.collect(),
        open_volts: chart.open_volts,
        short_volts: chart.short_volts,
        tolerance_volts: live::tolerance(model, k, &chart),
        valid: physical.valid,
        substitute: physical.substitute,
    })
}
