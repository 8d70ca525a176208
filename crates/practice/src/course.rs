//! The course: scenes that were written one after the other, each to teach one thing (`course.toml`).
use crate::written::Written;
use serde::Deserialize;
use std::sync::LazyLock;

#[derive(Deserialize)]
struct File {
    scene: Vec<Written>,
}

static COURSE: LazyLock<Vec<Written>> =
    LazyLock::new(|| toml::from_str(include_str!("../course.toml")).map_or_else(|_| Vec::new(), |file: File| file.scene));

/// Its scenes, in order. A test holds them to twenty-four that can be solved.
pub fn course() -> &'static [Written] {
    &COURSE
}

/// A scene by its place, from 1.
pub fn lesson(place: u8) -> Option<&'static Written> {
    COURSE.get(usize::from(place).checked_sub(1)?)
}
