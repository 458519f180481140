//! Drives the real interface: the program as shipped, one headless Chromium for all tests.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod axe;
mod bench;
mod buses;
mod captures;
mod codes;
mod fit;
mod live;
mod network;
mod recorded;
mod replace;
mod setup;
mod sheets;
mod suspects;
mod washer;

use bench::House;
use libtest_mimic::{Arguments, Trial};
use std::sync::Arc;
use tokio::runtime::Runtime;

fn main() {
    let mut arguments = Arguments::from_args();
    arguments.test_threads = Some(1);
    let runtime = Arc::new(Runtime::new().unwrap());
    let house = Arc::new(runtime.block_on(House::open()));
    // Each test by its path.
    macro_rules! tests {
        ($($room:ident::$name:ident),* $(,)?) => {
            vec![$({
                let (runtime, house) = (Arc::clone(&runtime), Arc::clone(&house));
                Trial::test(concat!(stringify!($room), "::", stringify!($name)), move || {
                    let began = std::time::Instant::now();
                    runtime.block_on($room::$name(&house));
                    // Told beside the outcome: what takes long is seen.
                    print!("{:.0} s, ", began.elapsed().as_secs_f64());
                    Ok(())
                })
            }),*]
        };
    }
    let tests = tests![
        axe::no_stage_keeps_anyone_out_by_day_or_night,
        codes::scan_sort_clear_follow_and_compare,
        codes::what_is_not_fitted_is_not_missed_and_told_of_when_it_answers,
        fit::a_lamp_is_fitted_where_that_is_the_cheaper_move,
        setup::a_door_module_that_was_replaced_is_set_up,
        replace::tooth_errors_are_learned_on_the_road,
        replace::a_used_module_of_another_build_is_replaced_by_the_plan,
        replace::what_has_to_agree_in_another_module_is_set_with_it,
        replace::a_write_that_broke_off_is_put_back,
        live::the_condition_that_blocks_a_door_is_found_from_the_seat,
        live::one_of_forty_conditions_is_a_value_put_in_its_place,
        live::values_that_tell_most_are_proposed_read_and_kept,
        live::values_are_watched_charted_marked_and_survive_a_lost_link,
        live::four_wheels_on_a_road_test_name_the_ring_that_lost_teeth,
        live::what_a_test_proves_is_told_before_a_module_tests_itself,
        live::an_output_is_driven_by_percent_and_given_back_when_the_link_is_lost,
        live::nothing_stays_driven_when_its_window_closes,
        network::a_roll_call_finds_the_line_that_chafes_while_it_is_moved,
        network::a_cable_pulled_in_mid_scan_leaves_what_was_gathered_and_the_rest_is_asked_later,
        network::codes_are_pasted_where_there_is_no_link,
        buses::a_lin_line_held_low_is_parted_until_the_flap_is_found,
        buses::a_missing_terminator_is_seen_by_the_meter_and_by_the_scope,
        buses::a_bus_is_led_past_a_module_and_over_a_spare_leg,
        captures::a_capture_is_taken_in_and_shows_who_drives_too_little,
        recorded::a_pump_that_works_now_and_then_is_traced_with_a_recording_meter,
        sheets::any_circuit_can_be_found_grown_followed_and_taken_apart,
        suspects::three_codes_one_dragged_reference_and_a_misleading_reading,
        suspects::a_dead_tailgate_and_the_ground_in_its_hinge,
        washer::the_weak_rear_washer_from_complaint_to_report,
        washer::without_any_link_the_job_is_done_by_typing,
    ];
    let told = libtest_mimic::run(&arguments, tests);
    // The program and the browser end before this process does, whatever was told.
    if let Ok(house) = Arc::try_unwrap(house).map_err(|_| ()) {
        runtime.block_on(house.close());
    }
    told.exit();
}
