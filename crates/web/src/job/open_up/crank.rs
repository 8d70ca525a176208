//! The bearing map: each journal of the crank along the oil, how it was found and how wide it is, and what all of them together explain.
use super::Worked;
use crate::http::Failure;
use crate::http::form::{self, FieldView as Field, Form, Kind, Question, Read};
use crate::job::frame::ScreenRequest;
use crate::job::{JobContext, ScreenData, Sent};
use crate::ui::picture::journals::{self, Mark, Picture};
use crate::ui::show;
use crate::ui::words::journal_said;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use askama::Template;
use velvet_dial_core::calculator::{Strip, strip};
use velvet_dial_core::field;
use velvet_dial_core::limits::limit_words;
use velvet_dial_core::opened::{Explained, Fits, JournalTold};
use velvet_dial_core::stage::Stage;
use velvet_dial_core::strip_down::places;
use velvet_dial_core::strip_down::{Condition, CrankSaid, JournalKind, JournalSaid, Places};
use velvet_dial_core::unit::{Units, first_upper};
use velvet_dial_store::jobs::{Body, Job};

/// What the sheet says of the crank.
static CRANK: Form = Form {
    name: "crank",
    asks: &[
        Question::new("mains", "Main bearings", "", Kind::NumberOrNone(&field::MAINS)),
        Question::new("new_mm", "New clearance", "mm, by the sheet", Kind::NumberOrNone(&field::CLEARANCE)),
        Question::new("limit_mm", "At most", "mm, by the sheet", Kind::NumberOrNone(&field::CLEARANCE)),
    ],
};

/// A journal: how it looks, and its clearance typed or from the width of a print.
static JOURNAL: Form = Form {
    name: "journal",
    asks: &[
        Question::new("journal", "", "", Kind::Hidden),
        Question::new("condition", "", "", Kind::Hidden),
        Question::new("clearance_mm", "Clearance", "mm", Kind::NumberOrNone(&field::CLEARANCE)),
        Question::new("other_end_mm", "At the other end", "mm, for taper", Kind::NumberOrNone(&field::CLEARANCE)),
        Question::new("wire_mm", "Strip's wire", "mm, on its packet", Kind::NumberOrNone(&field::STRIP_WIRE)),
        Question::new("width_mm", "Width of the print", "mm", Kind::NumberOrNone(&field::STRIP_WIDTH)),
        Question::new("other_width_mm", "", "", Kind::NumberOrNone(&field::STRIP_WIDTH)),
    ],
};

/// The wire that most packets hold for these clearances, mm.
const USUAL_WIRE_MM: f64 = 0.25;
/// Between which widths the drawn print slides, over its wire.
const SLIDES: (f64, f64) = (1.3, 8.0);

/// The bearing map and its forms.
pub struct CrankWork {
    pub picture: Picture,
    pub crank: Vec<Field>,
    pub crank_entry: String,
    /// The journal at hand.
    pub here: Here,
    /// What the clearances explain, a sentence each.
    pub told: Vec<String>,
    /// How the reading goes with them, as a shape and a sentence.
    pub fits: Option<((&'static str, &'static str), String)>,
    /// What renewing the bad ones gives.
    pub renewed: Option<String>,
    pub rows: Vec<Row>,
}

