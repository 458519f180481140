//! What a wiring diagram does not print: numbers that a vehicle file may leave out, and what a part of that
//! kind typically has.

macro_rules! typical {
    ($($(#[$doc:meta])* $name:ident = $value:expr;)*) => {
        $($(#[$doc])* pub(crate) fn $name() -> f64 { $value })*
    };
}

typical! {
    /// A conductor between two places of a vehicle, metres.
    wire_metres = 1.5;
    /// A charged lead-acid battery at rest, volts.
    battery_open_volts = 12.7;
    /// A starter battery of about 60 Ah at 25 degC, ohms.
    battery_ohms = 0.008;
    /// A workshop charger, volts.
    charger_volts = 14.4;
    /// A regulated source with its leads, ohms.
    source_ohms = 0.02;
    /// A regulated generator, volts.
    generator_volts = 14.2;
    /// Half of the rated voltage, volts.
    solenoid_pull_in_volts = 6.0;
    /// What lamps and motors of a 12 V system are rated at, volts.
    rated_volts = 12.0;
    /// A silicon diode at its rated current, volts.
    diode_volts = 0.8;
    /// A small one, amperes.
    diode_amps = 1.0;
    /// Its bulk resistance, ohms.
    diode_ohms = 0.05;
    /// A transient clamp in breakdown, ohms.
    zener_ohms = 1.0;
    /// The coil of a 12 V relay of 1.7 W, ohms.
    coil_ohms = 85.0;
    /// 60 % of 12 V, volts.
    pull_in_volts = 7.2;
    /// A sixth of 12 V, volts.
    drop_out_volts = 2.0;
    /// A closed way of a bus line through a module, ohms.
    link_ohms = 0.05;
    /// What keeps such a way closed, volts.
    link_volts = 6.0;
    /// A closed contact of a relay or a switch, ohms.
    contact_ohms = 0.01;
    /// The wiper of a carbon track, ohms.
    wiper_ohms = 500.0;
    /// An electronic sensor, amperes.
    sensor_amps = 0.008;
    /// What protects its output, ohms.
    sensor_output_ohms = 470.0;
    /// An open collector switched on, ohms.
    hall_ohms = 25.0;
    /// The lowest supply of an electronic sensor, volts.
    sensor_min_volts = 4.5;
    /// A two-wire wheel-speed sensor between two teeth, amperes.
    current_sensor_low_amps = 0.007;
    /// The same over a tooth, amperes.
    current_sensor_high_amps = 0.014;
    /// A module at work, amperes.
    awake_amps = 0.2;
    /// A module asleep, amperes.
    asleep_amps = 0.002;
    /// Where a module resets, volts.
    module_min_volts = 6.5;
    /// Where a module protects itself, volts.
    module_max_volts = 16.5;
    /// The pull resistor of a switch input, ohms.
    pull_ohms = 4700.0;
    /// The inner rail of a module, volts.
    rail_volts = 5.0;
    /// The pull resistor of a sensor input, ohms.
    analog_pull_ohms = 2200.0;
    /// The resistor that a wheel-speed sensor is read at, ohms.
    shunt_ohms = 90.0;
    /// A sensor supply of a module, amperes.
    reference_amps = 0.05;
    /// Its output, ohms.
    reference_ohms = 0.4;
    /// A track inside a module, ohms.
    sensor_ground_ohms = 0.05;
    /// A transistor switched on, ohms.
    driver_ohms = 0.1;
    /// A limit that no sound load reaches, amperes.
    driver_amps = 20.0;
    /// What a driver watches its pin with, ohms.
    sense_ohms = 100000.0;
    /// One transistor of a bridge, ohms.
    bridge_ohms = 0.03;
    /// What holds the pins of an idle bridge, ohms.
    bleed_ohms = 22000.0;
    /// Recessive level of ISO 11898-2, volts.
    bias_volts = 2.5;
    /// Within 5 to 50 kilohms of ISO 11898-2, ohms.
    can_input_ohms = 30000.0;
    /// So that a dominant bit has 2 V across 60 ohms, ohms.
    can_driver_ohms = 23.0;
    /// A LIN driver switched on, ohms.
    lin_driver_ohms = 35.0;
}

/// The winding of a small motor: at its rated voltage it would draw four times the rated current if it
/// were blocked, ohms.
pub fn motor_winding_ohms(rated_volts: f64, rated_amps: f64) -> f64 {
    0.25 * rated_volts / rated_amps
}

/// The current below which friction holds a small motor, amperes.
pub fn motor_breakaway_amps(rated_amps: f64) -> f64 {
    0.18 * rated_amps
}
