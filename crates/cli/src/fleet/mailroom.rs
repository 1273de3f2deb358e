//! Delivers the digests of all sites: whichever worker comes first.

use std::path::PathBuf;
use std::time::Duration;

use rummage_core::schedule::notifications::wait_after;
use rummage_engine::Stop;
use rummage_fleet::FleetError;
use rummage_fleet::outbox::ClaimedDigest;
use rummage_store::{Channel, QueuedDigest};
use rummage_view::safe;
use tracing::{info, warn};

use super::patience::sentence;
use super::workplace::Workplace;
use crate::config::{Config, FILE};
use crate::digests::{channels, deliver_one};

/// Delivers the digests that are due, one after the other, until the worker is stopped.
pub(super) async fn deliver(workplace: &Workplace, stop: &Stop) {
    while !*stop.borrow() {
        match workplace.results.claim_digest().await {
            Ok(Some(digest)) => {
                if let Err(error) = deliver_claimed(workplace, &digest).await {
                    // Its claim runs out, and it is delivered again.
                    let reason = sentence(&error);
                    warn!(site = %digest.site, reason, "could not record a digest as delivered");
                    return;
                }
            }
            Ok(None) => return,
            Err(error) if error.may_pass() => return,
            Err(error) => return warn!(reason = sentence(&error), "could not look for digests"),
        }
    }
}

async fn deliver_claimed(workplace: &Workplace, digest: &ClaimedDigest) -> Result<(), FleetError> {
    let (site, channel) = (&digest.site, digest.channel.as_str());
    match attempt(digest).await {
        Ok(how) => {
            // Recorded right away: a digest that was sent must not be sent again.
            workplace.results.handle_delivered(digest).await?;
            info!(%site, channel, how = %safe(&how), "digest sent");
        }
        Err(Undelivered::Dropped(reason)) => {
            workplace.results.handle_undelivered(digest, &reason, None).await?;
            warn!(%site, channel, reason, "digest not sent");
        }
        Err(Undelivered::Failed(reason)) => {
            let wait = u64::try_from(wait_after(digest.attempts + 1)).unwrap_or_default();
            let wait = Duration::from_secs(wait);
            workplace.results.handle_undelivered(digest, &reason, Some(wait)).await?;
            warn!(%site, channel, reason = %safe(&reason), "digest not sent; retrying later");
        }
    }
    Ok(())
}

enum Undelivered {
    /// It never will be.
    Dropped(String),
    /// It may be later.
    Failed(String),
}

async fn attempt(digest: &ClaimedDigest) -> Result<String, Undelivered> {
    let failed = Undelivered::Failed;
    let config = Config::parse(PathBuf::from(FILE), &digest.settings)
        .map_err(|failure| failed(failure.sentence()))?;
    let settings = config.settings(Some(&digest.site));
    let channel = Channel::named(&digest.channel);
    let Some(channel) = channel.filter(|channel| channels(&settings).contains(channel)) else {
        return Err(Undelivered::Dropped("this channel is no longer in the settings".to_owned()));
    };
    let parsed = serde_json::from_str(&digest.json)
        .map_err(|error| Undelivered::Dropped(format!("the digest is damaged: {error}")))?;
    let queued = QueuedDigest {
        id: digest.id,
        channel,
        digest: parsed,
        json: digest.json.clone(),
        attempts: digest.attempts,
    };
    deliver_one(&settings, &queued, &digest.site).await.map_err(failed)
}
