//! What another program hears when something is refused: problem details (RFC 9457), with a word that a program can go by.
use super::shapes::EntryView;
use crate::http::{Failure, guard};
use crate::state::Busy;
use actix_web::http::{StatusCode, header};
use actix_web::{HttpResponse, ResponseError};
use schemars::JsonSchema;
use serde::Serialize;
use velvet_dial_core::case::CaseError;
use velvet_dial_core::rights::Scope;
use velvet_dial_store::StoreError;

/// The media type of a problem.
pub const PROBLEM: &str = "application/problem+json";

/// Why a request of another program was refused.
#[derive(Debug, thiserror::Error)]
pub enum ApiFailure {
    /// No token, or one that opens nothing.
    #[error("no token")]
    Token,
    /// The token, or the role of its program, does not open this.
    #[error("not in the scopes: {}", .0.id())]
    Scope(Scope),
    /// It asks too often.
    #[error("too many requests")]
    TooOften {
        /// Seconds to wait.
        wait_s: u64,
    },
    /// What was sent cannot be.
    #[error("invalid")]
    Invalid(Vec<CaseError>),
    /// Something stands in the way.
    #[error("conflict: {code}")]
    Conflict {
        /// A word for it.
        code: &'static str,
        /// In a sentence.
        detail: String,
        /// The entry that is in that place.
        entry: Option<Box<EntryView>>,
    },
    /// What any handler meets.
    #[error(transparent)]
    Of(#[from] Failure),
}

impl From<StoreError> for ApiFailure {
    fn from(error: StoreError) -> Self {
        Self::Of(error.into())
    }
}

impl From<CaseError> for ApiFailure {
    fn from(error: CaseError) -> Self {
        Self::Invalid(vec![error])
    }
}

impl ApiFailure {
    /// One thing at one place of what was sent.
    pub fn at(path: &str, message: impl Into<String>) -> Self {
        CaseError { path: path.to_owned(), message: message.into() }.into()
    }

    /// Something stands in the way.
    pub fn conflict(code: &'static str, detail: impl Into<String>) -> Self {
        Self::Conflict { code, detail: detail.into(), entry: None }
    }
}

/// One thing that is wrong with what was sent.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Wrong {
    /// Where, such as `reading.rpm`; a dot for the whole.
    path: String,
    /// What is wrong and what would be right.
    message: String,
}

/// Why a request was refused (RFC 9457).
#[derive(Debug, Serialize, JsonSchema)]
pub struct Problem {
    /// Always `about:blank`: the code says it.
    #[serde(rename = "type")]
    kind: &'static str,
    /// In a few words.
    title: &'static str,
    /// The status of the answer.
    status: u16,
    /// A word that a program can go by.
    code: &'static str,
    /// What happened and what to do, in a sentence.
    detail: String,
    /// Each thing that is wrong with what was sent.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    errors: Vec<Wrong>,
    /// The entry that is in that place already.
    #[serde(skip_serializing_if = "Option::is_none")]
    entry: Option<EntryView>,
}

impl ApiFailure {
    /// Code, title and sentence.
    fn words(&self) -> (&'static str, &'static str, String) {
        let plain = |code, title, says: &str| (code, title, says.to_owned());
        match self {
            Self::Token => plain(
                "token",
                "No token",
                "Send the token of your program: “Authorization: Bearer vdt_…”. The owner of the shop makes one under Settings, Other programs. A token that was locked out opens nothing.",
            ),
            Self::Scope(scope) => (
                "scope",
                "Not in its scopes",
                format!("This token does not open this. It needs “{}”, and a role that may {}.", scope.id(), scope.right().label()),
            ),
            Self::TooOften { wait_s } => ("too_often", "Too many requests", format!("Wait {wait_s} s and ask again.")),
            Self::Invalid(_) => {
                plain("invalid", "Not as it should be", "Nothing was written. Each thing that is wrong is listed under “errors”.")
            }
            Self::Conflict { code, detail, .. } => (code, "Something stands in the way", detail.clone()),
            Self::Of(failure) => Self::of_failure(failure),
        }
    }

