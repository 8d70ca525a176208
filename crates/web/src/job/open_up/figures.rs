//! Figures of screen, relief spring and pump: a form each, and what each figure means.
use super::Worked;
use crate::http::Failure;
use crate::http::form::{self, FieldView as Field, Form, Kind, Question, Read};
use crate::job::frame::ScreenRequest;
use crate::job::{JobContext, ScreenData, Sent};
use crate::ui::show;
use crate::ui::words::measured_said;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use velvet_dial_core::field;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::strip_down::{PumpMeasured, ScreenMeasured, Spring, StripDownError, spring_opens_kpa};
use velvet_dial_store::jobs::{Body, Measured};

static SCREEN: Form = Form {
    name: "screen",
    asks: &[Question::new("open_share", "Share that lets light through", "0.4 is four tenths", Kind::Number(&field::OPEN_SHARE))],
};
static SPRING: Form = Form {
    name: "spring",
    asks: &[
        Question::new("free_mm", "Length, lying free", "mm", Kind::Number(&field::SPRING_LENGTH)),
        Question::new("sheet_mm", "By the sheet", "mm", Kind::Number(&field::SPRING_LENGTH)),
        Question::new("fitted_mm", "Fitted, valve shut", "mm, if known", Kind::NumberOrNone(&field::SPRING_LENGTH)),
        Question::new("wire_mm", "Its wire", "mm", Kind::NumberOrNone(&field::SPRING_WIRE)),
        Question::new("sheet_wire_mm", "Wire by the sheet", "mm", Kind::NumberOrNone(&field::SPRING_WIRE)),
        Question::new("coils", "Coils that move", "", Kind::NumberOrNone(&field::SPRING_COILS)),
        Question::new("sheet_coils", "Coils by the sheet", "", Kind::NumberOrNone(&field::SPRING_COILS)),
        Question::new("load_n", "Load at the sheet's length", "N", Kind::NumberOrNone(&field::SPRING_LOAD)),
        Question::new("sheet_load_n", "Load by the sheet", "N", Kind::NumberOrNone(&field::SPRING_LOAD)),
    ],
};
static PUMP: Form = Form {
    name: "pump",
    asks: &[
        Question::new("tip_mm", "Tip clearance", "mm", Kind::NumberOrNone(&field::PUMP_CLEARANCE)),
        Question::new("tip_limit_mm", "At most", "mm, by the sheet", Kind::NumberOrNone(&field::PUMP_CLEARANCE)),
        Question::new("end_float_mm", "End float", "mm", Kind::NumberOrNone(&field::PUMP_CLEARANCE)),
        Question::new("end_float_limit_mm", "At most", "mm, by the sheet", Kind::NumberOrNone(&field::PUMP_CLEARANCE)),
    ],
};

/// One part's form.
pub struct FigureForm {
    pub part: &'static str,
    pub title: &'static str,
    pub fields: Vec<Field>,
    pub entry: String,
    /// What was measured, and what it means.
    pub said: Option<String>,
    pub means: String,
    /// What was typed there was not taken.
    pub refused: bool,
}

/// The forms with what stands.
pub fn forms(data: &ScreenData, worked: &Worked) -> Vec<FigureForm> {
    let (case, form_state, unit) = (&data.assessed.case, &data.frame.form_state, data.frame.unit);
    let seen = &case.strip_down;
    let entry = |part: &str| {
        let subject = format!("measured {part}");
        data.assessed.job.live().find(|entry| entry.body.subject().as_deref() == Some(&subject))
    };
    let one = |form: &'static Form, title: &'static str, values: Vec<Option<f64>>, means: String| {
        let mut fields = form.draw(form_state, unit, |_| Vec::new());
        if form_state.form != form.name {
            for (field, value) in fields.iter_mut().zip(values) {
                field.value = value.map(show::plain).unwrap_or_default();
            }
        }
        let stands = entry(form.name);
        let said = stands
            .and_then(|entry| if let Body::Measured { figure: measured } = &entry.body { Some(measured_said(measured)) } else { None });
        FigureForm {
            part: form.name,
            title,
            fields,
            entry: stands.map(|entry| entry.id.to_string()).unwrap_or_default(),
            said,
            means,
            refused: form_state.form == form.name,
        }
    };
    let starves = worked.starving.map_or_else(String::new, |starving| match starving.starves_at_rpm {
        Some(rpm) => {
            let early = starving.early_rpm.map(|early| format!(", some from {early:.0}")).unwrap_or_default();
            format!("A pump of this engine starves behind it from about {rpm:.0} rpm hot{early}.")
        }
        None => "A pump of this engine does not starve behind it, hot.".to_owned(),
    });
    let opens = seen.spring.zip(case.engine.relief_opens_kpa).and_then(|(spring, kpa)| {
        let opens = spring_opens_kpa(&spring, kpa)?;
        Some(format!("It opens at about {} where the sheet's opens at {}.", show::pressure(opens, unit), show::pressure(kpa, unit)))
    });
    let worn = seen.pump.and_then(|pump| pump.is_worn());
    let pump = match (seen.pump, worn) {
        (None, _) => "",
        (_, Some(true)) => "Over its limit: worn. What wore it is found before a new one goes in.",
        (_, Some(false)) => "Within its limits.",
        (_, None) => "Without a limit of the sheet it says nothing yet.",
    };
    let (screen, spring, of_pump) = (seen.screen, seen.spring, seen.pump.unwrap_or_default());
    vec![
        one(&SCREEN, "Light through the screen", vec![screen.map(|screen| screen.open_share)], starves),
        one(&SPRING, "Relief spring", spring_values(spring), opens.unwrap_or_default()),
        one(&PUMP, "Pump", vec![of_pump.tip_mm, of_pump.tip_limit_mm, of_pump.end_float_mm, of_pump.end_float_limit_mm], pump.to_owned()),
    ]
}

