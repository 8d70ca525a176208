//! Forms: one list of what a form asks, by which it is read, kept, complained of and drawn.
use super::FormState;
pub use crate::ui::field::{Choice, FieldView, Input};
use crate::ui::show;
use actix_web::HttpResponse;
use actix_web::cookie::time::Duration;
use actix_web::cookie::{Cookie, SameSite};
use actix_web::http::header::LOCATION;
use chrono::{DateTime, NaiveDate, NaiveDateTime, Utc};
use std::collections::HashMap;
use velvet_dial_core::field::{self, Field};
use velvet_dial_core::unit::{Units, first_upper};
use velvet_dial_store::library::Earlier;
use velvet_dial_store::zone::Zone;

/// What a browser sent.
pub type Sent = HashMap<String, String>;

/// A form.
#[derive(Debug)]
pub struct Form {
    /// Its name, in drafts and ids.
    pub name: &'static str,
    /// What it asks, in order.
    pub asks: &'static [Question],
}

/// What the table calls a temperature by.
const CELSIUS: &str = "°C";

/// A tenth of a degree is all that a probe tells; what was shown in another unit and is sent back unchanged is the same again.
fn tenth(temp_c: f64) -> f64 {
    (10.0 * temp_c).round() / 10.0
}

/// One question.
#[derive(Debug, Clone, Copy)]
pub struct Question {
    /// Name in the form.
    pub name: &'static str,
    /// On the screen.
    pub label: &'static str,
    /// Beside it; of a pressure the unit stands there.
    pub hint: &'static str,
    /// What is right.
    pub kind: Kind,
}

