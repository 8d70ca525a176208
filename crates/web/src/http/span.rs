//! A request in the log.
use actix_web::Error;
use actix_web::HttpMessage;
use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use tracing::field::Empty;
use tracing::{Span, info_span};
use tracing_actix_web::{DefaultRootSpanBuilder, RequestId, RootSpanBuilder};

/// Where links lead that open something: a customer's, and an invitation. What follows is their key, and is never logged.
const LINKS: [&str; 2] = ["/yes/", "/join/"];

/// The span that every line of a request stands in.
pub struct RequestSpan;

impl RootSpanBuilder for RequestSpan {
    fn on_request_start(request: &ServiceRequest) -> Span {
        let request_id = request.extensions().get::<RequestId>().map(ToString::to_string).unwrap_or_default();
        info_span!(
            "HTTP request",
            http.method = %request.method(),
            http.target = without_token(request.uri().path_and_query().map_or("", |target| target.as_str())),
            http.client_ip = request.peer_addr().map(|from| from.ip().to_string()).unwrap_or_default(),
            http.status_code = Empty,
            otel.status_code = Empty,
            exception.message = Empty,
            exception.details = Empty,
            request_id,
        )
    }

    fn on_request_end<B: MessageBody>(span: Span, outcome: &Result<ServiceResponse<B>, Error>) {
        DefaultRootSpanBuilder::on_request_end(span, outcome);
    }
}

fn without_token(target: &str) -> &str {
    LINKS.into_iter().find(|link| target.starts_with(link)).unwrap_or(target)
}

#[cfg(test)]
mod tests {
    use super::without_token;

    #[test]
    fn what_a_link_opens_is_not_logged() {
        for (target, logged) in [
            ("/yes/0a1b2c", "/yes/"),
            ("/yes/0a1b2c?x=1", "/yes/"),
            ("/join/0a1b2c", "/join/"),
            ("/jobs/9/trace?a=b", "/jobs/9/trace?a=b"),
            ("", ""),
        ] {
            assert_eq!(without_token(target), logged);
        }
    }
}
