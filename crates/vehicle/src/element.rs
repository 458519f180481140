//! What a part is made of, electrically: parameters only.
//!
//! The equations stand in the `circuit` crate, one file per kind. Pin fields
//! name pins of the part that owns the element; a new kind is added here with
//! its pins and numbers, and there with its behaviour.

use crate::typical;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A pin field of an element: its role and the pin's name.
pub type PinRole<'a> = (&'static str, &'a str);

/// One point of a table: stimulus value and what the part shows there.
pub type TablePoint = (f64, f64);

/// Declares the element kinds: pins, pins that may be absent, numbers above zero,
/// such numbers that may be absent, numbers of either sign, and anything else.
macro_rules! elements {
    ($(
        $(#[$doc:meta])*
        $kind:ident {
            $(pins { $($(#[$pd:meta])* $pin:ident),* $(,)? })?
            $(maybe_pins { $($(#[$md:meta])* $mpin:ident),* $(,)? })?
            $(numbers { $($(#[$nd:meta])* $num:ident),* $(,)? })?
            $(maybe_numbers { $($(#[$qd:meta])* $mnum:ident),* $(,)? })?
            $(signed { $($(#[$sd:meta])* $snum:ident),* $(,)? })?
            $(other { $($(#[$od:meta])* $other:ident : $ty:ty),* $(,)? })?
        }
    )*) => {
        /// One electrical element between pins of a part.
        #[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
        #[serde(tag = "type", rename_all = "snake_case", deny_unknown_fields)]
        pub enum Element {
            $(
                $(#[$doc])*
                $kind {
                    $($($(#[$pd])* $pin: String,)*)?
                    $($($(#[$md])* #[serde(default, skip_serializing_if = "Option::is_none")]
                        $mpin: Option<String>,)*)?
                    $($($(#[$nd])* $num: f64,)*)?
                    $($($(#[$qd])* #[serde(default, skip_serializing_if = "Option::is_none")]
                        $mnum: Option<f64>,)*)?
                    $($($(#[$sd])* $snum: f64,)*)?
                    $($($(#[$od])* $other: $ty,)*)?
                },
            )*
        }

        impl Element {
            /// Every pin the element touches, with the name of the field.
            #[allow(unused_mut)]
            pub fn pins(&self) -> Vec<PinRole<'_>> {
                match self {
                    $(Self::$kind { $($($pin,)*)? $($($mpin,)*)? .. } => {
                        let mut pins: Vec<PinRole<'_>> =
                            vec![$($((stringify!($pin), $pin.as_str()),)*)?];
                        $($(if let Some(pin) = $mpin {
                            pins.push((stringify!($mpin), pin));
                        })*)?
                        pins
                    })*
                }
            }

            /// Numbers that must be above zero, to be changed: real parts are drawn within
            /// tolerance this way.
            #[allow(unused_mut)]
            pub fn numbers_mut(&mut self) -> Vec<(&'static str, &mut f64)> {
                match self {
                    $(Self::$kind { $($($num,)*)? $($($mnum,)*)? .. } => {
                        let mut numbers: Vec<(&'static str, &mut f64)> =
                            vec![$($((stringify!($num), $num),)*)?];
                        $($(if let Some(number) = $mnum {
                            numbers.push((stringify!($mnum), number));
                        })*)?
                        numbers
                    })*
                }
            }

            /// Numbers of either sign; they must be finite.
            pub fn signed(&self) -> Vec<(&'static str, f64)> {
                match self {
                    $(Self::$kind { $($($snum,)*)? .. } => {
                        vec![$($((stringify!($snum), *$snum),)*)?]
                    })*
                }
            }

            /// The kind as the vehicle file spells it.
            pub fn kind(&self) -> &'static str {
                match self {
                    $(Self::$kind { .. } => stringify!($kind),)*
                }
            }
        }
    };
}

elements! {
    /// A lead-acid battery: open-circuit voltage behind an internal resistance.
    Battery {
        pins {
            /// Positive post.
            plus,
            /// Negative post.
            minus,
        }
        numbers {
            /// Open-circuit voltage fully charged at rest, volts.
            #[serde(default = "typical::battery_open_volts")]
            open_volts,
            /// Internal resistance fully charged at 25 degC, ohms.
            #[serde(default = "typical::battery_ohms")]
            internal_ohms,
        }
        other {
            /// Stimulus for the state of charge, percent; none: full.
            #[serde(default, skip_serializing_if = "Option::is_none")]
            charge: Option<String>,
            /// Stimulus for the temperature, degrees Celsius; none: 25.
            #[serde(default, skip_serializing_if = "Option::is_none")]
            temperature: Option<String>,
        }
    }
    /// A workshop charger clipped to two posts, working while the state says so.
    Charger {
        pins {
            /// Positive clip.
            plus,
            /// Negative clip.
            minus,
        }
        numbers {
            /// Regulated voltage, volts.
            #[serde(default = "typical::charger_volts")]
            set_volts,
            /// Largest current, amperes.
            limit_amps,
            /// Output resistance below the limit, ohms.
            #[serde(default = "typical::source_ohms")]
            internal_ohms,
        }
    }
    /// A regulated generator: holds its set-point up to its current limit while the engine runs.
    Generator {
        pins {
            /// Output terminal (B+).
            plus,
            /// Housing ground.
            minus,
        }
        numbers {
            /// Regulated voltage, volts.
            #[serde(default = "typical::generator_volts")]
            set_volts,
            /// Largest output current, amperes.
            limit_amps,
            /// Output resistance below the limit, ohms.
            #[serde(default = "typical::source_ohms")]
            internal_ohms,
        }
    }
    /// A blade fuse; blows when its current stays above 1.35 times its rating (ISO 8820-3).
    Fuse {
        pins {
            /// First blade.
            a,
            /// Second blade.
            b,
        }
        numbers {
            /// Rated current, amperes.
            rating_amps,
        }
    }
    /// A plain resistor.
    Resistor {
        pins {
            /// First pin.
            a,
            /// Second pin.
            b,
        }
        numbers {
            /// Resistance, ohms.
            ohms,
        }
    }
    /// A heater that draws less as it gets hot (PTC), at its working point for the given voltage.
    Heater {
        pins {
            /// Supply pin.
            plus,
            /// Ground pin.
            minus,
        }
        numbers {
            /// Resistance, ohms.
            ohms,
            /// Current at which self-heating has doubled the resistance, amperes.
            knee_amps,
        }
        other {
            /// What is noticed when it works, for example `rear window clears`.
            effect: String,
        }
    }
    /// A coil that moves something: solenoid, injector, latch.
    Solenoid {
        pins {
            /// Supply pin.
            plus,
            /// Switched pin.
            minus,
        }
        numbers {
            /// Winding resistance, ohms.
            ohms,
            /// Voltage that moves it, volts.
            #[serde(default = "typical::solenoid_pull_in_volts")]
            pull_in_volts,
        }
        other {
            /// What is noticed when it moves.
            effect: String,
        }
    }
    /// An incandescent lamp.
    Lamp {
        pins {
            /// Supply contact.
            plus,
            /// Ground contact.
            minus,
        }
        numbers {
            /// Rated voltage, volts.
            #[serde(default = "typical::rated_volts")]
            rated_volts,
            /// Power at the rated voltage, watts.
            rated_watts,
        }
        other {
            /// What is noticed when it is lit.
            effect: String,
        }
    }
    /// A chain of light-emitting diodes with its series resistor.
    LedLamp {
        pins {
            /// Anode side.
            plus,
            /// Cathode side.
            minus,
        }
        numbers {
            /// Forward voltage of the chain at 10 mA, volts.
            forward_volts,
            /// Series resistor, ohms.
            ohms,
            /// Current at which it is bright, amperes.
            rated_amps,
        }
        other {
            /// What is noticed when it is lit.
            effect: String,
        }
    }
    /// A silicon diode.
    Diode {
        pins {
            /// Anode.
            anode,
            /// Cathode.
            cathode,
        }
        numbers {
            /// Forward voltage at the rated current, volts.
            #[serde(default = "typical::diode_volts")]
            forward_volts,
            /// Rated current, amperes.
            #[serde(default = "typical::diode_amps")]
            rated_amps,
            /// Series resistance, ohms.
            #[serde(default = "typical::diode_ohms")]
            ohms,
        }
    }
    /// A zener diode or transient clamp: conducts forward, and backward above its voltage.
    Zener {
        pins {
            /// Anode.
            anode,
            /// Cathode.
            cathode,
        }
        numbers {
            /// Breakdown voltage at 10 mA, volts.
            zener_volts,
            /// Series resistance in breakdown, ohms.
            #[serde(default = "typical::zener_ohms")]
            ohms,
        }
    }
    /// A relay (DIN 72552: 86/85 coil, 30 to 87 make, 30 to 87a break).
    Relay {
        pins {
            /// Coil supply side (86).
            coil_plus,
            /// Coil switched side (85).
            coil_minus,
            /// Contact, supply (30).
            common,
            /// Contact, load (87).
            make,
        }
        maybe_pins {
            /// Contact closed at rest (87a).
            rest,
        }
        numbers {
            /// Coil resistance, ohms.
            #[serde(default = "typical::coil_ohms")]
            coil_ohms,
            /// Coil voltage that pulls the armature in, volts.
            #[serde(default = "typical::pull_in_volts")]
            pull_in_volts,
            /// Coil voltage below which it drops out, volts.
            #[serde(default = "typical::drop_out_volts")]
            drop_out_volts,
            /// Closed contact resistance, ohms.
            #[serde(default = "typical::contact_ohms")]
            contact_ohms,
        }
        maybe_numbers {
            /// Resistor across the coil against switching peaks, ohms.
            suppression_ohms,
        }
    }
    /// A contact of a switch or key switch, closed in the listed positions.
    Contact {
        pins {
            /// First pin.
            a,
            /// Second pin.
            b,
        }
        numbers {
            /// Closed contact resistance, ohms.
            #[serde(default = "typical::contact_ohms")]
            contact_ohms,
        }
        other {
            /// Positions of the part's switch in which this contact is closed.
            closed_in: Vec<String>,
        }
    }
    /// A coded switch: a different resistance between two pins in each position.
    CodedSwitch {
        pins {
            /// First pin.
            a,
            /// Second pin.
            b,
        }
        other {
            /// Resistance in each position, ohms; a position that is not listed is open.
            ohms_in: std::collections::BTreeMap<String, f64>,
        }
    }
    /// A permanent-magnet motor with its pump or wiper: winding plus back-EMF that grows with speed.
    Motor {
        pins {
            /// Supply pin.
            plus,
            /// Ground pin.
            minus,
        }
        numbers {
            /// Voltage at which the rated current flows, volts.
            #[serde(default = "typical::rated_volts")]
            rated_volts,
            /// Running current at the rated voltage, amperes.
            rated_amps,
        }
        maybe_numbers {
            /// Winding resistance, ohms; none: a quarter of rated volts by rated amperes.
            winding_ohms,
            /// Current below which it does not turn, amperes; none: 18 % of the rated one.
            breakaway_amps,
        }
        other {
            /// What the driver notices when it runs, for example `water at the rear nozzle`.
            effect: String,
        }
    }
    /// A temperature-dependent resistor with the beta law (NTC; a negative beta makes a PTC).
    Thermistor {
        pins {
            /// First pin.
            a,
            /// Second pin.
            b,
        }
        numbers {
            /// Resistance at 25 degC, ohms.
            ohms_at_25,
        }
        signed {
            /// Beta, kelvin.
            beta,
        }
        other {
            /// The temperature it feels, degrees Celsius.
            stimulus: String,
        }
    }
    /// A resistive sensor given by a table.
    TableSensor {
        pins {
            /// First pin.
            a,
            /// Second pin.
            b,
        }
        other {
            /// What it feels.
            stimulus: String,
            /// Stimulus and ohms, in rising order of the stimulus.
            table: Vec<TablePoint>,
        }
    }
    /// A potentiometer; the wiper stands at 0 at the `low` end and 1 at the `high` end.
    Potentiometer {
        pins {
            /// End where the fraction is 0.
            low,
            /// End where the fraction is 1.
            high,
            /// Wiper.
            wiper,
        }
        numbers {
            /// Track resistance end to end, ohms.
            ohms,
            /// Resistance of the wiper contact, ohms.
            #[serde(default = "typical::wiper_ohms")]
            wiper_ohms,
        }
        other {
            /// What moves it.
            stimulus: String,
            /// Stimulus and fraction, in rising order of the stimulus.
            table: Vec<TablePoint>,
        }
    }
    /// A three-wire sensor whose output is a fraction of its own supply.
    Ratiometric {
        pins {
            /// Supply, from a module's reference.
            supply,
            /// Sensor ground.
            ground,
            /// Output.
            output,
        }
        numbers {
            /// Supply current at 5 V, amperes.
            #[serde(default = "typical::sensor_amps")]
            draw_amps,
            /// Output resistance, ohms.
            #[serde(default = "typical::sensor_output_ohms")]
            output_ohms,
        }
        other {
            /// What it feels.
            stimulus: String,
            /// Stimulus and fraction of the supply (0.01 to 0.99), in rising order of the stimulus.
            table: Vec<TablePoint>,
        }
    }
    /// A Hall switch with an open collector: low while its stimulus is above the threshold.
    HallSwitch {
        pins {
            /// Supply.
            supply,
            /// Ground.
            ground,
            /// Open-collector output.
            output,
        }
        numbers {
            /// Supply current at 12 V, amperes.
            #[serde(default = "typical::sensor_amps")]
            draw_amps,
            /// On-resistance of the output, ohms.
            #[serde(default = "typical::hall_ohms")]
            on_ohms,
            /// Lowest supply at which it works, volts.
            #[serde(default = "typical::sensor_min_volts")]
            min_volts,
        }
        signed {
            /// Stimulus above which the output is low.
            threshold,
        }
        other {
            /// What it feels.
            stimulus: String,
        }
    }
    /// A two-wire sensor that signals by its current: the higher above the threshold.
    CurrentSensor {
        pins {
            /// Supply.
            plus,
            /// Signal return.
            minus,
        }
        numbers {
            /// Current below the threshold, amperes.
            #[serde(default = "typical::current_sensor_low_amps")]
            low_amps,
            /// Current above the threshold, amperes.
            #[serde(default = "typical::current_sensor_high_amps")]
            high_amps,
            /// Lowest voltage across it at which it regulates, volts.
            #[serde(default = "typical::sensor_min_volts")]
            min_volts,
        }
        signed {
            /// Stimulus above which it draws the higher current.
            threshold,
        }
        other {
            /// What it feels.
            stimulus: String,
        }
    }
    /// A module's supply input.
    Supply {
        pins {
            /// Supply pin (terminal 30).
            plus,
            /// Ground pin (terminal 31).
            minus,
        }
        maybe_pins {
            /// Pin that wakes it when above half its supply (terminal 15); none: awake with its supply.
            wake,
        }
        numbers {
            /// Current drawn awake at 12 V, amperes.
            #[serde(default = "typical::awake_amps")]
            awake_amps,
            /// Current drawn asleep at 12 V, amperes.
            #[serde(default = "typical::asleep_amps")]
            asleep_amps,
            /// Lowest voltage between the two pins at which the module works, volts.
            #[serde(default = "typical::module_min_volts")]
            min_volts,
            /// Highest voltage at which it works, volts.
            #[serde(default = "typical::module_max_volts")]
            max_volts,
        }
        other {
            /// It sleeps unless another module of its buses is awake: woken over the bus.
            #[serde(default, skip_serializing_if = "std::ops::Not::not")]
            bus_wake: bool,
        }
    }
    /// A digital module input with a pull-up to its supply or a pull-down to its ground.
    Input {
        pins {
            /// The input pin.
            pin,
            /// Pulled to this pin of the module.
            pull_to,
        }
        numbers {
            /// Pull resistance, ohms.
            #[serde(default = "typical::pull_ohms")]
            pull_ohms,
        }
    }
    /// A module input pulled to an internal rail while the module works.
    AnalogInput {
        pins {
            /// The input pin.
            pin,
            /// Ground pin of the module.
            ground,
        }
        numbers {
            /// Voltage of the internal rail, volts.
            #[serde(default = "typical::rail_volts")]
            pull_volts,
            /// Pull resistance, ohms.
            #[serde(default = "typical::analog_pull_ohms")]
            pull_ohms,
        }
    }
    /// A module input that draws a regulated sensor's current through a resistor to ground.
    CurrentInput {
        pins {
            /// The input pin.
            pin,
            /// Ground pin of the module.
            ground,
        }
        numbers {
            /// Sense resistance, ohms.
            #[serde(default = "typical::shunt_ohms")]
            sense_ohms,
        }
    }
    /// A reference-voltage output with a current limit.
    Reference {
        pins {
            /// The output pin.
            pin,
            /// Ground pin of the module.
            ground,
        }
        numbers {
            /// Regulated voltage, volts.
            #[serde(default = "typical::rail_volts")]
            volts,
            /// Largest current, amperes.
            #[serde(default = "typical::reference_amps")]
            limit_amps,
            /// Output resistance below the limit, ohms.
            #[serde(default = "typical::reference_ohms")]
            ohms,
        }
    }
    /// A sensor ground: a pin joined to the module's ground inside it.
    SensorGround {
        pins {
            /// The sensor ground pin.
            pin,
            /// Ground pin of the module.
            ground,
        }
        numbers {
            /// Resistance inside, ohms.
            #[serde(default = "typical::sensor_ground_ohms")]
            ohms,
        }
    }
    /// A driver that switches its pin to the module's ground, with overcurrent latch-off.
    LowSide {
        pins {
            /// The driven pin.
            pin,
            /// Ground pin.
            ground,
        }
        numbers {
            /// On-resistance, ohms.
            #[serde(default = "typical::driver_ohms")]
            on_ohms,
            /// Current at which it latches off, amperes.
            #[serde(default = "typical::driver_amps")]
            limit_amps,
            /// Diagnostic pull-down that is always there, ohms.
            #[serde(default = "typical::sense_ohms")]
            sense_ohms,
        }
        other {
            /// Name of the output that drives it.
            output: String,
        }
    }
    /// A driver that switches its pin to the module's supply, with overcurrent latch-off.
    HighSide {
        pins {
            /// Supply pin of the module.
            supply,
            /// The driven pin.
            pin,
            /// Ground pin of the module, for the open-load detection.
            ground,
        }
        numbers {
            /// On-resistance, ohms.
            #[serde(default = "typical::driver_ohms")]
            on_ohms,
            /// Current at which it latches off, amperes.
            #[serde(default = "typical::driver_amps")]
            limit_amps,
            /// Diagnostic pull-up that is always there while off, ohms.
            #[serde(default = "typical::sense_ohms")]
            sense_ohms,
        }
        other {
            /// Name of the output that drives it.
            output: String,
        }
    }
    /// A pair of half bridges that drives a motor both ways, with overcurrent latch-off.
    HBridge {
        pins {
            /// Supply pin of the module.
            supply,
            /// Ground pin of the module.
            ground,
            /// First driven pin: high when driven forward.
            a,
            /// Second driven pin: high when driven backward.
            b,
        }
        numbers {
            /// On-resistance of one switch, ohms.
            #[serde(default = "typical::bridge_ohms")]
            on_ohms,
            /// Current at which it latches off, amperes.
            #[serde(default = "typical::driver_amps")]
            limit_amps,
            /// Bleed resistance of each pin to ground, ohms.
            #[serde(default = "typical::bleed_ohms")]
            sense_ohms,
        }
        other {
            /// Output that drives it forward.
            forward: String,
            /// Output that drives it backward.
            backward: String,
        }
    }
    /// A CAN transceiver (ISO 11898-2).
    CanTransceiver {
        pins {
            /// CAN high.
            high,
            /// CAN low.
            low,
            /// Ground pin of the module.
            ground,
        }
        numbers {
            /// Recessive bias voltage, volts (2.5).
            #[serde(default = "typical::bias_volts")]
            bias_volts,
            /// Input resistance of each line to the bias, ohms (ISO 11898-2: 5 k to 50 k).
            #[serde(default = "typical::can_input_ohms")]
            input_ohms,
            /// Resistance of each driver switched on, ohms.
            #[serde(default = "typical::can_driver_ohms")]
            driver_ohms,
        }
        other {
            /// The bus it belongs to.
            bus: String,
        }
    }
    /// A LIN transceiver (ISO 17987-4).
    LinTransceiver {
        pins {
            /// LIN line.
            pin,
            /// Supply pin of the module.
            supply,
            /// Ground pin of the module.
            ground,
        }
        numbers {
            /// Pull-up behind its diode, ohms (master 1 k, slave 30 k).
            pull_ohms,
            /// Resistance of the driver switched on, ohms.
            #[serde(default = "typical::lin_driver_ohms")]
            driver_ohms,
        }
        other {
            /// The bus it belongs to.
            bus: String,
            /// The master of the bus.
            #[serde(default, skip_serializing_if = "std::ops::Not::not")]
            master: bool,
        }
    }
}

impl Element {
    /// Every number with the name of its field; all of them must be finite and above zero.
    pub fn numbers(&self) -> Vec<(&'static str, f64)> {
        let mut copy = self.clone();
        let numbers = copy.numbers_mut();
        numbers.into_iter().map(|(name, v)| (name, *v)).collect()
    }

    /// Outputs that drive it.
    pub fn outputs(&self) -> Vec<&str> {
        match self {
            Self::LowSide { output, .. } | Self::HighSide { output, .. } => vec![output],
            Self::HBridge { forward, backward, .. } => vec![forward, backward],
            _ => vec![],
        }
    }

    /// Stimuli it feels.
    pub fn stimuli(&self) -> Vec<&str> {
        match self {
            Self::Thermistor { stimulus, .. }
            | Self::TableSensor { stimulus, .. }
            | Self::Potentiometer { stimulus, .. }
            | Self::Ratiometric { stimulus, .. }
            | Self::HallSwitch { stimulus, .. }
            | Self::CurrentSensor { stimulus, .. } => vec![stimulus],
            Self::Battery { charge, temperature, .. } => {
                charge.iter().chain(temperature).map(String::as_str).collect()
            }
            _ => vec![],
        }
    }

    /// Its table, when it has one.
    pub fn table(&self) -> Option<&[TablePoint]> {
        match self {
            Self::TableSensor { table, .. }
            | Self::Potentiometer { table, .. }
            | Self::Ratiometric { table, .. } => Some(table),
            _ => None,
        }
    }

    /// Pairs of pins between which an ohmmeter shows the element's own resistance, with the part
    /// unplugged; none for electronics, where it would show nothing one could judge.
    pub fn ohmic(&self) -> Vec<(&str, &str)> {
        let pins: Vec<&str> = self.pins().into_iter().map(|(_, pin)| pin).collect();
        match (self, &pins[..]) {
            (Self::Potentiometer { .. }, [low, high, wiper]) => {
                vec![(low, high), (wiper, low), (wiper, high)]
            }
            (
                Self::Fuse { .. }
                | Self::Resistor { .. }
                | Self::Heater { .. }
                | Self::Solenoid { .. }
                | Self::Lamp { .. }
                | Self::Relay { .. }
                | Self::Contact { .. }
                | Self::CodedSwitch { .. }
                | Self::Motor { .. }
                | Self::Thermistor { .. }
                | Self::TableSensor { .. },
                [a, b, ..],
            ) => vec![(a, b)],
            _ => Vec::new(),
        }
    }

    /// The bus its transceiver belongs to.
    pub fn bus(&self) -> Option<&str> {
        match self {
            Self::CanTransceiver { bus, .. } | Self::LinTransceiver { bus, .. } => Some(bus),
            _ => None,
        }
    }

    /// What anybody notices when it works.
    pub fn effect(&self) -> Option<&str> {
        match self {
            Self::Motor { effect, .. }
            | Self::Lamp { effect, .. }
            | Self::LedLamp { effect, .. }
            | Self::Heater { effect, .. }
            | Self::Solenoid { effect, .. } => Some(effect),
            _ => None,
        }
    }
}

/// Reads a table at a stimulus value: straight lines between points, held at the ends.
pub fn at_table(table: &[TablePoint], x: f64) -> f64 {
    let above = table.iter().position(|p| p.0 >= x);
    match above {
        Some(0) => table[0].1,
        Some(k) => {
            let ((x0, y0), (x1, y1)) = (table[k - 1], table[k]);
            y0 + (y1 - y0) * (x - x0) / (x1 - x0)
        }
        None => table.last().map_or(0.0, |p| p.1),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tables_are_straight_between_points_and_held_at_the_ends() {
        let table = [(-10.0, 4.0), (0.0, 2.0), (20.0, 1.0)];
        let read = [-30.0, -10.0, -5.0, 0.0, 10.0, 20.0, 99.0].map(|x| at_table(&table, x));
        assert_eq!(read, [4.0, 4.0, 3.0, 2.0, 1.5, 1.0, 1.0]);
    }

    #[test]
    fn a_kind_lists_its_own_pins_and_numbers() {
        let relay: Element = serde_json::from_str(
            r#"{"type": "relay", "coil_plus": "86", "coil_minus": "85", "common": "30",
                "make": "87", "rest": "87a", "coil_ohms": 85, "pull_in_volts": 7,
                "drop_out_volts": 2, "contact_ohms": 0.01}"#,
        )
        .unwrap();
        let pins: Vec<&str> = relay.pins().into_iter().map(|p| p.1).collect();
        assert_eq!(pins, ["86", "85", "30", "87", "87a"]);
        assert_eq!(relay.numbers().len(), 4);
        // An unplugged relay shows its coil; its contact is open.
        assert_eq!(relay.ohmic(), [("86", "85")]);
    }
}
