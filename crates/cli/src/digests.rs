//! Digests: who is told, how, and what becomes of those that wait.

use std::io::Write;
use std::path::Path;

use jiff::Timestamp;
use rummage_engine::{DeliveryError, Mail, MailServer, Security, hand_over, send};
use rummage_store::{Channel, Counts, Digest, DigestPlace, Letter, Outbox, Telling, Told};
use rummage_view::safe;

use crate::choice;
use crate::clock::WallClock;
use crate::config::{Config, Section, SecurityChoice, Variable};
use crate::failure::Failure;
use crate::output::Terminal;
use crate::passes::plain::{certificates, of_environment};
use crate::paths::waivers;

/// The variable that names the mail server, whatever the settings say.
const SERVER: &str = "RUMMAGE_DIGEST_SERVER";
/// The variable that holds its password, unless the settings name another.
const PASSWORD: &str = "RUMMAGE_DIGEST_PASSWORD";

/// How people are told of a run with these settings.
pub(crate) fn telling(
    config: &Config,
    store: &Path,
    settled: &Section,
    clock: WallClock,
) -> Result<Telling, Failure> {
    Ok(Telling {
        waivers: waivers(config, store, clock)?,
        apart: settled.own.watching.apart(),
        channels: channels(settled),
    })
}

/// The ways in which digests of a site are delivered.
fn channels(settled: &Section) -> Vec<Channel> {
    let watching = &settled.own.watching;
    let mail = (!watching.digest_to.is_empty()).then_some(Channel::Mail);
    let command = (!watching.digest_command.is_empty()).then_some(Channel::Command);
    mail.into_iter().chain(command).collect()
}

/// What became of a digest.
pub(crate) struct Delivery {
    pub(crate) site: String,
    pub(crate) channel: Channel,
    pub(crate) result: Result<String, String>,
    /// When it is tried again, where it failed.
    pub(crate) next_at: Option<Timestamp>,
}

impl Delivery {
    /// In a sentence.
    pub(crate) fn sentence(&self) -> String {
        let (site, channel) = (safe(&self.site), self.channel.as_str());
        match (&self.result, self.next_at) {
            (Ok(how), _) => format!("digest of {site} sent by {channel}: {}", safe(how)),
            (Err(why), Some(at)) => format!(
                "the digest of {site} could not be sent by {channel}: {}; it waits, and is tried \
                 again by the next run, or by rummage patrol from {} on",
                safe(why),
                rummage_view::when(at)
            ),
            (Err(why), None) => {
                format!("the digest of {site} is not sent by {channel}: {}", safe(why))
            }
        }
    }
}

/// Delivers what waits in a store and is due. Where another program is at it, it is left
/// to that.
pub(crate) async fn deliver(
    store: &Path,
    config: &Config,
    clock: WallClock,
) -> Result<Vec<Delivery>, Failure> {
    let Some(outbox) = Outbox::open(store)? else { return Ok(Vec::new()) };
    let mut deliveries = Vec::new();
    for letter in outbox.due(clock.now())? {
        let site = letter.digest.site.clone();
        let name = choice::by_host(config, &site);
        let settled = config.settled(name.as_deref());
        let mut next_at = None;
        let result = if channels(&settled).contains(&letter.channel) {
            let name = name.unwrap_or(site.clone());
            let result = deliver_one(&settled, &letter, &name).await;
            // It is marked at once: what is delivered twice is delivered here, if we end now.
            match &result {
                Ok(_) => outbox.handle_delivered(&letter, clock.now())?,
                Err(why) => {
                    next_at = Some(outbox.handle_failed(&letter, why, clock.now())?);
                }
            }
            result
        } else {
            outbox.handle_dropped(&letter)?;
            Err("the settings name no such way any more".to_owned())
        };
        deliveries.push(Delivery { site, channel: letter.channel, result, next_at });
    }
    Ok(deliveries)
}

async fn deliver_one(settled: &Section, letter: &Letter, name: &str) -> Result<String, String> {
    match letter.channel {
        Channel::Mail => {
            let server = server(settled).map_err(|failure| failure.sentence())?;
            let mail = mail(settled, &letter.digest, name);
            let to = mail.to.join(", ");
            let said = send(server, mail).await.map_err(|error| error.to_string())?;
            Ok(format!("to {to}, {said}"))
        }
        Channel::Command => {
            let words = &settled.own.watching.digest_command;
            hand_over(words, &letter.json)
                .await
                .map_err(|error: DeliveryError| error.to_string())?;
            Ok(format!("{} took it", words[0]))
        }
    }
}

