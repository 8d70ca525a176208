//! Sends events to other programs, signed, until they arrive.
use crate::state::App;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use hmac::{Hmac, KeyInit, Mac};
use sha2::Sha256;
use std::net::IpAddr;
use std::time::Duration;
use tokio::task::JoinSet;
use ureq::Agent;
use ureq::http::Uri;
use ureq::unversioned::resolver::{DefaultResolver, ResolvedSocketAddrs, Resolver};
use ureq::unversioned::transport::{DefaultConnector, NextTimeout};
use velvet_dial_store::programs::{self, Due};

/// It is looked for what is due so often.
const EVERY: Duration = Duration::from_secs(1);
/// A program has so long to answer.
const PATIENCE: Duration = Duration::from_secs(10);
/// Sent at the same time.
const AT_ONCE: u64 = 16;

/// Sends what is due, for as long as the server runs; never returns.
pub async fn deliver(app: &App) {
    let agent = agent(app.serving.hooks_within);
    loop {
        match programs::due(&app.db, AT_ONCE).await {
            Ok(due) => send_all(app, &agent, due).await,
            Err(error) => tracing::warn!(%error, "it could not be seen which events are due; it is tried again"),
        }
        tokio::time::sleep(EVERY).await;
    }
}

async fn send_all(app: &App, agent: &Agent, due: Vec<Due>) {
    let mut sending = JoinSet::new();
    for one in due {
        let agent = agent.clone();
        sending.spawn_blocking(move || {
            let went = send(&agent, &one);
            (one, went)
        });
    }
    while let Some(sent) = sending.join_next().await {
        let Ok((one, went)) = sent else { continue };
        if let Err(error) = programs::answered(&app.db, &one, went).await {
            tracing::warn!(%error, event = %one.id, "how an event was answered could not be noted; it is sent again");
        }
    }
}

/// Sends one; what came back in words, or why it did not arrive.
fn send(agent: &Agent, due: &Due) -> Result<String, String> {
    let (id, at) = (due.id.to_string(), chrono::Utc::now().timestamp().to_string());
    let answer = agent
        .post(&due.url)
        .content_type("application/json")
        .header("webhook-id", &id)
        .header("webhook-timestamp", &at)
        .header("webhook-signature", signature(&due.secret, &id, &at, &due.body))
        .send(&due.body);
    match answer {
        Ok(answer) if answer.status().is_success() => Ok(format!("answered {}", answer.status().as_u16())),
        Ok(answer) => Err(format!("answered {}", answer.status().as_u16())),
        Err(error) => Err(error.to_string()),
    }
}

/// Over key, moment and body, as Standard Webhooks has it: `v1,` and base64 of an HMAC-SHA256. A receiver works the same out, and refuses what is old.
fn signature(secret: &str, id: &str, at: &str, body: &str) -> String {
    let Ok(mut mac) = Hmac::<Sha256>::new_from_slice(secret.as_bytes()) else { return String::new() };
    mac.update(format!("{id}.{at}.{body}").as_bytes());
    format!("v1,{}", STANDARD.encode(mac.finalize().into_bytes()))
}

/// Follows nobody elsewhere, and reads no more of an answer than its status.
fn agent(within: bool) -> Agent {
    let config = Agent::config_builder()
        .timeout_global(Some(PATIENCE))
        .max_redirects(0)
        .http_status_as_error(false)
        .user_agent("Velvet Dial")
        .proxy(None)
        .build();
    Agent::with_parts(config, DefaultConnector::default(), Elsewhere { within })
}

/// Finds addresses, and none of this computer: what runs on it beside this server answers nobody of a shop.
#[derive(Debug)]
struct Elsewhere {
    within: bool,
}

impl Resolver for Elsewhere {
    fn resolve(&self, uri: &Uri, config: &ureq::config::Config, timeout: NextTimeout) -> Result<ResolvedSocketAddrs, ureq::Error> {
        let found = DefaultResolver::default().resolve(uri, config, timeout)?;
        if !self.within && found.iter().any(|address| is_this_computer(address.ip())) {
            return Err(ureq::Error::HostNotFound);
        }
        Ok(found)
    }
}

fn is_this_computer(ip: IpAddr) -> bool {
    let plain = match ip {
        IpAddr::V6(six) => six.to_ipv4_mapped().map_or(ip, IpAddr::V4),
        IpAddr::V4(_) => ip,
    };
    match plain {
        IpAddr::V4(four) => {
            four.is_loopback() || four.is_unspecified() || four.is_link_local() || four.is_broadcast() || four.is_multicast()
        }
        IpAddr::V6(six) => six.is_loopback() || six.is_unspecified() || six.is_unicast_link_local() || six.is_multicast(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Worked out with openssl: `printf 'id.1700000000.{}' | openssl dgst -sha256 -hmac secret -binary | base64`.
    #[test]
    fn a_signature_is_what_others_work_out() {
        assert_eq!(signature("secret", "id", "1700000000", "{}"), "v1,GBemBzTgbKoVEGKycqyY3615LbdJbhFLE1oQk+zZ+lo=");
    }

    #[test]
    fn nothing_is_sent_to_this_computer() {
        for (ip, own) in [
            ("127.0.0.1", true),
            ("127.9.9.9", true),
            ("0.0.0.0", true),
            ("169.254.169.254", true),
            ("::1", true),
            ("::ffff:127.0.0.1", true),
            ("fe80::1", true),
            ("192.168.1.20", false),
            ("203.0.113.9", false),
            ("2001:db8::9", false),
        ] {
            assert_eq!(ip.parse().map(is_this_computer), Ok(own), "{ip}");
        }
    }
}
