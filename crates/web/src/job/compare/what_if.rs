//! What if: asked by the address, so that it can be left and found again; drawn dashed and named, and never written down as measured.
use crate::http::FormState;
use crate::http::form::{Choice, Form, Kind, Question, Read, Sent};
use crate::job::assess::Assessed;
use crate::ui::field::FieldView as Field;
use crate::ui::show;
use crate::ui::words::{cause_name, point_name};
use velvet_dial_core::diagnosis::Curve;
use velvet_dial_core::diagnosis::{JudgedReading, Otherwise, WhatIf, judge, what_if};
use velvet_dial_core::field;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::limits::Decision;
use velvet_dial_core::limits::limit_words;
use velvet_dial_core::oil::grades;
use velvet_dial_core::unit::Units;

/// What may be otherwise.
static FORM: Form = Form {
    name: "if",
    asks: &[
        Question::new("oil", "Another oil", "", Kind::Choice),
        Question::new("oil_temp", "Oil at", "°C", Kind::NumberOrNone(&field::OIL_TEMP)),
        Question::new("fault", "A fault", "", Kind::Choice),
        Question::new("relief", "Relief opens later by", "", Kind::PressureOrNone(&field::PRESSURE)),
        Question::new("gauge", "Read with", "", Kind::Choice),
    ],
};

/// How much a fault that is added is there, 0 to 1.
const MARKED: f64 = 0.6;
const MENDED: &str = "mended";

/// What was asked, and the answer.
pub struct WhatIfQuestion {
    form_state: FormState,
    otherwise: Otherwise,
    answer: Option<WhatIf>,
    /// Each reading of the verdict as another gauge would tell it.
    gauge: Option<(String, Vec<JudgedReading>)>,
}

impl WhatIfQuestion {
    /// The dashed curve.
    pub fn curve(&self) -> Option<&Curve> {
        self.answer.as_ref().map(|answer| &answer.curve)
    }
}

/// Works out what the address asks for.
pub fn asked(assessed: &Assessed, query: &Sent, unit: Units) -> WhatIfQuestion {
    let mut typed = Read::of(&FORM, query, unit);
    let know = knowledge();
    let grade = Some(typed.raw("oil").to_owned()).filter(|grade| !grade.is_empty());
    if grade.as_ref().is_some_and(|grade| !grades().iter().any(|known| known.grade == *grade)) {
        typed.form_state.wrong("oil", "This grade is not known here; choose one of the list.");
    }
    let (oil_temp_c, relief_kpa) = (typed.number("oil_temp"), typed.number("relief"));
    let fault = typed.raw("fault");
    let otherwise = Otherwise {
        oil_grade: grade,
        oil_temp_c,
        mended: fault == MENDED,
        added: know.cause(fault).map(|cause| (cause, MARKED)),
        relief_kpa,
    };
    let wanted = !otherwise.is_nothing() && typed.form_state.is_clean();
    let answer = wanted.then(|| what_if(&assessed.case, &assessed.tracer, &assessed.now, &otherwise).ok()).flatten();
    let gauge = assessed.job.gauges.iter().find(|gauge| gauge.name == typed.raw("gauge")).map(|gauge| {
        let judged = assessed.now.verdict.points.iter().filter_map(|point| point.reading.as_ref());
        let with = judged.filter_map(|judged| {
            let mut reading = assessed.case.readings.get(judged.reading)?.clone();
            reading.instrument = Some(gauge.name.clone());
            Some(judge(&assessed.case, judged.reading, &reading, &assessed.tracer))
        });
        (gauge.name.clone(), with.collect())
    });
    WhatIfQuestion { form_state: typed.form_state, otherwise, answer, gauge }
}

/// A line of the answer.
pub struct Line {
    pub place: String,
    pub limit: String,
    pub now: String,
    pub then: String,
    pub decision: &'static str,
    pub word: &'static str,
}

/// What the screen shows of it.
pub struct WhatIfView {
    pub fields: Vec<Field>,
    pub open: bool,
    /// What is otherwise, in words.
    pub what: String,
    pub lines: Vec<Line>,
    pub notes: Vec<String>,
    pub gauge: String,
    pub gauge_lines: Vec<Line>,
}

