//! What the shop says of itself: name, clock, hours, money.
use super::page;
use crate::http::form::{Form, Kind, Question, Read, Sent, taken};
use crate::http::{Failure, FormState, SignedIn};
use crate::state::App;
use crate::ui::{DisplayPreferences, show};
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use chrono::{NaiveTime, Timelike};
use velvet_dial_core::field;
use velvet_dial_store::accounts::{self, Shop};
use velvet_dial_store::zone::Zone;

/// The shop itself.
pub static SHOP: Form = Form {
    name: "shop",
    asks: &[
        Question::new("name", "Shop", "as the report names it", Kind::Needed(120, "nothing typed yet; the report names it.")),
        Question::new("zone", "Time zone", "for example Europe/Lisbon", Kind::Needed(60, "nothing typed yet; UTC will do.")),
        Question::new("opens", "Opens", "hour:minute", Kind::Text(20)),
        Question::new("closes", "Closes", "hour:minute", Kind::Text(20)),
        Question::new("labour_rate", "An hour of work", "in your currency", Kind::NumberOrNone(&field::LABOUR)),
        Question::new("money", "Currency", "three letters", Kind::Text(20)),
        Question::new("saturdays", "works on Saturdays", "", Kind::Tick),
        Question::new("learns", "use closed jobs as experience", "", Kind::Tick),
    ],
};

/// The form of the shop as it stands.
pub fn of(shop: &Shop) -> FormState {
    let mut form_state = FormState::of(SHOP.name);
    let clock = |minutes: i16| format!("{:02}:{:02}", minutes / 60, minutes % 60);
    form_state.keep("name", &shop.name);
    form_state.keep("zone", shop.zone.name());
    form_state.keep("opens", &shop.hours_min.map(|(opens, _)| clock(opens)).unwrap_or_default());
    form_state.keep("closes", &shop.hours_min.map(|(_, closes)| clock(closes)).unwrap_or_default());
    form_state.keep("labour_rate", &shop.labour_rate.map(show::plain).unwrap_or_default());
    form_state.keep("money", shop.money.as_deref().unwrap_or_default());
    let tick = |so: bool| if so { "yes" } else { "" };
    form_state.keep("saturdays", tick(shop.saturdays));
    form_state.keep("learns", tick(shop.learns));
    form_state
}

fn read(read: &mut Read<'_>) -> Option<Shop> {
    let name = read.text("name");
    let zone = read.text("zone");
    let zone =
        Zone::named(&zone).ok_or_else(|| format!("Time zone: “{zone}” is not in the zone database; for example Europe/Lisbon, or UTC."));
    let zone = read.form_state.take("zone", zone);
    let (opens, closes) = (clock(read, "opens"), clock(read, "closes"));
    if let (Some(Some(opens)), Some(Some(closes))) = (opens, closes)
        && opens >= closes
    {
        read.form_state.wrong("closes", "Closes: not before it opens.");
    }
    if matches!((opens, closes), (Some(Some(_)), Some(None)) | (Some(None), Some(Some(_)))) {
        read.form_state.wrong("closes", "Opens and closes belong together: type both, or neither.");
    }
    let labour_rate = read.number("labour_rate");
    let money = read.text("money").to_uppercase();
    if !money.is_empty() && (money.len() != 3 || !money.chars().all(|letter| letter.is_ascii_uppercase())) {
        read.form_state.wrong("money", "Currency: three letters, for example EUR.");
    }
    let (saturdays, learns) = (read.ticked("saturdays"), read.ticked("learns"));
    let hours_min = opens.flatten().zip(closes.flatten());
    read.form_state.is_clean().then_some(Shop {
        name,
        zone: zone?,
        hours_min,
        labour_rate,
        money: Some(money).filter(|money| !money.is_empty()),
        saturdays,
        learns,
        ..Shop::default()
    })
}

/// Minutes after midnight; none where nothing is typed, no answer where it is wrong.
fn clock(read: &mut Read<'_>, name: &'static str) -> Option<Option<i16>> {
    let typed = read.text(name);
    if typed.is_empty() {
        return Some(None);
    }
    let time = NaiveTime::parse_from_str(&typed, "%H:%M")
        .map_err(|_| format!("“{typed}” is no time of day; write hour:minute, for example 07:30."));
    let time = read.form_state.take(name, time)?;
    i16::try_from(60 * time.hour() + time.minute()).ok().map(Some)
}

/// Changes it.
pub async fn change(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    form: web::Form<Sent>,
) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&SHOP, &form, preferences.unit);
    if let Some(shop) = read(&mut typed) {
        let changes = SHOP.differences(&of(&accounts::shop(&app.db, &who.0).await?), &of(&shop), |_| Vec::new());
        accounts::change_shop(&app.db, &who.0, &shop).await?;
        accounts::note_change(&app.db, &who.0, changes).await?;
        app.forget_shop_context(&who.0);
        return Ok(taken(SHOP.name, "/settings"));
    }
    page(&app, &who.0, preferences, Some(typed.form_state), StatusCode::UNPROCESSABLE_ENTITY).await
}
