//! Somebody over HTTP.
use reqwest::header::{COOKIE, HeaderMap, LOCATION, SET_COOKIE};
use reqwest::{Client, RequestBuilder, Response, StatusCode, redirect};

/// A person with a browser: a cookie jar of one cookie, and the header a browser sends of itself.
pub struct Person {
    pub client: Client,
    pub base: String,
    pub cookie: String,
}

impl Person {
    /// Nobody in particular, before a server of their own.
    pub async fn new() -> Self {
        Self::at(&super::start().await)
    }

    /// Nobody in particular, before a server that runs.
    pub fn at(base: &str) -> Self {
        let client = Client::builder().redirect(redirect::Policy::none()).build().unwrap();
        Self { client, base: base.to_owned(), cookie: String::new() }
    }

    /// Ines, before a server of her own.
    pub async fn signed_in() -> Self {
        Self::new().await.entering_as("ines", "brass needle").await
    }

    /// The same browser, signed in.
    pub async fn entering_as(self, name: &str, password: &str) -> Self {
        let mut person = Self { cookie: String::new(), ..self };
        let answer = person.post("/sign-in", &[("name", name), ("password", password)]).await;
        assert_eq!(answer.status(), StatusCode::SEE_OTHER);
        let cookie = answer.headers().get(SET_COOKIE).unwrap().to_str().unwrap().to_owned();
        assert!(cookie.contains("HttpOnly") && cookie.contains("SameSite=Lax"), "{cookie}");
        person.cookie = cookie.split(';').next().unwrap().to_owned();
        person
    }

    pub fn ask(&self, request: RequestBuilder) -> RequestBuilder {
        request.header(COOKIE, &self.cookie).header("sec-fetch-site", "same-origin")
    }

    pub async fn get(&self, path: &str) -> Response {
        self.ask(self.client.get(format!("{}{path}", self.base))).send().await.unwrap()
    }

    pub async fn page(&self, path: &str) -> String {
        let answer = self.get(path).await;
        assert_eq!(answer.status(), StatusCode::OK, "{path}");
        answer.text().await.unwrap()
    }

    pub async fn bytes(&self, path: &str) -> Vec<u8> {
        let answer = self.get(path).await;
        assert_eq!(answer.status(), StatusCode::OK, "{path}");
        answer.bytes().await.unwrap().to_vec()
    }

    pub async fn post(&self, path: &str, form: &[(&str, &str)]) -> Response {
        self.ask(self.client.post(format!("{}{path}", self.base))).form(form).send().await.unwrap()
    }

    /// A photo as a tablet sends it.
    pub async fn photo(&self, job: u32, of: &str, bytes: Vec<u8>) -> Response {
        let form = reqwest::multipart::Form::new()
            .text("of", of.to_owned())
            .text("stage", "look")
            .text("key", format!("{of}{}", bytes.len()))
            .part("photo", reqwest::multipart::Part::bytes(bytes).file_name("a.jpg"));
        self.ask(self.client.post(format!("{}/jobs/{job}/photos", self.base))).multipart(form).send().await.unwrap()
    }

    pub async fn upload(&self, path: &str, name: &str, bytes: Vec<u8>) -> reqwest::Result<Response> {
        let part = reqwest::multipart::Part::bytes(bytes).file_name(name.to_owned());
        self.ask(self.client.post(format!("{}{path}", self.base)))
            .multipart(reqwest::multipart::Form::new().part("file", part))
            .send()
            .await
    }
}

pub fn location(headers: &HeaderMap) -> &str {
    headers.get(LOCATION).unwrap().to_str().unwrap()
}
