//! Trace: why these odds, what is left to check, and the ledger.
use crate::job::Drawn;
use crate::job::assess::Assessed;
use crate::job::cards::{self, CheckCard};
use crate::job::lines::{Line, lines};
use crate::job::shell::Shell;
use crate::ui::show;
use askama::Template;
use velvet_dial_core::trace::Step;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_core::unit::Units;

#[derive(Template)]
#[template(path = "job/trace/trace.html")]
struct Surface<'a> {
    bench: &'a Shell,
    work: TraceWork,
}

/// Draws the screen.
pub fn draw(drawn: &Drawn) -> askama::Result<String> {
    Surface { bench: drawn.shell, work: trace(drawn.assessed, drawn.shell.unit) }.render()
}

/// Evidence and what is left to check.
pub struct TraceWork {
    pub todo: Vec<CheckCard>,
    pub done: Vec<CheckCard>,
    /// Names of the leading suspects, then what each finding did to each of them.
    pub columns: Vec<String>,
    pub moves: Vec<Moved>,
    pub withheld: usize,
    pub ledger: Vec<Line>,
}

/// A finding and what it did.
pub struct Moved {
    pub label: String,
    pub cells: Vec<Move>,
}

/// How far a finding moved a suspect.
pub struct Move {
    pub text: String,
    pub class: &'static str,
}

/// Columns of the table of moves: as many suspects as fit.
const SUSPECTS_EXPLAINED: usize = 3;
/// Log-odds under which a finding did not move a suspect.
const UNMOVED: f64 = 0.1;

fn trace(assessed: &Assessed, unit: Units) -> TraceWork {
    let know = knowledge();
    let leaders: Vec<usize> = assessed.now.posterior.ranked().into_iter().take(SUSPECTS_EXPLAINED).collect();
    let columns = leaders.iter().filter_map(|index| know.causes.get(*index)).map(|cause| cause.name.clone()).collect();
    let moves = assessed
        .now
        .findings
        .iter()
        .zip(&assessed.now.posterior.moved)
        .map(|(finding, moved)| {
            let cells = leaders
                .iter()
                .map(|index| {
                    let by = moved.get(*index).copied().unwrap_or_default();
                    if by.abs() < UNMOVED {
                        Move { text: "no change".to_owned(), class: "soft" }
                    } else if by > 0.0 {
                        Move { text: format!("× {} for", show::plain(round_factor(by.exp()))), class: "is-within" }
                    } else {
                        Move { text: format!("× {} against", show::plain(round_factor((-by).exp()))), class: "is-below" }
                    }
                })
                .collect();
            Moved { label: finding.label.clone(), cells }
        })
        .collect();
    let answered = |id: &str| assessed.case.evidence.iter().any(|e| e.check == id);
    let withheld = if assessed.now.flag.allowed() { 0 } else { know.checks.iter().filter(|c| c.running() && !answered(&c.id)).count() };
    let steps = assessed.now.next.iter().skip(1).flat_map(|proposal| match &proposal.step {
        Step::Bench(_, behind) => behind.as_slice(),
        step => std::slice::from_ref(step),
    });
    TraceWork {
        // The first one stands beside already, under the suspects.
        todo: steps.filter_map(|step| if let Step::Check(check) = step { cards::card(assessed, check) } else { None }).collect(),
        done: assessed.case.evidence.iter().filter_map(|e| cards::card(assessed, &e.check)).collect(),
        columns,
        moves,
        withheld,
        ledger: lines(&assessed.job, unit),
    }
}

/// Odds are told to one or two figures: nobody weighs 13.7 against 14.
fn round_factor(factor: f64) -> f64 {
    if factor >= 100.0 {
        100.0
    } else if factor >= 10.0 {
        factor.round()
    } else {
        (factor * 10.0).round() / 10.0
    }
}