/// The journal at hand.
pub struct Here {
    pub word: String,
    pub name: String,
    /// What stands of it.
    pub said: String,
    pub entry: String,
    pub conditions: Vec<(&'static str, String, bool)>,
    pub clearances: Vec<Field>,
    /// The strip's wire as it was typed, else as it was taken.
    pub wire_mm: String,
    pub print: Print,
}

/// A print drawn to its width, with the clearance it means.
#[derive(Template)]
#[template(path = "job/open_up/print.html")]
pub struct Print {
    pub wire_mm: String,
    pub width_mm: String,
    pub least_mm: String,
    pub most_mm: String,
    pub told: String,
}

/// A journal in a row of figures.
pub struct Row {
    pub name: String,
    pub said: String,
    pub leak: String,
    pub share: String,
    pub bad: bool,
}

fn word(place: Places) -> String {
    format!("{}-{}", place.kind.id(), place.number)
}

fn parsed(word: &str) -> Option<(JournalKind, u32)> {
    let (kind, number) = word.split_once('-')?;
    let kind = JournalKind::ALL.iter().find(|(_, id, _)| *id == kind)?.0;
    Some((kind, number.parse().ok()?))
}

fn entry_of(job: &Job, place: Places) -> String {
    let of = job.live().find(|entry| matches!(&entry.body, Body::Journal { said } if said.is(place.kind, place.number)));
    of.map(|entry| entry.id.to_string()).unwrap_or_default()
}

fn name(place: Places) -> String {
    format!("{} {}", first_upper(place.kind.label()), place.number)
}

/// Lays it out.
pub fn work(data: &ScreenData, worked: &Worked) -> CrankWork {
    let (case, unit, form_state) = (&data.assessed.case, data.frame.unit, &data.frame.form_state);
    let journals = &worked.crank.journals;
    let asked = [form_state.typed(JOURNAL.name, "journal"), data.query.get("journal").map_or("", String::as_str)];
    let asked = asked.into_iter().find_map(|word| journals.iter().find(|told| crate::ui::show::same(&self::word(told.place), word)));
    // The worst placed first: from the far end, whatever nobody looked at.
    let here = asked.or_else(|| journals.iter().rev().find(|told| told.said.is_none())).or_else(|| journals.last());
    let mut crank = CRANK.draw(form_state, unit, |_| Vec::new());
    let said = case.strip_down.crank;
    if form_state.form != CRANK.name {
        let values = [Some(f64::from(said.mains_of(case.engine.cylinders))), said.new_mm, said.limit_mm];
        for (field, value) in crank.iter_mut().zip(values) {
            field.value = value.map(show::plain).unwrap_or_default();
        }
    }
    let crank_entry = data.assessed.job.live().find(|entry| matches!(entry.body, Body::Crank { .. }));
    CrankWork {
        picture: journals::picture(data.frame.number, &marks(journals, here.map(|told| told.place))),
        crank,
        crank_entry: crank_entry.map(|entry| entry.id.to_string()).unwrap_or_default(),
        here: self::here(data, here),
        told: told(worked, unit),
        fits: worked.explained.as_ref().map(|explained| (shape(explained.fits), fits(explained))),
        renewed: worked.explained.as_ref().and_then(|explained| renewed(worked, explained, unit)),
        rows: journals.iter().filter(|told| told.said.is_some()).map(row).collect(),
    }
}

fn marks(journals: &[JournalTold], here: Option<Places>) -> Vec<Mark> {
    let mark = |told: &JournalTold| Mark {
        word: word(told.place),
        short: format!("{}{}", if told.place.kind == JournalKind::Main { "M" } else { "R" }, told.place.number),
        main: told.place.kind == JournalKind::Main,
        condition: told.said.and_then(|said| said.condition).map(Condition::id),
        clearance_mm: told.said.and_then(|said| said.widest_mm()),
        extra_share: told.extra_share,
        looked_at: told.said.is_some(),
        bad: told.bad,
        here: here == Some(told.place),
        says: told.said.map_or_else(|| format!("{}: nobody looked", name(told.place)), |said| journal_said(&said)),
    };
    journals.iter().map(mark).collect()
}

fn row(told: &JournalTold) -> Row {
    Row {
        name: name(told.place),
        said: told
            .said
            .map(|said| journal_said(&said))
            .and_then(|said| said.split_once(": ").map(|(_, rest)| rest.to_owned()))
            .unwrap_or_default(),
        leak: told.leak_ratio.map(|ratio| format!("{ratio:.1} times a new one's leak")).unwrap_or_default(),
        share: told.extra_share.map(|share| format!("{} of what leaks too much", show::percent(share))).unwrap_or_default(),
        bad: told.bad,
    }
}

fn here(data: &ScreenData, told: Option<&JournalTold>) -> Here {
    let form_state = &data.frame.form_state;
    let place = told.map_or(Places { kind: JournalKind::Main, number: 1 }, |told| told.place);
    let said = told.and_then(|told| told.said);
    let mut fields = JOURNAL.draw(form_state, data.frame.unit, |_| Vec::new());
    fields.retain(|field| matches!(field.name, "clearance_mm" | "other_end_mm"));
    if form_state.form != JOURNAL.name {
        let values = [said.and_then(|said| said.clearance_mm), said.and_then(|said| said.other_end_mm)];
        for (field, value) in fields.iter_mut().zip(values) {
            field.value = value.map(|mm| format!("{mm:.3}")).unwrap_or_default();
        }
    }
    // Of another journal it is another field: nothing typed for one is kept for the next.
    fields.iter_mut().for_each(|field| field.id = format!("{}-{}", field.id, word(place)));
    let now = said.and_then(|said| said.condition);
    let typed = |name: &str, usual: f64| form_state.typed(JOURNAL.name, name).parse().unwrap_or(usual);
    let wire_mm: f64 = typed("wire_mm", USUAL_WIRE_MM);
    let print = drawn_print(wire_mm, typed("width_mm", 4.0 * wire_mm), data.assessed.case.strip_down.crank);
    let typed_wire = form_state.typed(JOURNAL.name, "wire_mm");
    Here {
        word: word(place),
        name: name(place),
        said: said.map(|said| journal_said(&said)).unwrap_or_default(),
        entry: entry_of(&data.assessed.job, place),
        conditions: Condition::ALL.iter().map(|(condition, id, label)| (*id, first_upper(label), now == Some(*condition))).collect(),
        clearances: fields,
        wire_mm: if typed_wire.is_empty() { print.wire_mm.clone() } else { typed_wire.to_owned() },
        print,
    }
}

/// A print as it is drawn, and what it says.
fn drawn_print(wire_mm: f64, width_mm: f64, crank: CrankSaid) -> Print {
    let asked = Strip { wire_mm: Some(wire_mm), scale: Vec::new(), width_mm, other_end_mm: None, new_mm: crank.new_mm };
    let told = match strip(&asked) {
        Ok(gap) => {
            let leak = gap.leak_ratio.map(|ratio| format!(", {ratio:.1} times a new one's leak")).unwrap_or_default();
            let doubt = if gap.in_range { "" } else { ". Outside the range of this strip: use another size" };
            format!("{:.3} mm{leak}{doubt}", gap.clearance_mm)
        }
        Err(error) => error.to_string(),
    };
    Print {
        wire_mm: show::plain(wire_mm),
        width_mm: show::plain(width_mm),
        least_mm: show::plain(SLIDES.0 * wire_mm),
        most_mm: show::plain(SLIDES.1 * wire_mm),
        told,
    }
}

fn shape(fits: Fits) -> (&'static str, &'static str) {
    match fits {
        Fits::NothingMissing => ("undecided", "they need not be it"),
        Fits::Explained => ("within", "they explain what was read"),
        Fits::InPart => ("below", "they explain a part"),
        Fits::TooMuch => ("above", "they would cost more than is missing"),
    }
}

/// What the clearances explain.
fn told(worked: &Worked, unit: Units) -> Vec<String> {
    let mut told = Vec::new();
    let crank = &worked.crank;
    if crank.measured == 0 {
        if crank.journals.iter().any(|journal| journal.said.is_some_and(|said| said.clearance_mm.is_some())) {
            told.push("Enter the clearance of a new bearing from the sheet: the leak of each journal is compared with it.".to_owned());
        }
        return told;
    }
    if let Some([low, mid, high]) = crank.ratio {
        let range = if crank.measured < crank.journals.len() {
            let left = crank.journals.len() - crank.measured;
            format!(" ({low:.1} to {high:.1}, as the {left} that were not measured are as new or as the widest)")
        } else {
            String::new()
        };
        told.push(format!("The crank leaks {mid:.1} times what it does new{range}."));
    }
    match &worked.explained {
        Some(explained) => told.push(format!(
            "Hot at idle {} was read. With these clearances an engine of this card shows {}, a healthy one {}.",
            show::pressure(explained.read_kpa, unit),
            band(explained.with_kpa, unit),
            band(explained.healthy_kpa, unit)
        )),
        None => {
            told.push("No usable reading at hot idle was taken before, so the tool cannot say how much the clearances explain.".to_owned())
        }
    }
    told
}

fn band([low, middle, high]: [f64; 3], unit: Units) -> String {
    format!("{} ({} to {})", show::pressure(middle, unit), unit.show(low), unit.show(high))
}

fn fits(explained: &Explained) -> String {
    match explained.fits {
        Fits::NothingMissing => "A healthy engine may read so too: do not condemn the crank on this reading.".to_owned(),
        Fits::Explained => "Nothing else is needed to explain it.".to_owned(),
        Fits::InPart => {
            let share = show::percent(explained.share.unwrap_or_default());
            format!("About {share} of what is missing. The rest is lost elsewhere: look on before shells are ordered.")
        }
        Fits::TooMuch => "Read the strips again, or check the gauge.".to_owned(),
    }
}

fn renewed(worked: &Worked, explained: &Explained, unit: Units) -> Option<String> {
    let bad = worked.crank.journals.iter().filter(|journal| journal.bad).count();
    let whose = match bad {
        0 => return None,
        1 => "the bad one".to_owned(),
        bad => format!("the {bad} bad ones"),
    };
    let asks =
        explained.point.map(|point| format!("; the sheet asks {}", limit_words(point.min_kpa, point.max_kpa, unit))).unwrap_or_default();
    let damaged = worked.crank.journals.iter().any(|journal| journal.said.is_some_and(|said| said.is_damaged()));
    let crank = if damaged { " New shells on a scored or blue journal do not last: measure it, the crank comes out." } else { "" };
    Some(format!("With {whose} renewed it should read {}{asks}.{crank}", band(explained.renewed_kpa, unit)))
}

/// A print at another width, as it is slid.
pub async fn print(context: JobContext, query: web::Query<form::Sent>) -> Result<HttpResponse, Failure> {
    let typed = |name: &str, field: &field::Field, usual: f64| query.get(name).and_then(|typed| field.parse(typed).ok()).unwrap_or(usual);
    let wire_mm = typed("wire_mm", &field::STRIP_WIRE, USUAL_WIRE_MM);
    let width_mm = typed("width_mm", &field::STRIP_WIDTH, 4.0 * wire_mm).clamp(SLIDES.0 * wire_mm, SLIDES.1 * wire_mm);
    let crank = context.job().await?.case().strip_down.crank;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(drawn_print(wire_mm, width_mm, crank).render()?))
}

