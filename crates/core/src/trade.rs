//! The trade's knowledge as one table a foreman can read: every check, every repair and every opening with its steps, for which layouts, why it comes where it comes, and its caution. `docs/trade.md` is
//! this text; a test holds the two together.
use crate::circuit::Card;
use crate::knowledge::{Access, Check, Engine, Needs, Reached, Sump, knowledge};
use crate::methods::methods;
use crate::opened::{Hand, opening_said, repair_of};
use std::fmt::Write;

/// The document.
pub fn document() -> String {
    let mut text = String::from(HEAD);
    text.push_str("\n## Checks\n\nIn the order of the work: from outside first, then what lies behind each opening, so that no look destroys what comes after it.\n\n");
    text.push_str("| Check | Applies to | Needs | Why it comes here | How, with its caution |\n|---|---|---|---|---|\n");
    let ordinary = Card::of(2.0, 4, 750.0, "5W-30");
    let mut checks: Vec<&Check> = knowledge().checks.iter().collect();
    checks.sort_by(|a, b| a.access(&ordinary).cmp(&b.access(&ordinary)).then(a.order.total_cmp(&b.order)));
    for check in checks {
        // OK because writing to a string cannot fail.
        let _ = writeln!(
            text,
            "| `{}` {} | {} | {} | {} | {} |",
            check.id,
            cell(&check.ask),
            layouts(check),
            bench(check),
            cell(&check.why_here()),
            cell(&check.how)
        );
    }
    text.push_str("\n## Opening\n");
    for (access, title) in [(Access::Cover, "Front cover"), (Access::Sump, "Sump"), (Access::EngineOut, "Engine out")] {
        let Some(said) = opening_said(access) else { continue };
        let _ = writeln!(text, "\n### {title}\n\nReady: {}.\n", said.hand.join("; "));
        steps(&mut text, &mut said.steps.iter());
        if !said.cannot.is_empty() {
            let _ = writeln!(text, "\nNot seen even then: {}", said.cannot);
        }
    }
    text.push_str("\n## Repairs\n\nEach closes exactly what was opened for it and fills exactly what was drained; the steps are those of an engine with a front cover, a sump pan and its pump in the sump.\n");
    for cause in &knowledge().causes {
        let Some(repair) = repair_of(&cause.id) else { continue };
        let place = reached(repair.opens());
        let _ = writeln!(
            text,
            "\n### {} (`{}`)\n\nReached: {place}. Applies to: {}.\n",
            cause.name,
            cause.id,
            cause.needs.map_or("every layout", needs)
        );
        steps(&mut text, &mut repair.steps_on(&ordinary).into_iter());
        if !repair.stopgap.is_empty() {
            let _ = writeln!(text, "\nNo repair: {}", repair.stopgap);
        }
    }
    text.push_str("\n## Where mechanics differ\n");
    for method in methods() {
        let _ = writeln!(text, "\n### {}\n", method.ask);
        for way in &method.ways {
            let _ = writeln!(text, "- **{}.** {} When: {} Risk: {}", way.label, way.why, way.when, way.risk);
        }
    }
    text
}

const HEAD: &str = "# The trade: checks, openings and repairs

Made by `velvet-dial trade` from the knowledge files; a test keeps it current. Text in braces is filled from the engine's card: the held speed of this engine, an amount by its sump, how it is kept from
firing. No torque stands here: it is the maker's. The maker's manual, local rules and licensed practice come first.
";

fn steps(text: &mut String, steps: &mut dyn Iterator<Item = &Hand>) {
    text.push_str("| Step | Caution |\n|---|---|\n");
    for (place, step) in steps.enumerate() {
        let only = step.burns.map_or(String::new(), |burns| format!(" ({} engines)", burns.label()));
        let _ = writeln!(text, "| {}. {}{only} | {} |", place + 1, cell(&step.act), cell(&step.mind));
    }
}

fn cell(text: &str) -> String {
    text.replace('|', "/")
}

fn needs(part: Needs) -> &'static str {
    match part {
        Needs::ControlledPump => "pumps of controlled displacement",
        Needs::Cooler => "engines with an oil cooler",
        Needs::RockerShaft => "engines with a rocker shaft",
        Needs::HeadFeed => "engines whose head is fed",
        Needs::ValveControl => "engines with hydraulic valve control",
        Needs::PistonJets => "engines with piston jets",
        Needs::Turbo => "engines with a turbocharger",
        Needs::BeltInOil => "engines whose belt runs in oil",
    }
}

fn reached(opens: Reached) -> &'static str {
    match opens {
        Reached::Outside => "from the outside",
        Reached::Cover => "behind the front cover",
        Reached::Sump => "with the sump off",
        Reached::EngineOut => "with the engine out",
        Reached::Relief => "where the card has the relief valve; from the outside where it is silent",
        Reached::Pump => "where the card has the pump; behind the front cover where the crank drives it, else in the sump",
        Reached::Drive => "where the card has the pump's drive; else where the pump is",
        Reached::Jets => "where the card has the jets; from below where it is silent",
        Reached::Cams => "under the rocker cover where the cam is in the head, else with the engine out",
        Reached::Blow => "with the sump off, or by a pipe on the outside where the card has one",
    }
}

fn layouts(check: &Check) -> String {
    let mut said = check.needs.map_or("every layout", needs).to_owned();
    if check.engine == Some(Engine::Top) {
        said.push_str("; runs only where no oil gets onto the exhaust, else cranked; not where the cover does not come off by itself");
    }
    format!("{said}; {}", reached(check.reached()))
}

fn bench(check: &Check) -> String {
    let engine = match check.engine {
        Some(Engine::Running) => "running",
        Some(Engine::Stopped) => "stopped",
        Some(Engine::Cranked) => "cranked without fuel",
        Some(Engine::Top) => "running or cranked",
        None => "either",
    };
    let mut said = format!("engine {engine}");
    for (so, word) in [(check.gauge, ", gauge fitted"), (check.hot, ", oil hot"), (check.sump == Some(Sump::Filled), ", sump filled")] {
        if so {
            said.push_str(word);
        }
    }
    for (before, outcomes) in &check.after {
        let _ = write!(said, ", only after `{before}` was {}", outcomes.join(" or "));
    }
    said
}
