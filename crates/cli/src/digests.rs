//! Digests: who receives them, by which channel, and the queue of unsent ones.

use std::io::Write;
use std::path::Path;

use jiff::Timestamp;
use rummage_engine::{DeliveryError, Mail, MailServer, Security, Stop, hand_over, send, stopped};
use rummage_store::{
    Channel, Counts, Digest, DigestLink, DigestTarget, NotifySettings, Outbox, QueuedDigest,
};
use rummage_view::{safe, safe_json};

use crate::choice;
use crate::clock::WallClock;
use crate::config::{Config, Section, SecurityChoice, Variable};
use crate::failure::Failure;
use crate::jobs::plain::{certificates, of_environment};
use crate::output::Terminal;
use crate::paths::waivers;
use crate::signals::stop_on_signal;

/// The environment variable that names the mail server, over the settings.
const SERVER: &str = "RUMMAGE_DIGEST_SERVER";
/// The environment variable with the mail server's password, unless the settings name another.
const PASSWORD: &str = "RUMMAGE_DIGEST_PASSWORD";

/// Who is notified about runs of a site, and of what.
pub(crate) fn notify(
    config: &Config,
    store: &Path,
    settings: &Section,
    clock: WallClock,
) -> Result<NotifySettings, Failure> {
    Ok(NotifySettings {
        waivers: waivers(config, store, clock)?,
        apart: settings.own.watching.apart(),
        channels: channels(settings),
    })
}

/// The channels by which digests of a site are delivered.
pub(crate) fn channels(settings: &Section) -> Vec<Channel> {
    let watching = &settings.own.watching;
    let mail = (!watching.digest_to.is_empty()).then_some(Channel::Mail);
    let command = (!watching.digest_command.is_empty()).then_some(Channel::Command);
    mail.into_iter().chain(command).collect()
}

/// The result of a delivery.
pub(crate) struct Delivery {
    pub(crate) site: String,
    pub(crate) channel: Channel,
    pub(crate) result: Result<String, String>,
    /// When a failed delivery is retried.
    pub(crate) next_at: Option<Timestamp>,
}

impl Delivery {
    /// The result as a sentence.
    pub(crate) fn sentence(&self) -> String {
        let (site, channel) = (safe(&self.site), self.channel.as_str());
        match (&self.result, self.next_at) {
            (Ok(how), _) => format!("digest of {site} sent by {channel}: {}", safe(how)),
            (Err(reason), Some(at)) => format!(
                "the digest of {site} could not be sent by {channel}: {}; it is kept, and \
                 retried by the next run, or by rummage patrol from {} on",
                safe(reason),
                rummage_view::when(at)
            ),
            (Err(reason), None) => {
                format!("the digest of {site} will not be sent by {channel}: {}", safe(reason))
            }
        }
    }
}

/// Delivers the queued digests of a store that are due, until it is stopped. Does nothing while
/// another process is delivering.
pub(crate) async fn deliver(
    store: &Path,
    config: &Config,
    clock: WallClock,
    stop: &Stop,
) -> Result<Vec<Delivery>, Failure> {
    let Some(outbox) = Outbox::open(store)? else { return Ok(Vec::new()) };
    let mut stop = stop.clone();
    let mut deliveries = Vec::new();
    for email in outbox.due(clock.now())? {
        let site = email.digest.site.clone();
        let name = choice::by_host(config, &site);
        let settings = config.settings(name.as_deref());
        let mut next_at = None;
        let result = if channels(&settings).contains(&email.channel) {
            let name = name.unwrap_or(site.clone());
            let result = tokio::select! {
                biased;
                result = deliver_one(&settings, &email, &name) => result,
                // It stays in the queue.
                () = stopped(&mut stop) => break,
            };
            // Recorded right away: a digest that was sent must not be sent again if the program
            // ends now.
            match &result {
                Ok(_) => outbox.handle_delivered(&email, clock.now())?,
                Err(reason) => {
                    next_at = Some(outbox.handle_failed(&email, reason, clock.now())?);
                }
            }
            result
        } else {
            outbox.handle_dropped(&email)?;
            Err("this channel is no longer in the settings".to_owned())
        };
        deliveries.push(Delivery { site, channel: email.channel, result, next_at });
    }
    Ok(deliveries)
}

