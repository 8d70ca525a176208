//! Look first: checks of minutes that need no gauge.
use crate::job::Drawn;
use crate::job::cards::{self, CheckCard};
use crate::job::shell::Shell;
use askama::Template;

#[derive(Template)]
#[template(path = "job/look/look.html")]
struct Surface<'a> {
    bench: &'a Shell,
    cards: Vec<CheckCard>,
}

/// Draws the screen.
pub fn draw(drawn: &Drawn) -> askama::Result<String> {
    Surface { bench: drawn.shell, cards: cards::quick(drawn.assessed) }.render()
}
