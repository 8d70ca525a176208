//! The tables as text: what `velvet-dial evaluate` prints and `docs/evaluation.md` holds.
use crate::{Calibration, CauseScore, Evaluation, Orders, SHOWN_BY_PRESSURE, SoundScore, Tally, Tuned};
use std::fmt::{Display, Formatter, Result};

const LEVELS: [&str; 4] = [
    "Pressures alone",
    "With intake and the checks of minutes",
    "Where the default order ended, clear answers",
    "Where the default order ended, answers as the tables have them",
];
/// Statements a bin needs before its gap is called one.
const COUNTED: u32 = 400;

impl Display for Evaluation {
    fn fmt(&self, f: &mut Formatter) -> Result {
        let which = if self.options.tuned_on { "rivals that things are tuned on" } else { "rivals that were left out of all tuning" };
        writeln!(f, "Seed {}, {} engines of each rival, {which}. Shares in %; `n` is cases.\n", self.options.seed, self.options.engines)?;
        writeln!(f, "## By rival\n\nPressures alone. *Called sound* is a stated soundness over one half; *condemned* is one under 5 %.\n")?;
        writeln!(
            f,
            "| rival | n | the thirteen: first three | first two groups | sound engines | called sound | condemned | faulty below their sheet | called sound | faulty within it | called sound | widest gap | mean gap | stated over 90 | came true |"
        )?;
        writeln!(f, "|---|---:|---:|---:|---:|---:|---:|---:|---:|---:|---:|---:|---:|---:|---:|")?;
        for rival in &self.rivals {
            self::rival(f, rival.name, &rival.shown, &rival.sound, &rival.calibration, COUNTED / 4)?;
        }
        let [pressures, ..] = &self.calibration;
        self::rival(f, "**all**", &self.shown.pressures, &self.all.sound, pressures, COUNTED)?;
        let (below, all) = (&self.shown.below, &self.shown.pressures);
        writeln!(
            f,
            "\nOf the thirteen, {} are below their sheet: first three {:.0}, first two groups {:.0}. The others keep their sheet and were noticed by a change alone.\n",
            share(below.cases, all.cases),
            100.0 * below.share(below.first_three),
            100.0 * below.share(below.group_first_two)
        )?;
        writeln!(
            f,
            "## By cause, each as often as the other\n\nFour columns from the pressures alone, four with intake and the checks of minutes, and the leader where the default order ended on clear answers; then, of sound engines, those called sound from the pressures alone.\n"
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
            "## The orders\n\nBegun at the pressures, until one cause stands at the certainty it is acted on at, or nothing left is worth its minutes.\n"
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

/// A share in percent, or a dash where there is nothing to share.
fn share(part: u32, of: u32) -> String {
    if of == 0 { "–".to_owned() } else { format!("{:.1}", 100.0 * f64::from(part) / f64::from(of)) }
}

fn rival(f: &mut Formatter, name: &str, shown: &Tally, sound: &SoundScore, calibration: &Calibration, counted: u32) -> Result {
    let (widest, mean) = calibration.gaps(counted);
    let [.., over_90] = calibration.bins;
    writeln!(
        f,
        "| {name} | {} | {:.0} | {:.0} | {} | {} | {} | {} | {} | {} | {} | {widest:.1} | {mean:.1} | {} | {:.0} |",
        shown.cases,
        100.0 * shown.share(shown.first_three),
        100.0 * shown.share(shown.group_first_two),
        sound.sound,
        share(sound.called, sound.sound),
        share(sound.condemned, sound.sound),
        sound.below,
        share(sound.missed, sound.below),
        sound.within,
        share(sound.within_called, sound.within),
        over_90.stated,
        100.0 * over_90.came_true,
    )
}

/// The table of a tuning.
pub fn tuning(tuned: &[Tuned]) -> String {
    let values: Vec<String> =
        tuned.first().map_or_else(Vec::new, |first| first.scores.iter().map(|(value, _)| format!("{value}")).collect());
    let mut text = format!("| rival | {} | chosen by the others |\n|---|{}---:|\n", values.join(" | "), "---:|".repeat(values.len()));
    for rival in tuned {
        let scores: Vec<String> = rival.scores.iter().map(|(_, score)| format!("{score:.3}")).collect();
        text.push_str(&format!("| {} | {} | {} |\n", rival.name, scores.join(" | "), rival.chosen_by_others));
    }
    text
}

fn heading(f: &mut Formatter) -> Result {
    writeln!(
        f,
        "| cause | n | first | first three | group first | first two groups | first | first three | group first | first two groups | checks answered: first | called sound |"
    )?;
    writeln!(f, "|---|---:|---:|---:|---:|---:|---:|---:|---:|---:|---:|---:|")
}

fn shares(tally: &Tally) -> String {
    [tally.first, tally.first_three, tally.group_first, tally.group_first_two]
        .map(|count| format!("{:.0}", 100.0 * tally.share(count)))
        .join(" | ")
}

fn row(f: &mut Formatter, name: &str, score: &CauseScore) -> Result {
    let followed = share(score.followed_right, score.followed);
    let called = share(score.sound.called, score.sound.sound);
    writeln!(f, "| {name} | {} | {} | {} | {followed} | {called} |", score.pressures.cases, shares(&score.pressures), shares(&score.intake))
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

/// The most that the readings could tell, as a table.
pub fn most(rows: &[(&str, Tally)]) -> String {
    let mut text = String::from("| rival | n | first | first three | first group | first two groups |\n|---|---:|---:|---:|---:|---:|\n");
    let mut all = Tally::default();
    rows.iter().for_each(|(_, tally)| all.add(*tally));
    for (name, tally) in rows.iter().copied().chain([("**all**", all)]) {
        let percent = |count: u32| 100.0 * tally.share(count);
        text += &format!(
            "| {name} | {} | {:.0} | {:.0} | {:.0} | {:.0} |\n",
            tally.cases,
            percent(tally.first),
            percent(tally.first_three),
            percent(tally.group_first),
            percent(tally.group_first_two)
        );
    }
    text
}
