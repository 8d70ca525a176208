//! A form that was not taken: what was typed, and what is wrong with it.
use std::collections::BTreeMap;

/// Typed values and sentences, by field.
#[derive(Debug, Default, Clone)]
pub struct FormState {
    /// Which form.
    pub form: &'static str,
    typed: BTreeMap<String, String>,
    problems: BTreeMap<String, String>,
}

impl FormState {
    /// The state of a form.
    pub fn of(form: &'static str) -> Self {
        Self { form, ..Self::default() }
    }

    /// Keeps what was typed.
    pub fn keep(&mut self, field: &str, value: &str) {
        self.typed.insert(field.to_owned(), value.to_owned());
    }

    /// Notes what is wrong, and gives the value when nothing is.
    pub fn take<T, E: ToString>(&mut self, field: &str, result: Result<T, E>) -> Option<T> {
        result.map_err(|error| self.problems.insert(field.to_owned(), error.to_string())).ok()
    }

    /// Notes a problem.
    pub fn wrong(&mut self, field: &str, sentence: impl Into<String>) {
        self.problems.insert(field.to_owned(), sentence.into());
    }

    /// What was typed in a field of a form; empty on a fresh form.
    pub fn typed(&self, form: &str, field: &str) -> &str {
        if self.form == form { self.typed.get(field).map_or("", String::as_str) } else { "" }
    }

    /// What is wrong with a field of a form.
    pub fn problem(&self, form: &str, field: &str) -> Option<&str> {
        if self.form == form { self.problems.get(field).map(String::as_str) } else { None }
    }

    /// Nothing is wrong.
    pub fn is_clean(&self) -> bool {
        self.problems.is_empty()
    }
}
