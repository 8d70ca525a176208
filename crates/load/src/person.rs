//! Somebody at a browser, as far as the server can tell.
use crate::Told;
use reqwest::header::{COOKIE, SET_COOKIE};
use reqwest::redirect::Policy;
use reqwest::{Client, Response};
use std::time::{Duration, Instant};
use uuid::Uuid;

/// Password of everybody here.
pub const PASSWORD: &str = "heron valve gravel";

/// Somebody who is signed in.
#[derive(Debug, Clone)]
pub struct Person {
    client: Client,
    /// Where the server is.
    pub base: String,
    cookie: String,
    address: String,
}

impl Person {
    /// Signs in as `person-N`.
    pub async fn sign_in(base: &str, number: u64) -> Told<Self> {
        let client = Client::builder().redirect(Policy::none()).timeout(Duration::from_secs(30)).build()?;
        let address = format!("10.0.{}.{}", number / 250, number % 250 + 1);
        let mut person = Self { client, base: base.to_owned(), cookie: String::new(), address };
        let name = format!("person-{number}");
        let answer = person.post("/sign-in", &[("name", &name), ("password", PASSWORD)]).await?;
        let cookie = answer.headers().get(SET_COOKIE).and_then(|cookie| cookie.to_str().ok()).and_then(|cookie| cookie.split(';').next());
        person.cookie = cookie.ok_or_else(|| format!("{name} was not let in: {}", answer.status()))?.to_owned();
        Ok(person)
    }

    /// A page, and how long it took.
    pub async fn get(&self, path: &str) -> Told<(String, Duration)> {
        let start = Instant::now();
        let answer = self.client.get(format!("{}{path}", self.base)).header(COOKIE, &self.cookie).send().await?;
        let status = answer.status();
        let text = answer.text().await?;
        if !status.is_success() {
            return Err(format!("{path} answers {status}").into());
        }
        Ok((text, start.elapsed()))
    }

    /// What goes on and on.
    pub async fn stream(&self, path: &str) -> Told<Response> {
        // Longer than anybody watches here.
        let sent = self.client.get(format!("{}{path}", self.base)).header(COOKIE, &self.cookie).timeout(Duration::from_secs(3600));
        Ok(sent.send().await?)
    }

    /// A form, as htmx sends it.
    pub async fn post(&self, path: &str, form: &[(&str, &str)]) -> Told<Response> {
        let sent = self.client.post(format!("{}{path}", self.base)).header(COOKIE, &self.cookie);
        let sent = sent.header("hx-request", "true").header("sec-fetch-site", "same-origin").header("x-forwarded-for", &self.address);
        Ok(sent.form(form).send().await?)
    }

    /// A reading, and how long it took; why it was not acknowledged, when it was not.
    pub async fn reading(&self, job: i64, kpa: f64) -> Result<Duration, String> {
        let (key, kpa) = (Uuid::new_v4().to_string(), format!("{kpa:.1} kPa"));
        let form = [("key", key.as_str()), ("unit", "kPa"), ("rpm", "780"), ("oil_temp_c", "98"), ("pressure", &kpa), ("phase", "before")];
        let start = Instant::now();
        let answer = self.post(&format!("/jobs/{job}/reading"), &form).await.map_err(|error| error.to_string())?;
        let status = answer.status();
        // The whole of it: a technician waits for the screen and not for its first byte.
        answer.bytes().await.map_err(|error| error.to_string())?;
        if status.is_success() { Ok(start.elapsed()) } else { Err(format!("job {job}: {status}")) }
    }
}