/// What stands of a spring, in the order of its form.
fn spring_values(spring: Option<Spring>) -> Vec<Option<f64>> {
    let of = |value: fn(Spring) -> Option<f64>| spring.and_then(value);
    vec![
        spring.map(|spring| spring.free_mm),
        spring.map(|spring| spring.sheet_mm),
        of(|spring| spring.fitted_mm),
        of(|spring| spring.wire_mm),
        of(|spring| spring.sheet_wire_mm),
        of(|spring| spring.coils),
        of(|spring| spring.sheet_coils),
        of(|spring| spring.load_n),
        of(|spring| spring.sheet_load_n),
    ]
}

fn measured_of(part: &str, typed: &mut Read<'_>) -> Result<Option<Measured>, StripDownError> {
    Ok(match part {
        "screen" => {
            let screen = typed.number("open_share").map(|open_share| ScreenMeasured { open_share }.held());
            screen.transpose()?.map(Measured::Screen)
        }
        "spring" => {
            let (free_mm, sheet_mm) = (typed.number("free_mm"), typed.number("sheet_mm"));
            let [fitted_mm, wire_mm, sheet_wire_mm, coils, sheet_coils, load_n, sheet_load_n] =
                ["fitted_mm", "wire_mm", "sheet_wire_mm", "coils", "sheet_coils", "load_n", "sheet_load_n"].map(|name| typed.number(name));
            let spring = free_mm.zip(sheet_mm).map(|(free_mm, sheet_mm)| Spring {
                free_mm,
                sheet_mm,
                fitted_mm,
                wire_mm,
                sheet_wire_mm,
                coils,
                sheet_coils,
                load_n,
                sheet_load_n,
            });
            spring.map(Spring::held).transpose()?.map(Measured::Spring)
        }
        _ => {
            let pump = PumpMeasured {
                tip_mm: typed.number("tip_mm"),
                tip_limit_mm: typed.number("tip_limit_mm"),
                end_float_mm: typed.number("end_float_mm"),
                end_float_limit_mm: typed.number("end_float_limit_mm"),
            };
            if typed.form_state.is_clean() { Some(Measured::Pump(pump.held()?)) } else { None }
        }
    })
}

/// Writes a part's figures.
pub async fn measured(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let part = form.get("part").map_or("", String::as_str);
    let of = [&SCREEN, &SPRING, &PUMP]
        .into_iter()
        .find(|form| form.name == part)
        .ok_or_else(|| Failure::Form("a part that is not on the list".to_owned()))?;
    let mut typed = Read::of(of, &form, context.preferences.unit);
    let read = measured_of(part, &mut typed);
    let measured = match read {
        Ok(measured) => measured.filter(|_| typed.form_state.is_clean()),
        Err(error) => {
            typed.form_state.wrong(error.key(), error.to_string());
            None
        }
    };
    let Some(measured) = measured else {
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(Stage::OpenUp, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let fields = typed.fields().into_iter().chain([("part".to_owned(), part.to_owned())]).collect();
    context.write(Stage::OpenUp, sent, Body::Measured { figure: measured }, "measured", fields).await
}
