//! Who somebody is, and how they like to see it.
mod me;
mod new_person;
mod preferences;
mod sign_in;

use actix_web::web::{ServiceConfig, get, post};

/// Addresses of all of it.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/sign-in", get().to(sign_in::show))
        .route("/sign-in", post().to(sign_in::enter))
        .route("/sign-out", post().to(sign_in::leave))
        .route("/first-day", get().to(new_person::first))
        .route("/first-day", post().to(new_person::set_up))
        .route("/join/{token}", get().to(new_person::invited))
        .route("/join/{token}", post().to(new_person::join))
        .route("/me", get().to(me::show_page))
        .route("/me/password", post().to(me::change_password))
        .route("/me/sessions/{session}/end", post().to(me::end))
        .route("/preferences", post().to(preferences::change))
        .route("/cautions", post().to(preferences::cautions_read));
}