/// Delivers one digest of a site of this name. Returns how, or why not.
pub(crate) async fn deliver_one(
    settings: &Section,
    email: &QueuedDigest,
    name: &str,
) -> Result<String, String> {
    let digest = match &settings.own.editor_link {
        Some(template) => {
            email.digest.clone().with_edit(|page| rummage_view::editor(template, page))
        }
        None => email.digest.clone(),
    };
    match email.channel {
        Channel::Mail => {
            let server = server(settings).map_err(|failure| failure.sentence())?;
            let mail = mail(settings, &digest, name);
            let to = mail.to.join(", ");
            let said = send(&server, &mail).await.map_err(|error| error.to_string())?;
            Ok(format!("to {to}, {said}"))
        }
        Channel::Command => {
            let words = &settings.own.watching.digest_command;
            let json = serde_json::to_string(&digest).expect("a digest is plain data");
            hand_over(words, &safe_json(&json), settings.own.watching.time_limit())
                .await
                .map_err(|error: DeliveryError| error.to_string())?;
            Ok(format!("{} accepted it", words[0]))
        }
    }
}

/// Delivers at the end of a command, and reports failures, and successes unless --quiet is given.
/// A digest that could not be sent does not make a crawl fail.
pub(crate) fn deliver_and_say(
    runtime: &tokio::runtime::Runtime,
    store: &Path,
    config: &Config,
    terminal: Terminal,
    clock: WallClock,
) {
    let mut err = terminal.stderr();
    let deliver = async { deliver(store, config, clock, &stop_on_signal()).await };
    match runtime.block_on(deliver) {
        Ok(deliveries) => {
            let shown = |delivery: &&Delivery| delivery.result.is_err() || !terminal.quiet;
            for delivery in deliveries.iter().filter(shown) {
                let _ = writeln!(err, "{}", delivery.sentence());
            }
        }
        Err(failure) => {
            let _ = writeln!(err, "digests could not be sent: {}", failure.sentence());
        }
    }
}

/// Sends a sample digest by every channel in the settings of a site.
pub(crate) async fn try_out(settings: &Section, site: &str, clock: WallClock) -> Vec<Delivery> {
    let digest = sample(site, clock.now());
    let json = serde_json::to_string(&digest).expect("a digest is plain data");
    let mut deliveries = Vec::new();
    for channel in channels(settings) {
        let email = QueuedDigest {
            id: 0,
            channel,
            digest: digest.clone(),
            json: json.clone(),
            attempts: 0,
        };
        let result = deliver_one(settings, &email, site).await;
        deliveries.push(Delivery { site: site.to_owned(), channel, result, next_at: None });
    }
    deliveries
}

fn sample(site: &str, now: Timestamp) -> Digest {
    let host: String =
        site.chars().map(|c| if c.is_ascii_alphanumeric() || c == '.' { c } else { '-' }).collect();
    let place = DigestLink {
        page: "https://www.example.test/".to_owned(),
        line: 12,
        column: 5,
        element: "a".to_owned(),
        text: Some("a test, not a broken link".to_owned()),
        region: Some("main".to_owned()),
        edit: None,
    };
    let shown = DigestTarget {
        target: "https://www.example.test/this-is-a-test".to_owned(),
        verdict: "broken".to_owned(),
        cause: Some("not-found".to_owned()),
        status: Some(404),
        links: 1,
        places: vec![place],
    };
    Digest {
        schema: 1,
        site: site.to_owned(),
        start: "https://www.example.test/".to_owned(),
        title: Some("A test of digest delivery".to_owned()),
        run: 0,
        run_before: Some(0),
        kind: "test".to_owned(),
        began_at: now,
        message_id: format!("rummage.test.{}@{host}", now.as_microsecond()),
        counts: Counts { broke: 1, open: 1, ..Counts::default() },
        broke: vec![shown],
        returned: Vec::new(),
        reopened: Vec::new(),
        healed: Vec::new(),
        certificates: Vec::new(),
    }
}

