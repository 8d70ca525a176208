//! Every address, in one place.
use crate::error::Failure;
use crate::{assets, page, stage};
use actix_web::web::{self, ServiceConfig, get, post, resource};

pub fn all(config: &mut ServiceConfig) {
    config
        .route("/healthz", get().to(page::health::check))
        .route("/assets/{path:.*}", get().to(assets::file))
        .service(resource("/sign-in").route(get().to(page::sign_in::show)).route(post().to(page::sign_in::enter)))
        .route("/sign-out", post().to(page::sign_in::leave))
        .route("/liking", post().to(page::liking::change))
        .route("/cautions", post().to(page::liking::cautions_read))
        .route("/", get().to(page::board::show))
        .service(resource("/jobs").route(get().to(page::board::show)).route(post().to(page::opening::open)))
        .route("/jobs/new", get().to(page::opening::show))
        .service(resource("/library").route(get().to(page::library::show)))
        .route("/library/engines", post().to(page::library::add_engine))
        .route("/library/gauges", post().to(page::library::add_gauge))
        .route("/jobs/{number}", get().to(stage::show_where_it_is))
        .route("/jobs/{number}/report", get().to(page::report::show))
        .route("/jobs/{number}/case.json", get().to(page::report::case_file))
        .route("/jobs/{number}/circumstance", post().to(stage::intake::tell))
        .route("/jobs/{number}/evidence", post().to(stage::check::answer))
        .route("/jobs/{number}/reading", post().to(stage::readings::take))
        .route("/jobs/{number}/withdraw", post().to(stage::withdraw::withdraw))
        .route("/jobs/{number}/repair", post().to(stage::put_right::record))
        .route("/jobs/{number}/close", post().to(stage::prove::close))
        .route("/jobs/{number}/captures", post().to(stage::capture::upload))
        .route("/jobs/{number}/captures/{id}", get().to(stage::capture::show))
        .route("/jobs/{number}/captures/{id}/mapping", post().to(stage::capture::map))
        .route("/jobs/{number}/{stage}", get().to(stage::show))
        .default_service(web::to(|| async { Err::<&'static str, _>(Failure::NoPage) }));
}
