//! Modules that test themselves: started, watched, ended, told what failed.

use super::{Bench, BenchError, Unanswered, modules};
use diagnosis::self_test::SelfTested;
use link::services::routine::{self, Control};
use link::{Gateway, LinkError};
use std::sync::Arc;
use std::time::{Duration, Instant};
use vehicle::{FailureType, PartId, TroubleCode, Vehicle, hex};

/// How often a module is asked how far it is.
const AGAIN: Duration = Duration::from_millis(150);
/// The longest that a module is waited for.
const LONGEST: Duration = Duration::from_secs(120);

/// How far a self-test is.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Progress {
    /// Whether it runs.
    pub running: bool,
    /// Percent done.
    pub percent: u8,
    /// Codes that failed so far.
    pub failing: Vec<String>,
}

impl Progress {
    /// From the results of the routine.
    fn of(told: &[u8]) -> Option<Self> {
        let [running, percent, codes @ ..] = told else { return None };
        let (codes, rest) = codes.as_chunks::<3>();
        rest.is_empty().then(|| Self {
            running: *running != 0,
            percent: (*percent).min(100),
            failing: codes.iter().map(code).collect(),
        })
    }
}

fn code([high, low, failure_type]: &[u8; 3]) -> String {
    format!("{}-{}", TroubleCode::from([*high, *low]), FailureType::from(*failure_type))
}

impl Bench {
    /// Lets modules test themselves and waits until they have; what each found, or why it did not.
    ///
    /// # Errors
    /// [`BenchError`], when there is no link at all.
    pub async fn self_tests(
        self: &Arc<Self>,
        vehicle: &Vehicle,
        wanted: impl Fn(&str) -> bool,
    ) -> Result<Vec<SelfTested>, BenchError> {
        self.connect().await?;
        self.testing.lock().await.clear();
        let mut said = Vec::new();
        let test = vehicle.identifiers.self_test;
        let bench = Arc::clone(self);
        let mut asked = self.ask_all(vehicle, wanted, move |gateway, who| {
            let bench = Arc::clone(&bench);
            async move { bench.self_test_of(gateway, who, test).await }
        });
        while let Some(answer) = asked.join_next().await {
            let (module, answer) = answer.map_err(|_| BenchError::BrokenOff)?;
            said.push(match answer {
                Ok(done) => {
                    let broke_off = done.running || done.percent < 100;
                    let trouble = format!("stopped at {} %", done.percent);
                    let trouble = if broke_off { trouble } else { String::new() };
                    SelfTested { module, failing: done.failing, trouble }
                }
                Err(why) => {
                    let trouble = Unanswered::words(why);
                    SelfTested { module, failing: Vec::new(), trouble }
                }
            });
        }
        said.sort_by(|a, b| a.module.cmp(&b.module));
        Ok(said)
    }

    async fn self_test_of(
        &self,
        gateway: Arc<Gateway>,
        who: u16,
        test: u16,
    ) -> Result<Progress, LinkError> {
        routine::control(&gateway, who, test, Control::Start, &[]).await?;
        let started = Instant::now();
        loop {
            tokio::time::sleep(AGAIN).await;
            let told = routine::control(&gateway, who, test, Control::Results, &[]).await?;
            let Some(progress) = Progress::of(&told) else {
                return Err(LinkError::Garbled {
                    who: format!("{who:#06x}"),
                    asked: "the results of its self-test".to_owned(),
                    got: hex::digits(&told),
                });
            };
            self.testing.lock().await.insert(who, progress.clone());
            if !progress.running {
                return Ok(progress);
            }
            if started.elapsed() > LONGEST {
                routine::control(&gateway, who, test, Control::Stop, &[]).await?;
                return Ok(progress);
            }
        }
    }

    /// How far the modules are that test themselves, or did last.
    pub async fn testing(&self, vehicle: &Vehicle) -> Vec<(PartId, Progress)> {
        let testing = self.testing.lock().await;
        let of = |(p, who): (&vehicle::Part, u16)| Some((p.id.clone(), testing.get(&who)?.clone()));
        modules(vehicle).filter_map(of).collect()
    }

    /// Ends the self-tests that run.
    ///
    /// # Errors
    /// [`BenchError`].
    pub async fn end_self_tests(self: &Arc<Self>, vehicle: &Vehicle) -> Result<(), BenchError> {
        let running = self.testing.lock().await.clone().into_iter().filter(|(_, p)| p.running);
        let test = vehicle.identifiers.self_test;
        for (who, _) in running {
            let end = async |gateway: Arc<Gateway>| {
                routine::control(&gateway, who, test, Control::Stop, &[]).await
            };
            self.ask(end).await?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn progress_is_read_from_the_results() {
        // B1A11-14 is 9A 11 14: body is the top bits 10, then the digits (ISO 15031-6).
        let told = Progress::of(&[1, 40, 0x9A, 0x11, 0x14]).unwrap();
        assert_eq!(told.failing, ["B1A11-14"]);
        assert!(told.running && told.percent == 40);
        assert_eq!(Progress::of(&[0, 100, 0x9A]), None);
        assert_eq!(Progress::of(&[]), None);
    }
}
