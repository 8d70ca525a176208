//! The server: what stands before every handler, and every address.
use crate::http::span::RequestSpan;
use crate::http::{Failure, assets, guard, health, metrics, pack};
use crate::state::{App, cores};
use crate::{account, api, customer, job, practice, shop};
use actix_web::dev::Server;
use actix_web::middleware::{Compress, from_fn};
use actix_web::web::{self, ServiceConfig, get, head};
use actix_web::{App as Actix, HttpServer};
use std::net::TcpListener;
use std::time::Duration;
use tokio_rustls::rustls::ServerConfig;
use tracing_actix_web::TracingLogger;

/// A connection may rest so long: whoever taps every few seconds does not meet one that ends in that moment.
const IDLE: Duration = Duration::from_secs(75);

/// The server on a listener; it stops in order on Ctrl-C and TERM.
///
/// # Errors
/// When the listener cannot be used.
pub fn server(app: App, listener: TcpListener) -> std::io::Result<Server> {
    server_by(web::Data::new(app), listener, None)
}

pub use crate::http::metrics::server as metrics_server;

/// The same, by TLS where it is given what to show of itself.
///
/// # Errors
/// When the listener cannot be used.
pub fn server_by(app: web::Data<App>, listener: TcpListener, tls: Option<ServerConfig>) -> std::io::Result<Server> {
    let server = HttpServer::new(move || {
        Actix::new()
            .app_data(app.clone())
            .app_data(guard::form_limits())
            .app_data(guard::path_errors())
            .app_data(guard::query_errors())
            .wrap(from_fn(guard::patience))
            .wrap(from_fn(guard::refuse))
            .wrap(from_fn(guard::safe_headers))
            .wrap(from_fn(pack::pack))
            .wrap(Compress::default())
            .wrap(from_fn(metrics::count))
            .wrap(TracingLogger::<RequestSpan>::new())
            .configure(all)
    });
    let server = server.workers(cores()).keep_alive(IDLE).shutdown_timeout(5);
    let server = match tls {
        Some(tls) => server.listen_rustls_0_23(listener, tls)?,
        None => server.listen(listener)?,
    };
    Ok(server.run())
}

/// Every address. A screen names its own.
fn all(config: &mut ServiceConfig) {
    config
        .route("/healthz", get().to(health::check))
        .route("/healthz", head().to(health::check))
        .route("/shop-authority.pem", get().to(health::authority))
        .route("/sw.js", get().to(assets::worker))
        .route("/assets/{path:.*}", get().to(assets::file))
        .configure(api::routes)
        .configure(account::routes)
        .configure(customer::routes)
        .configure(shop::routes)
        .configure(practice::routes)
        .configure(job::routes)
        .default_service(web::to(|| async { Err::<&'static str, _>(Failure::NoPage) }));
}