/// What is right for a question.
#[derive(Debug, Clone, Copy)]
pub enum Kind {
    /// A text of at most so many characters; may be empty.
    Text(usize),
    /// A text that must be there, with what is said when it is not.
    Needed(usize, &'static str),
    /// A password: never shown again.
    Secret,
    /// A longer text.
    Lines(usize),
    /// A longer text that must be there, with what is said when it is not.
    NeededLines(usize, &'static str),
    /// A number of the table.
    Number(&'static Field),
    /// A number that may be left empty.
    NumberOrNone(&'static Field),
    /// A pressure in the form's unit.
    Pressure(&'static Field),
    /// A pressure that may be left empty.
    PressureOrNone(&'static Field),
    /// A day, or nothing.
    Day,
    /// A day and an hour by the shop's clock, or nothing.
    Moment,
    /// One of a list; the choices stand in the page.
    Choice,
    /// Yes or nothing.
    Tick,
    /// Goes along unseen.
    Hidden,
}

impl Question {
    pub const fn new(name: &'static str, label: &'static str, hint: &'static str, kind: Kind) -> Self {
        Self { name, label, hint, kind }
    }

    /// Of a number of the table: its key, its label and its unit.
    pub const fn number(field: &'static Field) -> Self {
        Self::new(field.key, field.label, field.unit, Kind::Number(field))
    }
}

/// Sends the browser on, and tells it which draft was taken: a form that is sent without script has no other way to learn that.
pub fn taken(draft: &str, to: &str) -> HttpResponse {
    let told = Cookie::build("vd_taken", draft.to_owned()).path("/").same_site(SameSite::Lax).max_age(Duration::minutes(5)).finish();
    HttpResponse::SeeOther().cookie(told).insert_header((LOCATION, to)).finish()
}

/// The changes of a thing that is typed by a form: by whom, when and what, the last one first. `filled` is the form of a state, by its name and what it was.
pub fn changed<T>(
    form: &Form,
    (earlier, now): (&[Earlier<T>], FormState),
    filled: impl Fn(&str, &T) -> FormState,
    zone: &Zone,
    choices: impl Fn(&str) -> Vec<Choice> + Copy,
) -> Vec<String> {
    let mut after = now;
    let line = |change: &Earlier<T>| {
        let before = filled(&change.name, &change.was);
        let what = form.differences(&before, &after, choices).join(" · ");
        after = before;
        format!("{}, {}: {what}", change.by, show::moment_with_year(change.until, zone))
    };
    earlier.iter().rev().map(line).collect()
}

/// A form being read: everything typed is kept, and what is wrong is noted.
pub struct Read<'a> {
    form: &'static Form,
    sent: &'a Sent,
    unit: Units,
    /// What was typed, and what is wrong with it.
    pub form_state: FormState,
}

impl<'a> Read<'a> {
    /// Keeps all that was typed. Pressures are in the unit that travels with the form, whatever the switch says when it arrives.
    pub fn of(form: &'static Form, sent: &'a Sent, liked: Units) -> Self {
        let unit = sent.get("unit").and_then(|unit| Units::parse(unit)).unwrap_or(liked);
        let mut form_state = FormState::of(form.name);
        for ask in form.asks.iter().filter(|ask| !matches!(ask.kind, Kind::Secret)) {
            form_state.keep(ask.name, sent.get(ask.name).map_or("", String::as_str));
        }
        Self { form, sent, unit, form_state }
    }

    fn typed(&self, name: &str) -> &'a str {
        self.sent.get(name).map_or("", String::as_str)
    }

    fn kind(&self, name: &str) -> Kind {
        self.form.asks.iter().find(|ask| ask.name == name).map_or(Kind::Hidden, |ask| ask.kind)
    }

    fn label(&self, name: &str) -> &'static str {
        self.form.asks.iter().find(|ask| ask.name == name).map_or("", |ask| ask.label)
    }

    /// A text within its length; empty where it is wrong.
    pub fn text(&mut self, name: &'static str) -> String {
        let (kind, label, typed) = (self.kind(name), self.label(name), self.typed(name));
        let (most, missing) = match kind {
            Kind::Needed(most, missing) | Kind::NeededLines(most, missing) => (most, Some(missing)),
            Kind::Text(most) | Kind::Lines(most) => (most, None),
            _ => (200, None),
        };
        let taken = self.form_state.take(name, field::text(label, typed, most));
        if let (Some(missing), Some("")) = (missing, taken.as_deref()) {
            self.form_state.wrong(name, format!("{label}: {missing}"));
        }
        taken.unwrap_or_default()
    }

    /// A number; none where it is wrong, or left empty where it may be.
    pub fn number(&mut self, name: &'static str) -> Option<f64> {
        let (typed, unit) = (self.typed(name), self.unit);
        let empty = typed.trim().is_empty();
        let read = match self.kind(name) {
            Kind::NumberOrNone(_) | Kind::PressureOrNone(_) if empty => return None,
            Kind::Number(field) | Kind::NumberOrNone(field) if field.unit == CELSIUS => {
                field.parse_temp(typed, unit.temperature).map(tenth)
            }
            Kind::Number(field) | Kind::NumberOrNone(field) => field.parse(typed),
            // A hundredth of a kPa: what was shown in another unit and is sent back unchanged is the same number again.
            Kind::Pressure(field) | Kind::PressureOrNone(field) => {
                field.parse_pressure(typed, *unit).map(|kpa| (100.0 * kpa).round() / 100.0)
            }
            _ => return None,
        };
        self.form_state.take(name, read)
    }

    /// A day; none where it is wrong or left empty.
    pub fn day(&mut self, name: &'static str) -> Option<NaiveDate> {
        let typed = self.typed(name).trim();
        if typed.is_empty() {
            return None;
        }
        let label = self.label(name);
        let read = typed.parse::<NaiveDate>();
        self.form_state.take(name, read.map_err(|_| format!("{label}: write the day as year-month-day, for example 2026-03-01.")))
    }

    /// A day and an hour by the clock of a zone; none where they are left empty or wrong, as in an hour that the clocks leave out.
    pub fn moment(&mut self, name: &'static str, zone: &Zone) -> Option<DateTime<Utc>> {
        let typed = self.typed(name).trim();
        if typed.is_empty() {
            return None;
        }
        let label = self.label(name);
        let read = ["%Y-%m-%dT%H:%M", "%Y-%m-%d %H:%M"].iter().find_map(|form| NaiveDateTime::parse_from_str(typed, form).ok());
        let wrong = || format!("{label}: write day and hour as year-month-day hour:minute, for example 2026-03-06 16:00.");
        let left_out = |shown: NaiveDateTime| {
            format!("The clocks go forward that night: {} does not happen. Type an hour before or after.", shown.format("%H:%M"))
        };
        let at = read.ok_or_else(wrong).and_then(|shown| zone.moment(shown).ok_or_else(|| left_out(shown)));
        self.form_state.take(name, at)
    }

    /// One of a closed list, or nothing.
    pub fn choice<T: Copy>(&self, name: &str, of: &[(T, &'static str, &'static str)]) -> Option<T> {
        let typed = self.typed(name);
        of.iter().find(|(_, id, _)| *id == typed).map(|(value, ..)| *value)
    }

    /// What was chosen or sent along.
    pub fn raw(&self, name: &str) -> &'a str {
        self.typed(name)
    }

    /// Ticked.
    pub fn ticked(&self, name: &str) -> bool {
        !self.typed(name).is_empty()
    }

    /// The unit its pressures were typed in.
    pub fn unit(&self) -> Units {
        self.unit
    }

    /// Everything it asks, as it was sent, with its unit: what sends it once more.
    pub fn fields(&self) -> Vec<(String, String)> {
        let asked = self.form.asks.iter().map(|ask| (ask.name.to_owned(), self.typed(ask.name).to_owned()));
        asked.chain([("unit".to_owned(), self.unit.sent())]).collect()
    }
}

impl Form {
    /// The questions with what was typed and what is wrong. `choices` gives a list's, and its first answer where nothing was typed.
    pub fn draw(&self, form_state: &FormState, unit: Units, choices: impl Fn(&str) -> Vec<Choice>) -> Vec<FieldView> {
        self.asks.iter().map(|ask| self.draw_one(ask, form_state, unit, &choices)).collect()
    }

    /// What is different between two fillings, as a person reads it: “Idle: 750 → 800”.
    pub fn differences(&self, before: &FormState, after: &FormState, choices: impl Fn(&str) -> Vec<Choice>) -> Vec<String> {
        let word = |ask: &Question, state: &FormState| {
            let typed = state.typed(self.name, ask.name).to_owned();
            let said = match ask.kind {
                Kind::Choice => choices(ask.name).into_iter().find(|choice| choice.id == typed).map_or(typed, |choice| choice.label),
                Kind::Tick => if typed.is_empty() { "no" } else { "yes" }.to_owned(),
                _ => typed,
            };
            if said.is_empty() { "nothing".to_owned() } else { said }
        };
        let asked = self.asks.iter().filter(|ask| !matches!(ask.kind, Kind::Hidden));
        let pairs = asked.map(|ask| (ask, word(ask, before), word(ask, after)));
        pairs.filter(|(_, was, is)| was != is).map(|(ask, was, is)| format!("{}: {was} → {is}", first_upper(ask.label))).collect()
    }

    fn draw_one(&self, ask: &Question, form_state: &FormState, unit: Units, choices: &impl Fn(&str) -> Vec<Choice>) -> FieldView {
        let (input, hint) = match ask.kind {
            Kind::Text(_) | Kind::Needed(..) | Kind::Day => (Input::Line, ask.hint),
            Kind::Secret => (Input::Secret, ask.hint),
            Kind::Moment => (Input::Moment, ask.hint),
            Kind::Lines(_) | Kind::NeededLines(..) => (Input::Lines, ask.hint),
            Kind::Number(field) | Kind::NumberOrNone(field) if field.unit == CELSIUS => (Input::Number, unit.temperature.label()),
            Kind::Number(_) | Kind::NumberOrNone(_) => (Input::Number, ask.hint),
            Kind::Pressure(_) | Kind::PressureOrNone(_) => (Input::Number, unit.label()),
            Kind::Choice => (Input::Select(choices(ask.name)), ask.hint),
            Kind::Tick => (Input::Tick, ask.hint),
            Kind::Hidden => (Input::Hidden, ""),
        };
        FieldView {
            id: format!("{}-{}", self.name, ask.name),
            name: ask.name,
            label: ask.label,
            hint: hint.to_owned(),
            value: form_state.typed(self.name, ask.name).to_owned(),
            problem: form_state.problem(self.name, ask.name).map(str::to_owned),
            input,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use velvet_dial_core::unit::Pressure;

    static ALL: Form = Form {
        name: "all",
        asks: &[
            Question::new("name", "Name", "", Kind::Needed(10, "nothing typed yet.")),
            Question::new("note", "Note", "", Kind::Text(5)),
            Question::number(&field::RPM),
            Question::new("limit", "Limit", "", Kind::PressureOrNone(&field::PRESSURE)),
            Question::new("from", "From", "", Kind::Day),
            Question::new("yes", "Yes", "", Kind::Tick),
        ],
    };

    /// Every question is kept, and complained of, by its own kind; what is drawn is what was typed.
    #[test]
    fn what_was_typed_comes_back_with_what_is_wrong() {
        let cases = [
            ("name", "", Some("Name: nothing typed yet.")),
            ("name", "Quayside", None),
            ("note", "too long", Some("Note: 8 characters are too many; keep it to 5.")),
            ("rpm", "fast", Some("Speed: “fast” is not a number")),
            ("rpm", "", Some("Speed: nothing typed yet")),
            ("limit", "", None),
            ("limit", "99999", Some("too high")),
            ("from", "1.3.26", Some("From: write the day as year-month-day")),
            ("from", "2026-03-01", None),
        ];
        for (name, typed, complaint) in cases {
            let sent: Sent = [(name.to_owned(), typed.to_owned())].into();
            let mut read = Read::of(&ALL, &sent, Pressure::Kpa.into());
            let _ = (read.text("name"), read.text("note"), read.number("rpm"), read.number("limit"), read.day("from"));
            let drawn = ALL.draw(&read.form_state, Pressure::Kpa.into(), |_| Vec::new());
            let field = drawn.iter().find(|field| field.name == name).map(|field| (field.value.as_str(), field.problem.clone()));
            let Some((value, problem)) = field else { panic!("{name} is not drawn") };
            assert_eq!(value, typed);
            match complaint {
                Some(complaint) => assert!(problem.as_deref().is_some_and(|said| said.contains(complaint)), "{name} {typed}: {problem:?}"),
                None => assert_eq!(problem, None, "{name} {typed}"),
            }
        }
    }

    /// Of two fillings what differs is said, in the words of the form and not in its names.
    #[test]
    fn differences_are_said_as_a_person_reads_them() {
        let filled = |values: &[(&str, &str)]| {
            let mut state = FormState::of(ALL.name);
            values.iter().for_each(|(name, value)| state.keep(name, value));
            state
        };
        let before = filled(&[("name", "Quayside"), ("rpm", "750"), ("yes", "")]);
        let after = filled(&[("name", "Quayside"), ("rpm", "800"), ("note", "new"), ("yes", "yes")]);
        assert_eq!(ALL.differences(&before, &after, |_| Vec::new()), ["Note: nothing → new", "Speed: 750 → 800", "Yes: no → yes"]);
        assert!(ALL.differences(&after, &after, |_| Vec::new()).is_empty());
    }

    #[test]
    fn a_pressure_is_in_the_unit_that_travels_with_the_form() {
        let sent: Sent = [("limit".to_owned(), "60".to_owned()), ("unit".to_owned(), "psi".to_owned())].into();
        let mut read = Read::of(&ALL, &sent, Pressure::Kpa.into());
        assert_eq!(read.number("limit").map(f64::round), Some(414.0));
        assert!(read.fields().contains(&("unit".to_owned(), "psi c".to_owned())));
    }
}