/// Writes what the sheet says of the crank.
pub async fn said(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let mut typed = Read::of(&CRANK, &form, context.preferences.unit);
    let said = CrankSaid {
        mains: typed.number("mains").map(|mains| mains.round() as u32),
        new_mm: typed.number("new_mm"),
        limit_mm: typed.number("limit_mm"),
    };
    if typed.form_state.is_clean() {
        typed.form_state.take("limit_mm", said.held());
    }
    if !typed.form_state.is_clean() {
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(Stage::OpenUp, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    context.write(Stage::OpenUp, sent, Body::Crank { said }, "crank", typed.fields()).await
}

/// Writes a journal.
pub async fn journal(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let mut typed = Read::of(&JOURNAL, &form, context.preferences.unit);
    let job = context.job().await?;
    let case = job.case();
    let strange = || Failure::Form("a journal that this crank does not have".to_owned());
    let (kind, number) = parsed(typed.raw("journal")).ok_or_else(strange)?;
    let crank = case.strip_down.crank;
    if !places(case.engine.cylinders, crank).contains(&Places { kind, number }) {
        return Err(strange());
    }
    let stood =
        case.strip_down.journals.iter().find(|said| said.is(kind, number)).copied().unwrap_or_else(|| JournalSaid::of(kind, number));
    let mut said = JournalSaid { condition: typed.choice("condition", Condition::ALL).or(stood.condition), ..stood };
    let read = |width: Option<f64>, wire: f64| {
        width.map(|width_mm| {
            strip(&Strip { wire_mm: Some(wire), scale: Vec::new(), width_mm, other_end_mm: None, new_mm: None })
                .map(|gap| thousandth(gap.clearance_mm))
        })
    };
    let widths = (typed.number("width_mm"), typed.number("other_width_mm"));
    if widths.0.is_some() {
        let wire = typed.number("wire_mm").unwrap_or(USUAL_WIRE_MM);
        said.clearance_mm = read(widths.0, wire).and_then(|told| typed.form_state.take("width_mm", told));
        said.other_end_mm = read(widths.1, wire).and_then(|told| typed.form_state.take("other_width_mm", told));
    } else if form.contains_key("clearance_mm") {
        (said.clearance_mm, said.other_end_mm) = (typed.number("clearance_mm"), typed.number("other_end_mm"));
    }
    if typed.form_state.is_clean()
        && let Err(error) = said.held()
    {
        typed.form_state.wrong(error.key(), error.to_string());
    }
    if typed.form_state.is_clean() && said == JournalSaid::of(kind, number) {
        typed.form_state.wrong("clearance_mm", "Nothing is noted yet: tap how it looks, or type what the strip says.");
    }
    if !typed.form_state.is_clean() {
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(Stage::OpenUp, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    context.write(Stage::OpenUp, sent, Body::Journal { said }, "journal", typed.fields()).await
}

/// A strip tells no more.
fn thousandth(mm: f64) -> f64 {
    (1000.0 * mm).round() / 1000.0
}
