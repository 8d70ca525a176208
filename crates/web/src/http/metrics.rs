//! What is counted of every request, and the small server that whatever watches over the machine asks.
use crate::state::{App, RequestLabels};
use actix_web::body::MessageBody;
use actix_web::dev::{Server, ServiceRequest, ServiceResponse};
use actix_web::http::header::{HeaderName, HeaderValue};
use actix_web::middleware::Next;
use actix_web::web::{self, Data};
use actix_web::{App as Actix, HttpMessage, HttpResponse, HttpServer};
use std::net::TcpListener;
use std::time::Instant;
use tracing_actix_web::RequestId;

/// Counts a request by its address as it is routed, and how long its answer took to begin. The answer carries the number by which the log names the request.
pub async fn count(request: ServiceRequest, next: Next<impl MessageBody>) -> Result<ServiceResponse<impl MessageBody>, actix_web::Error> {
    let (started, app) = (Instant::now(), request.app_data::<Data<App>>().cloned());
    let method = match request.method().as_str() {
        "GET" | "HEAD" => "GET",
        "POST" => "POST",
        _ => "other",
    };
    let mut answer = next.call(request).await;
    let Some(app) = app else { return answer };
    let (route, status) = match &mut answer {
        Ok(answer) => {
            let id = answer.request().extensions().get::<RequestId>().map(ToString::to_string);
            if let Some(id) = id.and_then(|id| HeaderValue::from_str(&id).ok()) {
                answer.headers_mut().insert(HeaderName::from_static("x-request-id"), id);
            }
            (answer.request().match_pattern(), answer.status())
        }
        Err(error) => (None, error.as_response_error().status_code()),
    };
    // What no route takes is one address, whatever was asked for.
    let route = route.unwrap_or_else(|| "none".to_owned());
    app.metrics.answered(&RequestLabels { route, method, class: status.as_u16() / 100 }, started.elapsed());
    answer
}

async fn text(app: Data<App>) -> HttpResponse {
    let text = app.metrics.text(&app).await;
    HttpResponse::Ok().content_type("application/openmetrics-text; version=1.0.0; charset=utf-8").body(text)
}

/// The server of `/metrics`, `/healthz` and `/readyz`, on a listener of its own, so that nobody else reads them.
///
/// # Errors
/// When the listener cannot be used.
pub fn server(app: Data<App>, listener: TcpListener) -> std::io::Result<Server> {
    let server = HttpServer::new(move || {
        Actix::new()
            .app_data(app.clone())
            .service(web::resource("/metrics").get(text))
            .service(web::resource("/healthz").get(super::health::check))
            .service(web::resource("/readyz").get(super::health::ready))
            .default_service(web::to(HttpResponse::NotFound))
    });
    Ok(server.workers(1).disable_signals().listen(listener)?.run())
}
