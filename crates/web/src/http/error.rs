//! The one error boundary: every fault of a handler, its status, and what a user may see of it.
use crate::state::Busy;
use crate::ui::{Chrome, show};
use actix_web::http::{StatusCode, header};
use actix_web::{HttpResponse, ResponseError};
use askama::Template;
use thiserror::Error;
use velvet_dial_core::oil::OilError;
use velvet_dial_report::PaperError;
use velvet_dial_store::StoreError;

/// What can go wrong while a request is answered.
#[derive(Debug, Error)]
pub enum Failure {
    /// Nobody is signed in; afterwards they go on where they were.
    #[error("sign in first")]
    SignInFirst {
        /// Where they were.
        back: String,
        /// The request came from htmx, which must be told to leave the page.
        fragment: bool,
    },
    /// Asked for by another site.
    #[error("refused: the request came from another site")]
    OtherSite,
    /// A body that comes packed.
    #[error("refused: the body came packed")]
    Packed,
    /// No such page.
    #[error("no such page")]
    NoPage,
    /// The form could not be read at all.
    #[error("form: {0}")]
    Form(String),
    /// The upload could not be read at all.
    #[error("upload: {0}")]
    Upload(String),
    /// The store.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// An engine's oil grade that is not known; the library refuses it, so a damaged row.
    #[error(transparent)]
    Oil(#[from] OilError),
    /// A template failed.
    #[error(transparent)]
    Template(#[from] askama::Error),
    /// A cookie that cannot be written.
    #[error(transparent)]
    Header(#[from] actix_web::error::HttpError),
    /// Too much is worked out at once, or a computation was cut off.
    #[error(transparent)]
    Busy(#[from] Busy),
    /// What was sent did not arrive in time.
    #[error("what was sent stalled")]
    Stalled,
    /// The report could not be laid out on paper.
    #[error(transparent)]
    Paper(#[from] PaperError),
    /// The key that signs reports cannot be had.
    #[error("a report was not signed: {0}")]
    NotSigned(String),
    /// The disk is all but full.
    #[error("the disk is all but full")]
    DiskFull,
}

#[derive(Template)]
#[template(path = "http/error.html")]
struct ErrorPage {
    chrome: Chrome,
    title: &'static str,
    says: &'static str,
}

impl Failure {
    /// Title and sentence for the user; nothing from inside goes into it.
    fn words(&self) -> (&'static str, &'static str) {
        match self {
            Self::SignInFirst { .. } => {
                ("Sign in first", "You are not signed in, or your session is over. Sign in and go on where you were.")
            }
            Self::OtherSite => {
                ("Refused", "This change was asked for by another site's page, so it was not done. Open the page here and do it again.")
            }
            Self::NoPage | Self::Store(StoreError::NotFound) => {
                ("Not found", "There is no such page, or it belongs to another shop. Go back to the board and look for the job there.")
            }
            Self::Form(_) => (
                "Form not understood",
                "The form was too long or incomplete, so nothing was written. Go back, shorten what you typed and send it again.",
            ),
            Self::Upload(_) => {
                ("File not taken", "The upload was cut off, or it was not a file. Nothing was saved. Choose the file and import it again.")
            }
            Self::Packed => ("Not taken", "What was sent came packed, which is not taken here, so nothing was written. Send it as it is."),
            Self::Store(StoreError::Closed) => (
                "The job is closed",
                "A closed job is a record, so nothing was written. Open it again from its report, with the reason, and send this once more.",
            ),
            Self::Store(StoreError::NotAllowed(_)) => (
                "Not yours to do",
                "Your role in this shop does not allow this, so nothing was changed. Ask a foreman or the owner. Who may do what stands under Settings, Roles.",
            ),
            Self::Busy(Busy::Full) => {
                ("Busy", "The server is busy. What you sent is sent again automatically; this page tries again in three seconds.")
            }
            Self::Store(StoreError::Full { whose: "job", .. }) => (
                "Enough recorded",
                "This job holds 256 MB of recorded runs, which is the limit. The file was not saved. Cut the run to the part that matters, or use the runs that are here.",
            ),
            Self::Store(StoreError::Full { .. }) => (
                "Enough recorded",
                "This shop holds 8 GB of recorded runs, which is the limit. The file was not saved. Ask the person who looks after this computer to make room.",
            ),
            Self::Store(StoreError::Album { .. }) => {
                ("Enough photos", "This job holds 200 photos, which is the limit. This photo was not saved.")
            }
            Self::Stalled => {
                ("Not arrived", "What you sent did not arrive in time, so nothing was saved. Check the connection and send it again.")
            }
            Self::NotSigned(_) => (
                "Not closed",
                "The key that signs reports cannot be read, so the job was not closed. Nothing was changed. Ask the person who looks after this computer: the reason is in the log.",
            ),
            Self::DiskFull => (
                "No room",
                "The disk of this computer is almost full. The file was not saved; readings and findings still can be. Ask the person who looks after it to make room.",
            ),
            Self::Store(StoreError::Refused(_)) => (
                "Not saved",
                "One figure is outside what is possible, or a choice is not on the list. Nothing was saved. Go back, correct it and send it again.",
            ),
            Self::Store(StoreError::CannotBeKept) => {
                ("Form not understood", "One number on the form is not a number. Nothing was saved. Go back, correct it and send it again.")
            }
            Self::Paper(_) => (
                "No PDF",
                "The report could not be made into a PDF. Nothing is lost: print the page, or save it as JSON. The reason is in the log of this computer.",
            ),
            Self::Store(_) | Self::Oil(_) | Self::Template(_) | Self::Header(_) | Self::Busy(Busy::CutOff) => (
                "Something failed here",
                "What you typed is still on the page before. Go back and send it again. If it fails again, call the person who looks after this computer and give the time of day: the log has the details.",
            ),
        }
    }
}

impl ResponseError for Failure {
    fn status_code(&self) -> StatusCode {
        match self {
            Self::SignInFirst { fragment: false, .. } => StatusCode::SEE_OTHER,
            Self::SignInFirst { fragment: true, .. } => StatusCode::UNAUTHORIZED,
            Self::OtherSite | Self::Store(StoreError::NotAllowed(_)) => StatusCode::FORBIDDEN,
            Self::Packed => StatusCode::UNSUPPORTED_MEDIA_TYPE,
            Self::NoPage | Self::Store(StoreError::NotFound) => StatusCode::NOT_FOUND,
            Self::Form(_) | Self::Store(StoreError::CannotBeKept | StoreError::Refused(_)) => StatusCode::BAD_REQUEST,
            Self::Store(StoreError::Closed) => StatusCode::CONFLICT,
            Self::Upload(_) => StatusCode::PAYLOAD_TOO_LARGE,
            Self::Stalled => StatusCode::REQUEST_TIMEOUT,
            Self::Busy(Busy::Full) => StatusCode::SERVICE_UNAVAILABLE,
            Self::DiskFull | Self::Store(StoreError::Full { .. } | StoreError::Album { .. }) => StatusCode::INSUFFICIENT_STORAGE,
            Self::Store(_)
            | Self::Oil(_)
            | Self::Template(_)
            | Self::Header(_)
            | Self::Paper(_)
            | Self::NotSigned(_)
            | Self::Busy(Busy::CutOff) => StatusCode::INTERNAL_SERVER_ERROR,
        }
    }

    fn error_response(&self) -> HttpResponse {
        let mut response = self.answer();
        super::guard::add_safe_headers(response.headers_mut());
        response
    }
}

impl Failure {
    fn answer(&self) -> HttpResponse {
        let mut response = HttpResponse::build(self.status_code());
        if let Self::SignInFirst { back, fragment } = self {
            // The path was taken from our own request line, so it cannot lead elsewhere.
            let to = format!("/sign-in?back={}", show::query_escape(back));
            let name = if *fragment { "hx-redirect" } else { "location" };
            return response.insert_header((header::HeaderName::from_static(name), to)).finish();
        }
        if self.status_code().is_server_error() {
            tracing::error!(fault = %self, "a request failed");
        }
        if matches!(self, Self::Busy(Busy::Full)) {
            response.insert_header((header::RETRY_AFTER, "3")).insert_header(("refresh", "3"));
        }
        let (title, says) = self.words();
        let page = ErrorPage { chrome: Chrome::bare(title), title, says };
        match page.render() {
            Ok(html) => response.content_type("text/html; charset=utf-8").body(html),
            Err(_) => response.content_type("text/plain; charset=utf-8").body(format!("{title}. {says}")),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use actix_web::body::to_bytes;
    use velvet_dial_core::rights::Right;

    /// Every failure: its status, its title, and nothing of its inside on the page.
    #[tokio::test]
    async fn every_failure_has_its_status_its_words_and_the_headers() {
        const INSIDE: &str = "s3cret of the inside";
        let damaged = || match serde_json::from_str::<u8>("x") {
            Ok(_) => panic!("“x” is no number"),
            Err(source) => StoreError::Damaged { what: INSIDE, source },
        };
        let full = |whose| Failure::Store(StoreError::Full { whose, most_mb: 64 });
        let all = [
            (Failure::OtherSite, 403, "Refused"),
            (Failure::Packed, 415, "Not taken"),
            (Failure::NoPage, 404, "Not found"),
            (Failure::Store(StoreError::NotFound), 404, "Not found"),
            (Failure::Form(INSIDE.to_owned()), 400, "Form not understood"),
            (Failure::Upload(INSIDE.to_owned()), 413, "File not taken"),
            (Failure::Store(StoreError::CannotBeKept), 400, "Form not understood"),
            (Failure::Store(StoreError::Closed), 409, "The job is closed"),
            (Failure::Store(StoreError::NotAllowed(Right::Close)), 403, "Not yours to do"),
            (full("job"), 507, "Enough recorded"),
            (full("shop"), 507, "Enough recorded"),
            (Failure::Store(StoreError::Album { most: 200 }), 507, "Enough photos"),
            (Failure::DiskFull, 507, "No room"),
            (Failure::Stalled, 408, "Not arrived"),
            (Failure::Busy(Busy::Full), 503, "Busy"),
            (Failure::Busy(Busy::CutOff), 500, "Something failed here"),
            (Failure::Store(StoreError::Hash), 500, "Something failed here"),
            (Failure::Store(damaged()), 500, "Something failed here"),
        ];
        for (failure, status, title) in all {
            let answer = failure.error_response();
            assert_eq!(answer.status().as_u16(), status, "{failure}");
            let has = |name: &str| answer.headers().contains_key(name);
            assert!(has("content-security-policy") && has("x-content-type-options"), "{failure}");
            // A busy server is asked again, by the page itself and by whoever reads the header.
            assert_eq!(has("retry-after") && has("refresh"), status == 503, "{failure}");
            let body = to_bytes(answer.into_body()).await.unwrap_or_default();
            let page = String::from_utf8_lossy(&body);
            assert!(page.contains(&format!("<h1>{title}</h1>")) && !page.contains(INSIDE), "{failure}: {page}");
        }
        let away = Failure::SignInFirst { back: "/jobs/9?a=b".to_owned(), fragment: true }.error_response();
        assert_eq!(away.status().as_u16(), 401);
        assert_eq!(away.headers().get("hx-redirect").and_then(|to| to.to_str().ok()), Some("/sign-in?back=/jobs/9%3Fa%3Db"));
    }
}
