//! Somebody at a browser, as far as the server can tell.
use crate::Done;
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
    pub async fn sign_in(base: &str, number: u64) -> Done<Self> {
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
    pub async fn get(&self, path: &str) -> Done<(String, Duration)> {
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
    pub async fn stream(&self, path: &str) -> Done<Response> {
        // Longer than anybody watches here.
        let sent = self.client.get(format!("{}{path}", self.base)).header(COOKIE, &self.cookie).timeout(Duration::from_secs(3600));
        Ok(sent.send().await?)
    }

    /// A form, as htmx sends it.
    pub async fn post(&self, path: &str, form: &[(&str, &str)]) -> Done<Response> {
        let sent = self.client.post(format!("{}{path}", self.base)).header(COOKIE, &self.cookie);
        let sent = sent.header("hx-request", "true").header("sec-fetch-site", "same-origin").header("x-forwarded-for", &self.address);
        Ok(sent.form(form).send().await?)
    }

    /// Opens a new job on the engine of this place in the list, and says its number.
    pub async fn open_job(&self, place: u64) -> Done<i64> {
        let (page, _) = self.get("/jobs/new").await?;
        let engines: Vec<&str> =
            page.split("<option value=\"").filter_map(|rest| rest.get(..36)).filter(|id| Uuid::parse_str(id).is_ok()).collect();
        let engine = engines.get((place % engines.len().max(1) as u64) as usize).copied().ok_or("no engine to choose")?;
        let key = Uuid::new_v4().to_string();
        let form = [("key", key.as_str()), ("tag", &key[..8]), ("engine", engine), ("complaint", "Lamp at idle when hot")];
        let answer = self.post("/jobs", &form).await?;
        let to = ["location", "hx-redirect"].into_iter().find_map(|name| answer.headers().get(name)?.to_str().ok());
        let number = to.and_then(|to| to.strip_prefix("/jobs/")?.split('/').next()?.parse().ok());
        number.ok_or_else(|| format!("no job was opened: {}", answer.status()).into())
    }

    /// A hot idle, and how long it took; why it was not acknowledged, when it was not.
    pub async fn reading(&self, job: i64, kpa: f64) -> Result<Duration, String> {
        self.reading_at(job, (780, 98), kpa).await
    }

    /// A reading at a speed and an oil temperature, likewise.
    pub async fn reading_at(&self, job: i64, (rpm, oil_temp_c): (u32, u32), kpa: f64) -> Result<Duration, String> {
        let (key, kpa) = (Uuid::new_v4().to_string(), format!("{kpa:.1} kPa"));
        let (rpm, oil) = (rpm.to_string(), oil_temp_c.to_string());
        let form = [("key", key.as_str()), ("unit", "kPa"), ("rpm", &rpm), ("oil_temp_c", &oil), ("pressure", &kpa), ("phase", "before")];
        let start = Instant::now();
        let answer = self.post(&format!("/jobs/{job}/reading"), &form).await.map_err(|error| error.to_string())?;
        let status = answer.status();
        // The whole of it: a technician waits for the screen and not for its first byte.
        answer.bytes().await.map_err(|error| error.to_string())?;
        if status.is_success() { Ok(start.elapsed()) } else { Err(format!("job {job}: {status}")) }
    }
}