    fn of_failure(failure: &Failure) -> (&'static str, &'static str, String) {
        let plain = |code, title, says: &str| (code, title, says.to_owned());
        match failure {
            Failure::NoPage | Failure::Store(StoreError::NotFound) => plain(
                "not_found",
                "Not found",
                "There is no such thing, or it belongs to another shop, or to a job that this program has nothing to do with.",
            ),
            Failure::Store(StoreError::NotAllowed(right)) => {
                ("role", "Not for this role", format!("The role of this program may not {}.", right.label()))
            }
            Failure::Store(StoreError::Closed) => {
                plain("closed", "The job is closed", "A closed job is a record. Somebody of the shop has to open it again first.")
            }
            Failure::Store(StoreError::Refused(_) | StoreError::CannotBeKept) | Failure::Form(_) => plain(
                "invalid",
                "Not as it should be",
                "A figure is outside what is possible, or a word is not one that is known. Nothing was written.",
            ),
            Failure::Busy(Busy::Full) => plain("busy", "Busy", "The server is busy. Ask again in three seconds."),
            Failure::Upload(_) => plain("upload", "File not taken", "The file did not arrive whole. Nothing was kept. Send it again."),
            Failure::Stalled => {
                plain("stalled", "Not arrived", "What you sent did not arrive in time. Nothing was written. Send it again.")
            }
            Failure::Packed => plain("packed", "Not taken", "Send the body as it is, without content-encoding."),
            Failure::DiskFull | Failure::Store(StoreError::Full { .. } | StoreError::Album { .. }) => {
                plain("full", "No room", "The job, the shop or the disk holds as much as it may. Nothing was kept.")
            }
            _ => plain(
                "failed",
                "Something failed here",
                "Nothing was written. Try again; if it fails again, give the time and the x-request-id of this answer to the person who runs the server.",
            ),
        }
    }
}

impl ResponseError for ApiFailure {
    fn status_code(&self) -> StatusCode {
        match self {
            Self::Token => StatusCode::UNAUTHORIZED,
            Self::Scope(_) => StatusCode::FORBIDDEN,
            Self::TooOften { .. } => StatusCode::TOO_MANY_REQUESTS,
            Self::Invalid(_) => StatusCode::UNPROCESSABLE_ENTITY,
            Self::Conflict { .. } => StatusCode::CONFLICT,
            Self::Of(Failure::Store(StoreError::Refused(_) | StoreError::CannotBeKept)) => StatusCode::UNPROCESSABLE_ENTITY,
            Self::Of(failure) => failure.status_code(),
        }
    }

    fn error_response(&self) -> HttpResponse {
        let status = self.status_code();
        if status.is_server_error() {
            tracing::error!(fault = %self, "a program's request failed");
        }
        let (code, title, detail) = self.words();
        let mut problem = Problem { kind: "about:blank", title, status: status.as_u16(), code, detail, errors: Vec::new(), entry: None };
        match self {
            Self::Invalid(errors) => {
                problem.errors = errors.iter().map(|error| Wrong { path: error.path.clone(), message: error.message.clone() }).collect();
            }
            Self::Conflict { entry, .. } => problem.entry = entry.as_deref().cloned(),
            _ => {}
        }
        let mut answer = HttpResponse::build(status);
        match self {
            Self::Token => _ = answer.insert_header((header::WWW_AUTHENTICATE, "Bearer")),
            Self::TooOften { wait_s } => _ = answer.insert_header((header::RETRY_AFTER, *wait_s)),
            Self::Of(Failure::Busy(Busy::Full)) => _ = answer.insert_header((header::RETRY_AFTER, 3)),
            _ => {}
        }
        let mut answer = answer.content_type(PROBLEM).body(serde_json::to_string(&problem).unwrap_or_default());
        guard::add_safe_headers(answer.headers_mut());
        answer
    }
}