/// In words.
pub fn told(assessed: &Assessed, asked: &WhatIfQuestion, unit: Units) -> WhatIfView {
    let none = |label: &str| Choice { id: String::new(), label: label.to_owned() };
    let choices = |name: &str| -> Vec<Choice> {
        match name {
            "oil" => std::iter::once(none("as it is"))
                .chain(grades().iter().map(|g| Choice { id: g.grade.clone(), label: g.grade.clone() }))
                .collect(),
            "fault" => [none("as it is"), Choice { id: MENDED.to_owned(), label: "the leading one mended".to_owned() }]
                .into_iter()
                .chain(
                    knowledge()
                        .causes
                        .iter()
                        .filter(|cause| !cause.conforms)
                        .map(|cause| Choice { id: cause.id.clone(), label: format!("and: {}", cause.name) }),
                )
                .collect(),
            _ => std::iter::once(none("the same gauge"))
                .chain(assessed.job.gauges.iter().map(|gauge| Choice { id: gauge.name.clone(), label: gauge.name.clone() }))
                .collect(),
        }
    };
    let answer = asked.answer.as_ref();
    let lines = answer.map_or_else(Vec::new, |answer| {
        let line = |would: &velvet_dial_core::diagnosis::WouldBe| {
            let [low, middle, high] = would.then_kpa;
            let (decision, word) =
                would.decision.map_or(("not_measured", "no limit at this temperature"), |decision| (decision.id(), decision.word()));
            Line {
                place: point_name(&assessed.case.engine, &would.point, unit),
                limit: limit_words(would.point.min_kpa, would.point.max_kpa, unit),
                now: show::pressure(would.now_kpa, unit),
                then: format!("{} ({} to {})", show::pressure(middle, unit), unit.show(low), unit.show(high)),
                decision,
                word,
            }
        };
        answer.points.iter().map(line).collect()
    });
    let gauge_line = |judged: &JudgedReading| {
        let point = judged.point?;
        let before = assessed.now.readings.get(judged.reading)?;
        Some(Line {
            place: point_name(&assessed.case.engine, &point, unit),
            limit: limit_words(point.min_kpa, point.max_kpa, unit),
            now: format!("{} {}", show::pressure(before.measured_kpa, unit), show::plus_minus(before.u_kpa(), unit)),
            then: show::plus_minus(judged.u_kpa(), unit),
            decision: judged.decision.id(),
            word: judged.decision.word(),
        })
    };
    let (gauge, gauge_lines) =
        asked.gauge.as_ref().map_or_else(Default::default, |(name, judged)| (name.clone(), judged.iter().filter_map(gauge_line).collect()));
    WhatIfView {
        fields: FORM.draw(&asked.form_state, unit, choices),
        open: answer.is_some() || asked.gauge.is_some() || !asked.form_state.is_clean(),
        what: what(&asked.otherwise, unit),
        notes: answer.map_or_else(Vec::new, |answer| notes(answer, &asked.otherwise, unit)),
        lines,
        gauge,
        gauge_lines,
    }
}

fn what(otherwise: &Otherwise, unit: Units) -> String {
    let parts = [
        otherwise.oil_grade.as_ref().map(|grade| format!("{grade} in it")),
        otherwise.oil_temp_c.map(|temp| format!("oil at {}", unit.temp(temp))),
        otherwise.mended.then(|| "the leading fault mended".to_owned()),
        otherwise
            .added
            .and_then(|(cause, _)| knowledge().causes.get(cause))
            .map(|cause| format!("{} as well, marked", cause_name(&cause.id))),
        otherwise.relief_kpa.map(|kpa| format!("the relief opening {} later", show::pressure(kpa, unit))),
    ];
    parts.into_iter().flatten().collect::<Vec<_>>().join(", ")
}

/// What a change does beside what was wanted of it.
fn notes(answer: &WhatIf, otherwise: &Otherwise, unit: Units) -> Vec<String> {
    let mut notes = Vec::new();
    let (now, then) = answer.hot_idle_kpa;
    if let Some((at, before, after)) = &answer.hardest {
        notes.push(format!(
            "Filter and cooler then get {} in place of {} at {:.0} rpm with oil of {}: what they bear says their maker.",
            show::pressure(after.pump_kpa, unit),
            show::pressure(before.pump_kpa, unit),
            at.rpm,
            unit.temp(at.oil_temp_c)
        ));
        if (then - now).abs() < 0.03 * now.max(1.0) {
            notes.push(format!(
                "Hot idle stays at {}: the valve is shut there. A later relief lifts speed alone, hides wear, and mends nothing.",
                show::pressure(now, unit)
            ));
        }
    }
    if otherwise.oil_grade.is_some() && then > 1.03 * now {
        notes.push("Thicker oil lifts the gauge and not the flow: a stopgap, and named one to the end.".to_owned());
    }
    if answer.points.iter().any(|would| would.decision == Some(Decision::Below)) && otherwise.mended {
        notes.push("With the leading fault mended it would still be short: look for a second one.".to_owned());
    }
    notes
}