fn mail(settings: &Section, digest: &Digest, name: &str) -> Mail {
    let watching = &settings.own.watching;
    let rummage_view::DigestEmail { subject, text, html } = rummage_view::email(digest, name);
    let to = watching.digest_to.clone();
    // All emails about a site refer to one message that was never sent, so that mail readers show
    // them as one thread.
    let domain = digest.message_id.rsplit_once('@').map_or("", |(_, domain)| domain);
    Mail {
        from: watching.digest_from.clone().or(to.first().cloned()).unwrap_or_default(),
        to,
        subject,
        text,
        html,
        message_id: digest.message_id.clone(),
        thread: format!("rummage.digests@{domain}"),
    }
}

/// The mail server in the settings.
fn server(settings: &Section) -> Result<MailServer, Failure> {
    let watching = &settings.own.watching;
    let named = std::env::var(SERVER).ok().filter(|text| !text.is_empty());
    let text = named.or(watching.digest_server.clone()).ok_or_else(|| Failure::Usage {
        what: "digest-to is set, but digest-server is not".to_owned(),
        hint: "Name the mail server in rummage.toml: digest-server = \"mail.example.test:587\""
            .to_owned(),
    })?;
    let (host, port) = host_and_port(&text, watching.digest_security)?;
    let security = match watching.digest_security {
        Some(SecurityChoice::Starttls) => Security::Starttls,
        Some(SecurityChoice::Tls) => Security::Tls,
        Some(SecurityChoice::None) => Security::None,
        None if port == 465 => Security::Tls,
        None => Security::Starttls,
    };
    let user = match &watching.digest_user {
        None => None,
        Some(user) => {
            let variable = watching.digest_password.as_ref();
            let variable = variable.map_or(PASSWORD, |Variable(name)| name.as_str());
            let password = std::env::var(variable).map_err(|_| Failure::Usage {
                what: format!("{variable}, the password of {user}, is not in the environment"),
                hint: format!("Set {variable} in the environment of rummage."),
            })?;
            Some((user.clone(), password))
        }
    };
    let options = of_environment()?.or(settings.options.clone());
    let mut ca_certs = Vec::new();
    for file in &options.ca_cert {
        ca_certs.extend(certificates(file)?);
    }
    let time_limit = watching.time_limit();
    Ok(MailServer { host, port, security, user, ca_certs, time_limit })
}

/// Parses `mail.example.test`, `mail.example.test:587` or `[::1]:25`; the default port depends on
/// how the connection is secured (RFC 8314 §3.3, RFC 6409 §3.1).
fn host_and_port(text: &str, security: Option<SecurityChoice>) -> Result<(String, u16), Failure> {
    let wrong = || Failure::Usage {
        what: format!("{text} is not a mail server"),
        hint: "Give a host, with the port after a colon: mail.example.test:587".to_owned(),
    };
    let bare = |host: &str| host.trim_start_matches('[').trim_end_matches(']').to_owned();
    let default = if security == Some(SecurityChoice::Tls) { 465 } else { 587 };
    let (host, port) = match text.rsplit_once(':') {
        Some((host, port)) if !port.ends_with(']') => {
            (bare(host), port.parse().map_err(|_| wrong())?)
        }
        _ => (bare(text), default),
    };
    let is_fine = !host.is_empty() && !host.contains(['/', ' ', '@']);
    if is_fine { Ok((host, port)) } else { Err(wrong()) }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn a_mail_server_may_have_a_port() {
        let of = |text: &str, security| host_and_port(text, security).unwrap();
        assert_eq!(of("mail.a.test", None), ("mail.a.test".to_owned(), 587));
        assert_eq!(of("mail.a.test", Some(SecurityChoice::Tls)).1, 465);
        assert_eq!(of("mail.a.test:25", None), ("mail.a.test".to_owned(), 25));
        assert_eq!(of("[::1]:2525", None), ("::1".to_owned(), 2525));
        assert_eq!(of("[::1]", None), ("::1".to_owned(), 587));
        for text in ["", ":25", "mail.a.test:post", "smtp://mail.a.test", "me@mail.a.test"] {
            assert!(host_and_port(text, None).is_err(), "{text}");
        }
    }
}
