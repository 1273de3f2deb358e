//! From responses to attempts: which count, which are made again and when.

use std::time::Duration;

use super::Judging;
use crate::Moment;
use crate::crawl::board::ReplySource;
use crate::crawl::discovery::Discovery;
use crate::crawl::ground::Ground;
use crate::crawl::health::outage::ServerSignal;
use crate::crawl::health::{asks_for_too_long, hangs};
use crate::crawl::messages::{Response, ServerId, UrlId};
use crate::crawl::requests::Order;
use crate::crawl::urls::Confirmation;
use crate::evidence::{Attempt, Ending, Method};
use crate::extract::reading::Reading;
use crate::verdict::Cause;

/// What failed under strain is requested again this soon: the pace is slower then.
const BREATH: Duration = Duration::from_millis(500);

/// When a URL is requested again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Next {
    /// Not.
    None,
    /// Not, since its server never responds.
    GiveUp,
    /// Then.
    At(Moment),
    /// Then, since its server asks for it: no failure of ours.
    WhenAsked(Moment),
}

impl Judging {
    /// The response to a request for the verdict of a URL has come, now or in an earlier part
    /// of the run.
    pub(in crate::crawl) fn handle_response(
        &mut self,
        ground: &mut Ground,
        discovery: &mut Discovery,
        now: Moment,
        id: UrlId,
        response: Response,
    ) {
        if self.chains.contains_key(&id) {
            return self.handle_chain(ground, discovery, now, id, response);
        }
        let Some(server) = ground.board.entry(id).server else { return };
        let Response { mut attempt, reading } = response;
        let ending = attempt.ending.clone();
        let by_get = attempt.method == Method::Get;
        if !by_get {
            let wanted = ground.board.entry(id).roles.wanted().is_some();
            let trust = &mut ground.board.requests.head_trust;
            if !trust.handle_head(server, id, wanted, &ending) {
                ground.board.entry_mut(id).attempts.by_get = true;
                ground.board.report_attempt(id, attempt, None, true);
                return ground.board.enqueue(id, Order::First);
            }
        } else if !ending.may_pass() {
            disbelieve_heads(ground, server, id, &ending);
        }
        if ground.board.source != ReplySource::Recall {
            ground.health.handle_outcome(&mut ground.board, now, (server, id), &attempt);
        }
        attempt.strained |= ground.board.source == ReplySource::Now
            && ground.health.is_due_to_strain(&ground.board, now, (server, id), &ending);
        let next = next_attempt(ground, discovery, now, (server, id), &attempt);
        attempt.strained |= matches!(next, Next::WhenAsked(_));
        count_attempt(ground, now, id, &attempt);
        let title = reading.as_ref().and_then(Reading::title).map(str::to_owned);
        ground.board.report_attempt(id, attempt, title, next != Next::None);
        match next {
            Next::GiveUp => self.withhold(ground, discovery, id, Cause::Timeout),
            Next::At(due) | Next::WhenAsked(due) => {
                let hung = hangs(&ending) && !ground.board.requests.pace(server).has_answered();
                ground.board.requests.handle_failure(id, ending);
                ground.board.requests.set_on_trial(server, hung);
                ground.board.retry_at(id, due);
                discovery.handle_delayed(ground, id);
            }
            Next::None
                if ground.health.is_gone(&ground.board, id)
                    && ServerSignal::of(&ending).is_bad() =>
            {
                ground.health.withhold_of_gone(&mut ground.board, id);
            }
            Next::None if discovery.is_current_start(&ground.board, id) => {
                self.handle_start_outcome(ground, discovery, id, &ending, reading);
            }
            Next::None => {
                ground.health.handle_last(&mut ground.board, server, &ending);
                let ending = ground.board.requests.most_frequent(id, ending);
                self.conclude(ground, discovery, id, &ending, reading);
            }
        }
    }
}

/// A GET may belie what HEAD said of others: they are requested again.
fn disbelieve_heads(ground: &mut Ground, server: ServerId, id: UrlId, ending: &Ending) {
    for id in ground.board.requests.head_trust.handle_get(server, id, ending) {
        ground.board.entry_mut(id).attempts.by_get = true;
        if ground.board.entry(id).judged().is_some() {
            ground.board.enqueue(id, Order::Last);
        }
    }
}

fn count_attempt(ground: &mut Ground, now: Moment, id: UrlId, attempt: &Attempt) {
    let attempts = &mut ground.board.entry_mut(id).attempts;
    let by_get = attempt.method == Method::Get;
    attempts.by_get |= by_get;
    if attempts.confirmation == Confirmation::UnderWay {
        attempts.confirmation = Confirmation::Done;
    }
    attempts.began = now.before(attempt.took);
    attempts.hung = hangs(&attempt.ending);
    if attempt.strained {
        attempts.strained += 1;
    } else {
        attempts.count += u32::from(by_get);
    }
}

/// When a URL is requested again after this attempt.
fn next_attempt(
    ground: &mut Ground,
    discovery: &Discovery,
    now: Moment,
    (server, id): (ServerId, UrlId),
    attempt: &Attempt,
) -> Next {
    let Ground { board, health, .. } = ground;
    let ending = &attempt.ending;
    // While there is another start to try, no time is spent on this one.
    let hurried = discovery.is_current_start(board, id) && discovery.has_another_start();
    if hurried || asks_for_too_long(ending) || attempt.method == Method::Head {
        return Next::None;
    }
    if health.is_gone(board, id) {
        return Next::None;
    }
    if let Some(moment) = health.keep_wait(board, now, server, ending) {
        return Next::WhenAsked(moment);
    }
    let retry = board.settings.retry;
    if attempt.strained {
        return Next::At(now + BREATH.min(retry.timeout / 4));
    }
    if hangs(ending) && health.is_hopeless(board, server, id) {
        return Next::GiveUp;
    }
    match retry.gap(board.entry(id).attempts.count + 1, ending) {
        Some(gap) => Next::At(now + gap),
        None => Next::None,
    }
}
