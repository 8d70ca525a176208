//! Proves a stock of scenes: whether each can be found within its grade's budget, whether the grades differ, and whether the marks order the bots as they should.
use crate::bots::{self, Bot};
use crate::grade::Grade;
use crate::marks::{MOST, Marks};
use crate::play::Played;
use crate::scene::Scene;
use rayon::prelude::*;
use serde::Serialize;
use std::collections::BTreeMap;
use std::fmt::Write;

/// How a bot fared over the scenes of a grade.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize)]
pub struct BotScore {
    /// Scenes in which the complaint was gone in the end.
    pub cured: usize,
    /// Scenes in which the first choice was right and certain enough.
    pub justified: usize,
    /// Scenes in which the right cause was repaired without enough that spoke for it.
    pub lucky: usize,
    /// Median minutes.
    pub minutes: f64,
    /// Mean of all marks, 0 to 100.
    pub marks: f64,
    /// Mean of each mark, 0 to 20.
    pub each: [f64; 5],
}

/// A grade's scenes.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct GradeScore {
    /// The grade.
    pub grade: Grade,
    /// Scenes drawn.
    pub scenes: usize,
    /// Scenes that some bot that measures cures with its first choice within the budget.
    pub provable: usize,
    /// Scenes that the planner cures with its first choice within the budget.
    pub by_planner: usize,
    /// The bots.
    pub bots: BTreeMap<Bot, BotScore>,
}

/// The seeds of proven scenes, so many of each grade, as TOML.
pub fn stock(first_seed: u64, each: usize) -> String {
    let mut text = String::from(
        "# Seeds of proven scenes, by grade: `velvet-dial practice --stock`. Drawn again when the knowledge changes; a test holds a part of them.\n",
    );
    for grade in Grade::ALL {
        let mut seeds: Vec<u64> = Vec::new();
        // Some at a time, until there are enough.
        let mut from = first_seed;
        while seeds.len() < each && from < first_seed + 40 * each as u64 {
            let drawn: Vec<u64> = (from..from + each as u64).into_par_iter().filter(|seed| is_proven(*seed, grade)).collect();
            seeds.extend(drawn);
            from += each as u64;
        }
        seeds.truncate(each);
        let list: Vec<String> = seeds.iter().map(u64::to_string).collect();
        let _ = writeln!(text, "{} = [{}]", grade.label(), list.join(", "));
    }
    text
}

/// Whether a bot that measures finds it within its grade's budget, with its first repair.
pub fn is_proven(seed: u64, grade: Grade) -> bool {
    let played = Scene::drawn(seed, grade).and_then(|scene| bots::all(&scene));
    played.is_some_and(|all| all.values().any(|one| proves(one, grade)))
}

pub(crate) fn proves(one: &Played, grade: Grade) -> bool {
    let in_time = one.found().is_some_and(|found| found.at_minutes <= grade.mix().budget_minutes);
    one.cured && one.in_vain() == 0 && in_time && one.measured_first()
}

/// Draws so many scenes of each grade and plays all bots through them.
pub fn prove(first_seed: u64, each: usize) -> Vec<GradeScore> {
    Grade::ALL.into_iter().map(|grade| of_grade(grade, first_seed, each)).collect()
}

fn of_grade(grade: Grade, first_seed: u64, each: usize) -> GradeScore {
    let played: Vec<BTreeMap<Bot, Played>> = (0..each as u64)
        .into_par_iter()
        .filter_map(|place| Scene::drawn(first_seed + place, grade).and_then(|scene| bots::all(&scene)))
        .collect();
    let proves = |one: &Played| proves(one, grade);
    let of = |bot: Bot| {
        let own: Vec<(&Played, Marks)> = played
            .iter()
            .filter_map(|all| {
                let planner = all.get(&Bot::Planner).map_or(0.0, Played::money);
                all.get(&bot).map(|one| (one, Marks::of(one, planner)))
            })
            .collect();
        let mut minutes: Vec<f64> = own.iter().map(|(one, _)| one.minutes()).collect();
        minutes.sort_by(f64::total_cmp);
        let mean = |value: &dyn Fn(&Marks) -> f64| own.iter().map(|(_, marks)| value(marks)).sum::<f64>() / own.len().max(1) as f64;
        let count = |wanted: fn(&Played) -> bool| own.iter().filter(|(one, _)| wanted(one)).count();
        let score = BotScore {
            cured: count(|one| one.cured),
            justified: count(Played::is_justified),
            lucky: count(Played::is_lucky),
            minutes: minutes.get(minutes.len() / 2).copied().unwrap_or_default(),
            marks: mean(&Marks::total),
            each: std::array::from_fn(|place| mean(&|marks| marks.marks.get(place).map_or(0.0, |mark| mark.points))),
        };
        (bot, score)
    };
    GradeScore {
        grade,
        scenes: played.len(),
        provable: played.iter().filter(|all| all.values().any(proves)).count(),
        by_planner: played.iter().filter(|all| all.get(&Bot::Planner).is_some_and(proves)).count(),
        bots: Bot::ALL.into_iter().map(of).collect(),
    }
}

/// The table, as text.
pub fn table(grades: &[GradeScore]) -> String {
    let mut text =
        String::from("Of the scenes drawn: found within the budget by the first repair, by any bot that measures and by the planner.\n");
    let share = |part: usize, of: usize| format!("{:.0} %", 100.0 * part as f64 / of.max(1) as f64);
    for one in grades {
        let _ = writeln!(
            text,
            "\n{} grade: {} scenes, {:.0} minutes allowed, provable {}, by the planner {}",
            one.grade.label(),
            one.scenes,
            one.grade.mix().budget_minutes,
            share(one.provable, one.scenes),
            share(one.by_planner, one.scenes)
        );
        let _ = writeln!(
            text,
            "  {:<15} {:>6} {:>10} {:>6} {:>8} {:>6}   proof safety order price record, of {MOST:.0}",
            "", "cured", "justified", "lucky", "minutes", "marks"
        );
        for (bot, score) in &one.bots {
            let each: String = score.each.iter().map(|points| format!("{points:>6.1}")).collect();
            let _ = writeln!(
                text,
                "  {:<15} {:>6} {:>10} {:>6} {:>8.0} {:>6.1}  {each}",
                bot.label(),
                share(score.cured, one.scenes),
                share(score.justified, one.scenes),
                share(score.lucky, one.scenes),
                score.minutes,
                score.marks
            );
        }
    }
    text
}