/// The same at the end of a command: what failed is said, and what was sent, unless less
/// is to be said. A digest that was not sent is no reason to call a crawl failed.
pub(crate) fn deliver_and_say(
    runtime: &tokio::runtime::Runtime,
    store: &Path,
    config: &Config,
    terminal: Terminal,
    clock: WallClock,
) {
    let mut err = terminal.stderr();
    match runtime.block_on(deliver(store, config, clock)) {
        Ok(deliveries) => {
            let told = |delivery: &&Delivery| delivery.result.is_err() || !terminal.quiet;
            for delivery in deliveries.iter().filter(told) {
                let _ = writeln!(err, "{}", delivery.sentence());
            }
        }
        Err(failure) => {
            let _ = writeln!(err, "digests could not be sent: {}", failure.sentence());
        }
    }
}

/// Sends a made-up digest by every way that the settings of a site name.
pub(crate) async fn try_out(settled: &Section, site: &str, clock: WallClock) -> Vec<Delivery> {
    let digest = made_up(site, clock.now());
    let json = serde_json::to_string(&digest).expect("a digest is plain data");
    let mut deliveries = Vec::new();
    for channel in channels(settled) {
        let letter =
            Letter { id: 0, channel, digest: digest.clone(), json: json.clone(), attempts: 0 };
        let result = deliver_one(settled, &letter, site).await;
        deliveries.push(Delivery { site: site.to_owned(), channel, result, next_at: None });
    }
    deliveries
}

fn made_up(site: &str, now: Timestamp) -> Digest {
    let host: String =
        site.chars().map(|c| if c.is_ascii_alphanumeric() || c == '.' { c } else { '-' }).collect();
    let place = DigestPlace {
        page: "https://www.example.test/".to_owned(),
        line: 12,
        column: 5,
        element: "a".to_owned(),
        text: Some("a test, no fault of yours".to_owned()),
        region: Some("main".to_owned()),
    };
    let told = Told {
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
        title: Some("A test of how digests arrive".to_owned()),
        run: 0,
        run_before: Some(0),
        kind: "test".to_owned(),
        began_at: now,
        message_id: format!("rummage.test.{}@{host}", now.as_microsecond()),
        counts: Counts { broke: 1, open: 1, ..Counts::default() },
        broke: vec![told],
        came_back: Vec::new(),
        reopened: Vec::new(),
        healed: Vec::new(),
    }
}

fn mail(settled: &Section, digest: &Digest, name: &str) -> Mail {
    let watching = &settled.own.watching;
    let rummage_view::Letter { subject, text, html } = rummage_view::letter(digest, name);
    let to = watching.digest_to.clone();
    // All letters of a site refer to one that was never sent: mail readers put them together.
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

/// The mail server that the settings name.
fn server(settled: &Section) -> Result<MailServer, Failure> {
    let watching = &settled.own.watching;
    let named = std::env::var(SERVER).ok().filter(|text| !text.is_empty());
    let text = named.or(watching.digest_server.clone()).ok_or_else(|| Failure::Usage {
        what: "digest-to is set, and no mail server".to_owned(),
        hint: "Name one in rummage.toml: digest-server = \"mail.example.test:587\"".to_owned(),
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
                what: format!("the password of {user} is not in the environment: {variable}"),
                hint: format!("Set {variable} where rummage runs."),
            })?;
            Some((user.clone(), password))
        }
    };
    let asking = of_environment()?.or(settled.asking.clone());
    let mut ca_certs = Vec::new();
    for file in &asking.ca_cert {
        ca_certs.extend(certificates(file)?);
    }
    Ok(MailServer { host, port, security, user, ca_certs })
}

/// `mail.example.test`, `mail.example.test:587`, `[::1]:25`; the port is that of the way
/// in which the line is made secure (RFC 8314 §3.3, RFC 6409 §3.1).
fn host_and_port(text: &str, security: Option<SecurityChoice>) -> Result<(String, u16), Failure> {
    let wrong = || Failure::Usage {
        what: format!("{text} is no mail server"),
        hint: "Write a host, and its port after a colon: mail.example.test:587".to_owned(),
    };
    let bare = |host: &str| host.trim_start_matches('[').trim_end_matches(']').to_owned();
    let preset = if security == Some(SecurityChoice::Tls) { 465 } else { 587 };
    let (host, port) = match text.rsplit_once(':') {
        Some((host, port)) if !port.ends_with(']') => {
            (bare(host), port.parse().map_err(|_| wrong())?)
        }
        _ => (bare(text), preset),
    };
    let is_fine = !host.is_empty() && !host.contains(['/', ' ', '@']);
    if is_fine { Ok((host, port)) } else { Err(wrong()) }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    #[test]
    fn mail_servers_are_named_with_a_port_or_without() {
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
