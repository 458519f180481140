//! A module that is told to start anew, and whether it did: it falls silent and answers again.

use super::setup::address_of;
use super::{Bench, BenchError, Unanswered};
use diagnosis::ledger::SeenRestart;
use link::Gateway;
use link::services::ecu_reset::{self, Kind};
use link::services::tester_present;
use std::sync::Arc;
use std::time::{Duration, Instant};
use vehicle::Vehicle;

/// How often it is asked whether it answers.
const AGAIN: Duration = Duration::from_millis(100);
/// The longest that it may take to start.
const LONGEST: Duration = Duration::from_secs(15);
/// The longest that one that starts anew still answers before it falls silent.
const STILL: Duration = Duration::from_secs(2);

impl Bench {
    /// Tells a module to start anew as if its key were switched off and on, and watches whether it does.
    ///
    /// # Errors
    /// [`BenchError`], where it refuses or cannot be asked.
    pub async fn restart(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        module: &str,
    ) -> Result<SeenRestart, BenchError> {
        let who = address_of(vehicle, module)?;
        let told =
            async |gateway: Arc<Gateway>| ecu_reset::reset(&gateway, who, Kind::KeyOffOn).await;
        self.ask(told).await?;
        let began = Instant::now();
        let mut was_silent = false;
        loop {
            let there = async |gateway: Arc<Gateway>| tester_present::ask(&gateway, who).await;
            match self.ask(there).await {
                Err(Unanswered::Silent(_)) => was_silent = true,
                Err(unasked @ Unanswered::Unasked(_)) => return Err(unasked.into()),
                // Whatever it says, it says something.
                Ok(()) | Err(Unanswered::Otherwise(_)) if was_silent => {
                    return Ok(SeenRestart::Answers(began.elapsed().as_secs_f64()));
                }
                Ok(()) | Err(Unanswered::Otherwise(_)) if began.elapsed() > STILL => {
                    return Ok(SeenRestart::NeverSilent);
                }
                Ok(()) | Err(Unanswered::Otherwise(_)) => {}
            }
            if began.elapsed() > LONGEST {
                return Ok(SeenRestart::StaysSilent);
            }
            tokio::time::sleep(AGAIN).await;
        }
    }
}
