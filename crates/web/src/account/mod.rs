//! Who somebody is, and how they like to see it.
mod me;
mod new_person;
mod preferences;
mod second_factor;
mod sign_in;
mod tablet;

use actix_web::web::{ServiceConfig, get, post};

/// Addresses of all of it.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/sign-in", get().to(sign_in::show))
        .route("/sign-in", post().to(sign_in::enter))
        .route("/sign-in/code", get().to(second_factor::ask))
        .route("/sign-in/code", post().to(second_factor::enter))
        .route("/sign-out", post().to(sign_in::leave))
        .route("/first-day", get().to(new_person::first))
        .route("/first-day", post().to(new_person::set_up))
        .route("/join/{token}", get().to(new_person::invited))
        .route("/join/{token}", post().to(new_person::join))
        .route("/me", get().to(me::show_page))
        .route("/me/password", post().to(me::change_password))
        .route("/me/sessions/{session}/end", post().to(me::end))
        .route("/me/second-factor", post().to(second_factor::begin))
        .route("/me/second-factor/confirm", post().to(second_factor::confirm))
        .route("/me/second-factor/remove", post().to(me::remove_second_factor))
        .route("/me/pin", post().to(me::set_pin))
        .route("/tablets", get().to(tablet::tablets))
        .route("/tablets", post().to(tablet::enrol))
        .route("/tablets/{tablet}/out", post().to(tablet::unenrol))
        .route("/tablet", get().to(tablet::people))
        .route("/tablet/{person}", get().to(tablet::ask_pin))
        .route("/tablet/{person}", post().to(tablet::change))
        .route("/preferences", post().to(preferences::change))
        .route("/cautions", post().to(preferences::cautions_read));
}
