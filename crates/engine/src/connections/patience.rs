//! How long a request may take.

use std::time::Duration;

use tokio::time::{Instant, timeout};

use super::send_error::SendError;

/// How long a request may take. What it waits for its turn at a server that serves few connections
/// does not count: that says nothing about its URL.
#[derive(Debug)]
pub(crate) struct Patience {
    left: Duration,
    waited: Duration,
}

impl Patience {
    pub(crate) fn new(most: Duration) -> Patience {
        Patience { left: most, waited: Duration::ZERO }
    }

    /// How long it has waited for its turn.
    pub(crate) fn waited(&self) -> Duration {
        self.waited
    }

    /// Waits for its turn.
    pub(super) async fn wait<T>(&mut self, turn: impl Future<Output = T>) -> T {
        let began = Instant::now();
        let found = turn.await;
        self.waited += began.elapsed();
        found
    }

    /// Gives up when no time is left.
    pub(super) async fn within<T>(
        &mut self,
        work: impl Future<Output = T>,
    ) -> Result<T, SendError> {
        let began = Instant::now();
        let done = timeout(self.left, work).await.map_err(|_| SendError::TimedOut);
        self.left = self.left.saturating_sub(began.elapsed());
        done
    }
}

#[cfg(test)]
mod tests {
    use tokio::time::sleep;

    use super::*;

    #[tokio::test(start_paused = true)]
    async fn waiting_for_a_turn_does_not_count() {
        let (short, long) = (Duration::from_secs(1), Duration::from_secs(9));
        let mut patience = Patience::new(short * 3);
        patience.wait(sleep(long)).await;
        patience.within(sleep(short)).await.expect("two seconds are left");
        patience.wait(sleep(long)).await;
        assert_eq!(patience.waited(), long * 2);
        patience.within(sleep(short)).await.expect("a second is left");
        let timed_out = patience.within(sleep(short * 2)).await;
        assert!(matches!(timed_out, Err(SendError::TimedOut)));
    }
}
