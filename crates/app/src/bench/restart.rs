//! A module that is told to start anew, and whether it did: it falls silent and answers again.

use super::setup::address_of;
use super::{Bench, BenchError, Unanswered};
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

/// What was seen of a module that was told to start anew.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Restarted {
    /// It fell silent, and answered again so long after it was told.
    Answers(Duration),
    /// It fell silent and has not answered since.
    StaysSilent,
    /// It answered all the time: nothing shows that it did.
    NeverSilent,
}

impl Bench {
    /// Tells a module to start anew as if its key were switched off and on, and watches whether it does.
    ///
    /// # Errors
    /// [`BenchError`], where it refuses or cannot be asked.
    pub async fn restart(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        module: &str,
    ) -> Result<Restarted, BenchError> {
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
                    return Ok(Restarted::Answers(began.elapsed()));
                }
                Ok(()) | Err(Unanswered::Otherwise(_)) if began.elapsed() > STILL => {
                    return Ok(Restarted::NeverSilent);
                }
                Ok(()) | Err(Unanswered::Otherwise(_)) => {}
            }
            if began.elapsed() > LONGEST {
                return Ok(Restarted::StaysSilent);
            }
            tokio::time::sleep(AGAIN).await;
        }
    }
}
