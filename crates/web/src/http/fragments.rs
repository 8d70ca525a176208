//! What the macros draw, to the letter: whoever changes it sees the change here.
use crate::http::FormState;
use crate::http::form::{Choice, FieldView, Form, Kind, Question};
use askama::Template;
use velvet_dial_core::field;
use velvet_dial_core::limits::Decision;
use velvet_dial_core::unit::Pressure;

static FORM: Form = Form {
    name: "f",
    asks: &[
        Question::new("name", "Name", "as it stands", Kind::Needed(20, "nothing typed yet.")),
        Question::new("limit", "At least", "", Kind::PressureOrNone(&field::PRESSURE)),
        Question::new("gear", "Gear", "", Kind::Choice),
        Question::new("sure", "it stands so", "", Kind::Tick),
        Question::new("note", "Note", "", Kind::Lines(50)),
        Question::new("entry", "", "", Kind::Hidden),
    ],
};

#[derive(Template)]
#[template(
    source = r#"{% import "ui/macros.html" as m %}{% for f in fields %}{% call m::field(f) %}{% endcall %}{% endfor %}"#,
    ext = "html"
)]
struct Fields {
    fields: Vec<FieldView>,
}

#[derive(Template)]
#[template(
    source = r#"{% import "ui/macros.html" as m %}{% for (id, word) in all %}{% call m::shape(id, word) %}{% endcall %}{% endfor %}"#,
    ext = "html"
)]
struct Shapes {
    all: Vec<(&'static str, &'static str)>,
}

/// Without the space between tags, a tag a line.
fn tidy(html: &str) -> String {
    let words = html.split_whitespace().collect::<Vec<_>>().join(" ");
    words.replace("> <", ">\n<").replace("><", ">\n<")
}

#[test]
fn a_form_that_was_refused() {
    let mut form_state = FormState::of("f");
    for (name, value) in [("name", "<b>&\""), ("limit", "3"), ("gear", "drive"), ("sure", "yes"), ("note", "a < b"), ("entry", "7")] {
        form_state.keep(name, value);
    }
    form_state.wrong("limit", "3 psi is little: look at the unit.");
    let gears = || ["neutral", "drive"].map(|id| Choice { id: id.to_owned(), label: id.to_owned() }).to_vec();
    let html = Fields { fields: FORM.draw(&form_state, Pressure::Psi.into(), |_| gears()) }.render().unwrap_or_default();
    insta::assert_snapshot!(tidy(&html), @r#"
    <div class="">
    <label for="f-name">Name <span class="soft font-normal">as it stands</span>
    </label>
    <input id="f-name" name="name" value="&#60;b&#62;&#38;&#34;" autocomplete="off" data-keep>
    </div>
    <div>
    <div class="field-bad">
    <label for="f-limit">At least <span class="soft font-normal">psi</span>
    </label>
    <input id="f-limit" name="limit" value="3" inputmode="decimal" maxlength="40" autocomplete="off" data-keep aria-invalid="true" aria-describedby="f-limit-problem">
    </div>
    <p class="bad mt-1" id="f-limit-problem">3 psi is little: look at the unit.</p>
    </div>
    <div class="">
    <label for="f-gear">Gear <span class="soft font-normal">
    </span>
    </label>
    <select id="f-gear" name="gear">
    <option value="neutral">neutral</option>
    <option value="drive" selected>drive</option>
    </select>
    </div>
    <div class="">
    <label class="tick">
    <input id="f-sure" type="checkbox" name="sure" value="yes" class="size-6 accent-brass-bar" checked>it stands so </label>
    </div>
    <div class="">
    <label for="f-note">Note <span class="soft font-normal">
    </span>
    </label>
    <textarea id="f-note" name="note" data-keep>a &#60; b</textarea>
    </div>
    <input type="hidden" name="entry" value="7">
    "#);
}

#[test]
fn every_decision_has_a_shape_of_its_own() {
    let all = Decision::ALL.map(|(decision, id)| (id, decision.word())).to_vec();
    insta::assert_snapshot!(tidy(&Shapes { all }.render().unwrap_or_default()), @r#"
    <span class="shape is-below">
    <svg viewBox="0 0 16 16" aria-hidden="true">
    <path fill="currentColor" d="M1 3h14L8 15z"/>
    </svg>below</span>
    <span class="shape is-within">
    <svg viewBox="0 0 16 16" aria-hidden="true">
    <circle cx="8" cy="8" r="7" fill="currentColor"/>
    <path d="M4.5 8.2l2.4 2.5 4.6-5.2" fill="none" stroke="var(--color-paper)" stroke-width="2"/>
    </svg>within</span>
    <span class="shape is-above">
    <svg viewBox="0 0 16 16" aria-hidden="true">
    <path fill="currentColor" d="M1 13h14L8 1z"/>
    </svg>above</span>
    <span class="shape is-undecided">
    <svg viewBox="0 0 16 16" aria-hidden="true">
    <path fill="none" stroke="currentColor" stroke-width="2" d="M7 2A6 6 0 0 0 7 14M9 2A6 6 0 0 1 9 14"/>
    </svg>undecided</span>
    <span class="shape is-not_measured">
    <svg viewBox="0 0 16 16" aria-hidden="true">
    <circle cx="8" cy="8" r="6" fill="none" stroke="currentColor" stroke-width="2" stroke-dasharray="2 2.6"/>
    </svg>not measured</span>
    "#);
}
