//! Who somebody is, and how they like to see it.
mod preferences;
mod sign_in;

use actix_web::web::{ServiceConfig, get, post};

/// Addresses of all of it.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/sign-in", get().to(sign_in::show))
        .route("/sign-in", post().to(sign_in::enter))
        .route("/sign-out", post().to(sign_in::leave))
        .route("/preferences", post().to(preferences::change))
        .route("/cautions", post().to(preferences::cautions_read));
}
