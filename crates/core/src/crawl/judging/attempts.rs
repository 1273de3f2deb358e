//! Attempts: which of them count, and which requests are repeated when.

use std::time::Duration;

use super::Judging;
use crate::Moment;
use crate::crawl::board::{Board, ReplySource};
use crate::crawl::discovery::Discovery;
use crate::crawl::health::outage::ServerSignal;
use crate::crawl::health::{hangs, retry_after_too_long};
use crate::crawl::messages::{Response, ServerId, UrlId};
use crate::crawl::requests::Order;
use crate::crawl::requests::head_trust::may_be_final;
use crate::crawl::shared::SharedState;
use crate::crawl::urls::Confirmation;
use crate::evidence::{Attempt, AttemptOutcome, Failure, Method, Stage};
use crate::extract::reading::Reading;
use crate::verdict::Cause;

/// When a request that failed because of an overloaded server is repeated; the pace is slower
/// then.
const BREATH: Duration = Duration::from_millis(500);

/// When a start URL whose server is not there is requested again.
const START_GAP: Duration = Duration::from_secs(1);

/// When a URL is requested again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum NextAttempt {
    /// Never.
    None,
    /// Never, because its server never responds.
    GiveUp,
    /// At this moment.
    At(Moment),
    /// At this moment, because of its `Retry-After`: not a failure.
    RetryAfter(Moment),
}

impl Judging {
    /// The response to a request for the verdict of a URL has arrived, now or in an earlier part
    /// of the run.
    pub(in crate::crawl) fn handle_response(
        &mut self,
        shared: &mut SharedState,
        discovery: &mut Discovery,
        now: Moment,
        id: UrlId,
        response: Response,
    ) {
        if self.chains.contains_key(&id) {
            return self.handle_chain(shared, discovery, now, id, response);
        }
        let Some(server) = shared.board.entry(id).server else { return };
        let Response { mut attempt, reading } = response;
        let outcome = attempt.outcome.clone();
        let by_get = attempt.method == Method::Get;
        if !by_get {
            let Board { urls, requests, source, .. } = &mut shared.board;
            let wanted = urls.entry(id).roles.wanted().is_some();
            // The earlier run trusted a HEAD that no GET followed.
            let is_final = may_be_final(&outcome, wanted)
                && (*source == ReplySource::Recall
                    || requests.head_trust.handle_success(server, id));
            if !is_final {
                shared.board.entry_mut(id).attempts.by_get = true;
                shared.board.report_attempt(id, attempt, None, true);
                return shared.board.enqueue(id, Order::First);
            }
        } else if !outcome.may_pass() {
            shared.board.requests.head_trust.handle_get(server, id, &outcome);
        }
        self.certificates.handle_outcome(&mut shared.board, now, (server, id), &outcome);
        if shared.board.source == ReplySource::Recall {
            shared.health.handle_recalled(&shared.board, id, &outcome);
        } else {
            shared.health.handle_outcome(&mut shared.board, now, (server, id), &attempt);
        }
        attempt.strained |= shared.board.source == ReplySource::Now
            && shared.health.is_due_to_strain(&shared.board, now, (server, id), &outcome);
        let next = next_attempt(shared, discovery, now, (server, id), &attempt);
        attempt.strained |= matches!(next, NextAttempt::RetryAfter(_));
        count_attempt(shared, now, id, &attempt);
        let title = reading.as_ref().and_then(Reading::title).map(str::to_owned);
        shared.board.report_attempt(id, attempt, title, next != NextAttempt::None);
        match next {
            NextAttempt::GiveUp => self.defer(shared, discovery, id, Cause::Timeout),
            NextAttempt::At(due) | NextAttempt::RetryAfter(due) => {
                let hung = hangs(&outcome) && !shared.board.requests.pace(server).has_responded();
                shared.board.requests.handle_failure(id, outcome);
                shared.board.requests.set_on_trial(server, hung);
                shared.board.retry_at(id, due);
                discovery.handle_delayed(shared, id);
            }
            NextAttempt::None
                if shared.health.is_gone(&shared.board, id)
                    && ServerSignal::of(&outcome).is_bad() =>
            {
                shared.health.defer_urls_of_gone(&mut shared.board, id);
            }
            NextAttempt::None if discovery.is_current_start(&shared.board, id) => {
                self.handle_start_outcome(shared, discovery, id, &outcome, reading);
            }
            NextAttempt::None => {
                shared.health.handle_last(&mut shared.board, server, &outcome);
                shared.health.watch_luck(&mut shared.board, (server, id), &outcome);
                let outcome = shared.board.requests.most_frequent(id, outcome);
                self.conclude(shared, discovery, id, &outcome, reading);
            }
        }
    }
}

/// Whether there is no server at all.
fn is_unreached(outcome: &AttemptOutcome) -> bool {
    let AttemptOutcome::Failure(failure) = outcome else { return false };
    matches!(failure, Failure::Refused | Failure::Unreachable | Failure::Dns(_))
}

fn count_attempt(shared: &mut SharedState, now: Moment, id: UrlId, attempt: &Attempt) {
    let attempts = &mut shared.board.entry_mut(id).attempts;
    let by_get = attempt.method == Method::Get;
    attempts.by_get |= by_get;
    if attempts.confirmation == Confirmation::UnderWay {
        attempts.confirmation = Confirmation::Done;
    }
    attempts.began = now.before(attempt.took);
    attempts.hung = hangs(&attempt.outcome);
    if attempt.strained {
        attempts.strained += 1;
    } else {
        attempts.count += u32::from(by_get);
    }
}

/// When a URL is requested again after this attempt.
fn next_attempt(
    shared: &mut SharedState,
    discovery: &Discovery,
    now: Moment,
    (server, id): (ServerId, UrlId),
    attempt: &Attempt,
) -> NextAttempt {
    let SharedState { board, health, .. } = shared;
    let outcome = &attempt.outcome;
    // While there is another start URL to try, this one is not retried.
    let hurried = discovery.is_current_start(board, id) && discovery.has_another_start();
    if hurried || retry_after_too_long(outcome) || attempt.method == Method::Head {
        return NextAttempt::None;
    }
    if health.is_gone(board, id) {
        return NextAttempt::None;
    }
    if let Some(moment) = health.apply_retry_after(board, now, server, outcome) {
        return NextAttempt::RetryAfter(moment);
    }
    let retry = board.settings.retry;
    if attempt.strained {
        return NextAttempt::At(now + BREATH.min(retry.timeout / 4));
    }
    if hangs(outcome) && health.is_hopeless(board, server, id) {
        return NextAttempt::GiveUp;
    }
    let ran_out = *outcome == AttemptOutcome::Failure(Failure::Timeout(Stage::Body));
    if ran_out && health.is_dripping(server) {
        return NextAttempt::GiveUp;
    }
    match retry.gap(board.entry(id).attempts.count + 1, outcome) {
        // Someone waits for the first page: a wrong name or port shows at once.
        Some(gap) if discovery.is_current_start(board, id) && is_unreached(outcome) => {
            NextAttempt::At(now + gap.min(START_GAP))
        }
        Some(gap) => NextAttempt::At(now + gap),
        None if health.grant_attempt(board, (server, id), outcome) => {
            NextAttempt::At(now + retry.timeout / 4)
        }
        None => NextAttempt::None,
    }
}
