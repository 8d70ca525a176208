//! The tables as text: what `velvet-dial evaluate` prints and `docs/evaluation.md` holds.
use super::{CauseScore, Evaluation, Orders, SHOWN_BY_PRESSURE, Tally};
use crate::trace::ENOUGH;
use std::fmt::{Display, Formatter, Result};

const LEVELS: [&str; 4] = [
    "Four pressures alone",
    "With intake and the checks of minutes",
    "Where the default order ended, clear answers",
    "Where the default order ended, answers as the tables have them",
];
/// Statements a bin needs before its gap is called one.
const COUNTED: u32 = 100;

impl Display for Evaluation {
    fn fmt(&self, f: &mut Formatter) -> Result {
        writeln!(f, "Seed {}, {} engines. Shares in %; `n` is cases.\n", self.options.seed, self.options.engines)?;
        writeln!(
            f,
            "## By cause, each as often as the other\n\nFour columns from the pressures alone, four with intake and the checks of minutes, and the leader where the default order ended on clear answers.\n"
        )?;
        heading(f)?;
        for (id, score) in self.causes.iter().filter(|(id, _)| SHOWN_BY_PRESSURE.contains(&id.as_str())) {
            row(f, id, score)?;
        }
        row(f, "**the thirteen that pressures can show**", &self.shown)?;
        for (id, score) in self.causes.iter().filter(|(id, _)| !SHOWN_BY_PRESSURE.contains(&id.as_str())) {
            row(f, id, score)?;
        }
        row(f, "**all causes, equal mix**", &self.all)?;
        row(f, "**all causes as they come in**", &self.as_they_come)?;

        writeln!(f, "\n## Stated certainty against what came true\n\nCauses as they come in; every cause stated at 2 % or more counts.\n")?;
        for (name, table) in LEVELS.iter().zip(&self.calibration) {
            let (widest, mean) = table.gaps(COUNTED);
            writeln!(f, "{name}: widest gap {widest:.1} points (bins of {COUNTED} statements or more), mean gap {mean:.1} points\n")?;
            writeln!(f, "| stated | n | mean stated | came true |\n|---|---:|---:|---:|")?;
            for (tenth, bin) in table.bins.iter().enumerate() {
                writeln!(
                    f,
                    "| {}–{} % | {} | {:.1} | {:.1} |",
                    10 * tenth,
                    10 * (tenth + 1),
                    bin.stated,
                    100.0 * bin.mean,
                    100.0 * bin.came_true
                )?;
            }
            writeln!(f)?;
        }

        writeln!(
            f,
            "## The orders of checks\n\nBegun at the four pressures, until one cause stands at {:.0} % or nothing is left to check.\n",
            100.0 * ENOUGH
        )?;
        for (answers, (shown, coming)) in ["clear answers, 5 % wrong", "answers as the tables have them, and 5 % wrong on top"]
            .iter()
            .zip(self.orders_shown.iter().zip(&self.orders_as_they_come))
        {
            orders(f, &format!("The thirteen, equal mix; {answers}"), shown)?;
            orders(f, &format!("All causes as they come in; {answers}"), coming)?;
        }
        Ok(())
    }
}

fn heading(f: &mut Formatter) -> Result {
    writeln!(
        f,
        "| cause | n | first | first three | group first | first two groups | first | first three | group first | first two groups | checks answered: first |"
    )?;
    writeln!(f, "|---|---:|---:|---:|---:|---:|---:|---:|---:|---:|---:|")
}

fn shares(tally: &Tally) -> String {
    [tally.first, tally.first_three, tally.group_first, tally.group_first_two]
        .map(|count| format!("{:.0}", 100.0 * tally.share(count)))
        .join(" | ")
}

fn row(f: &mut Formatter, name: &str, score: &CauseScore) -> Result {
    let followed = if score.followed == 0 {
        "–".to_owned()
    } else {
        format!("{:.0}", 100.0 * f64::from(score.followed_right) / f64::from(score.followed))
    };
    writeln!(f, "| {name} | {} | {} | {} | {followed} |", score.pressures.cases, shares(&score.pressures), shares(&score.intake))
}

fn orders(f: &mut Formatter, name: &str, scores: &Orders) -> Result {
    writeln!(
        f,
        "{name}\n\n| order | n | minutes of checks | money | checks | certain | right | minutes to proof |\n|---|---:|---:|---:|---:|---:|---:|---:|"
    )?;
    for (order, score) in scores {
        let n = f64::from(score.cases.max(1));
        writeln!(
            f,
            "| {order} | {} | {:.0} | {:.0} | {:.1} | {:.1} | {:.1} | {:.0} |",
            score.cases,
            score.minutes / n,
            score.money / n,
            f64::from(score.checks) / n,
            100.0 * f64::from(score.certain) / n,
            100.0 * f64::from(score.right) / n,
            score.to_proof / n
        )?;
    }
    writeln!(f)
}
