//! Courses of time that the demo's hands go through: a road test, a warm-up.

use super::{Bench, BenchError};
use serde::Deserialize;
use serde_json::json;
use std::sync::Arc;
use vehicle::OperatingState;

/// What the hands go through just now.
#[derive(Debug, Clone, Deserialize)]
pub struct Going {
    /// Which course; none where they go through nothing.
    pub id: Option<String>,
    /// Seconds since it began.
    pub since_s: f64,
    /// Seconds that it takes.
    pub seconds: f64,
    /// The state by hand.
    pub state: OperatingState,
}

impl Bench {
    /// Sends the hands through a course of time; what was driven is given back first.
    ///
    /// # Errors
    /// [`BenchError`], where there are no hands.
    pub async fn go_through(
        self: &Arc<Self>,
        vehicle: &vehicle::Vehicle,
        id: &str,
    ) -> Result<(), BenchError> {
        if !self.has_hands() {
            return Err(BenchError::NoHands);
        }
        self.release(vehicle).await?;
        self.hands("/course", &json!({"id": id})).await
    }

    /// What they go through; none where there are no hands or they cannot say.
    pub async fn going(&self) -> Option<Going> {
        let address = self.at.hands?;
        let answer = self.http.get(format!("http://{address}/course")).send().await.ok()?;
        answer.json().await.ok()
    }
}
