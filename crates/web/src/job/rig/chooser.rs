//! Which of the shop's gauges can tell what this job asks: each over the pressures that are expected, by the engine's own draws and its sheet.
use crate::job::assess::Assessed;
use crate::ui::picture::scales::{self, Band, Scale, Scales};
use crate::ui::show;
use velvet_dial_core::calculator::{Candidate, Choice, GaugeChoice, choose};
use velvet_dial_core::case::hot_c;
use velvet_dial_core::circuit::Working;
use velvet_dial_core::unit::Units;

/// Oil that is cold on a cool morning, and the speed it idles at over the usual.
const COLD: (f64, f64) = (15.0, 150.0);

/// The pressures that a job may meet, kPa.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Expected {
    /// Hot idle: low, middle, high.
    pub idle: [f64; 3],
    /// Hot at the fastest speed that the sheet names, or half of the rated one.
    pub fast: [f64; 3],
    /// The same speed's name.
    pub fast_rpm: f64,
    /// Just started, oil cold.
    pub cold: [f64; 3],
    /// Least limit of the sheet, or what the rule of thumb asks at idle.
    pub least: f64,
}

/// The pressures expected of a job's engine. It solves every draw at three points: out of the serving threads.
pub fn expected(assessed: &Assessed) -> Expected {
    let (engine, tracer) = (&assessed.case.engine, &assessed.tracer);
    let points = assessed.case.spec.as_ref().map_or(&[][..], |sheet| sheet.points.as_slice());
    let fast_rpm = points.iter().map(|point| point.rpm).fold(0.0, f64::max);
    let fast_rpm = if fast_rpm > 1.5 * engine.idle_rpm { fast_rpm } else { 0.5 * engine.rated_rpm() };
    let hot_c = hot_c(&assessed.case);
    let at = |rpm: f64, oil_temp_c: f64| tracer.expected_kpa(Working { rpm, oil_temp_c });
    let limits = points.iter().filter_map(|point| point.min_kpa);
    // A tenth of kPa a turn is the rule of thumb: 70 kPa a thousand turns.
    let thumb = 0.07 * engine.idle_rpm;
    Expected {
        idle: at(engine.idle_rpm, hot_c),
        fast: at(fast_rpm, hot_c),
        fast_rpm,
        cold: at(engine.idle_rpm + COLD.1, COLD.0),
        least: limits.fold(f64::INFINITY, f64::min).min(if points.is_empty() { thumb } else { f64::INFINITY }),
    }
}

/// The chooser: what it proposes, and every gauge drawn.
pub struct Chooser {
    pub says: String,
    pub scales: Scales,
    pub rows: Vec<Row>,
}

/// A gauge in figures.
pub struct Row {
    pub name: String,
    pub blind: String,
    pub error: String,
    pub room: String,
    /// What it is proposed for.
    pub part: &'static str,
}

/// Lays it out; none when the shop has no gauge, or the sheet asks for nothing.
pub fn chooser(assessed: &Assessed, expected: &Expected, unit: Units) -> Option<Chooser> {
    let gauges = assessed.job.gauges.iter().map(|gauge| Candidate {
        name: gauge.name.clone(),
        full_scale_kpa: gauge.gauge.full_scale_kpa,
        class_percent: gauge.gauge.class_percent,
        graduation_kpa: gauge.gauge.graduation_kpa,
    });
    let gauges: Vec<Candidate> = gauges.collect();
    let working = expected.fast[2].max(expected.idle[2]).max(expected.least);
    let job = GaugeChoice {
        least_kpa: expected.least,
        working_kpa: working,
        cold_peak_kpa: expected.cold[2].max(working),
        idle_kpa: Some(expected.idle[1]),
        gauges: gauges.clone(),
    };
    let choice = choose(&job).ok()?;
    let rows = choice.gauges.iter().map(|gauge| Row {
        name: gauge.name.clone(),
        blind: show::pressure(gauge.blind_below_kpa, unit),
        error: format!("{:.0} %", gauge.error_at_limit_percent),
        room: if gauge.head_room_cold_percent < 0.0 {
            "overloaded cold".to_owned()
        } else {
            format!("{:.0} % over the cold peak", gauge.head_room_cold_percent)
        },
        part: part(&choice, &gauge.name),
    });
    let scale = |gauge: &velvet_dial_core::calculator::Suited| Scale {
        name: gauge.name.clone(),
        full_scale_kpa: gauges.iter().find(|known| known.name == gauge.name).map_or(0.0, |known| known.full_scale_kpa),
        blind_kpa: gauge.blind_below_kpa,
        proposed: !part(&choice, &gauge.name).is_empty(),
    };
    let bands = vec![
        Band { name: "hot idle".to_owned(), low_kpa: expected.idle[0], high_kpa: expected.idle[2] },
        Band { name: format!("{:.0} rpm hot", expected.fast_rpm), low_kpa: expected.fast[0], high_kpa: expected.fast[2] },
        Band { name: "cold start".to_owned(), low_kpa: expected.cold[0], high_kpa: expected.cold[2] },
    ];
    let all: Vec<Scale> = choice.gauges.iter().map(scale).collect();
    Some(Chooser { scales: scales::scales(&all, &bands, expected.least, unit), rows: rows.collect(), says: says(&choice, expected, unit) })
}

fn part(choice: &Choice, name: &str) -> &'static str {
    match (choice.cold.as_deref() == Some(name), choice.hot.as_deref() == Some(name)) {
        _ if choice.idle_only.as_deref() == Some(name) => "hot idle alone",
        (true, false) if choice.idle_only.is_some() => "cold and at speed",
        (true, true) => "cold and hot",
        (true, false) => "cold",
        (false, true) => "hot",
        (false, false) => "",
    }
}

/// The choice in a sentence, in the unit that is liked.
fn says(choice: &Choice, expected: &Expected, unit: Units) -> String {
    let least = show::pressure(expected.least, unit);
    match (&choice.cold, &choice.hot) {
        (Some(cold), None) if choice.idle_only.is_some() => {
            let (idle, up_to) = (choice.idle_only.as_deref().unwrap_or_default(), choice.idle_up_to_kpa.unwrap_or_default());
            format!(
                "“{cold}” for the cold start and at speed. “{idle}” for hot idle alone: never rev it over {}.",
                show::pressure(up_to, unit)
            )
        }
        (_, None) if choice.gauges.iter().all(|gauge| !gauge.tells_limit) => {
            format!(
                "None of the shop's gauges is fine enough for {least}. Borrow one with a smaller range or a better class, or use a transducer."
            )
        }
        (_, None) => "The gauges that are fine enough for the limit would be overloaded. Use a transducer.".to_owned(),
        (None, Some(hot)) => {
            format!("“{hot}” is fine enough for {least}, but no gauge survives the cold start. Fit it when the engine is hot.")
        }
        (Some(cold), Some(hot)) if cold == hot => format!("“{hot}” does both: it is fine enough for {least} and survives the cold start."),
        (Some(cold), Some(hot)) => {
            let over = choice
                .gauges
                .iter()
                .find(|gauge| gauge.name == *hot)
                .map_or(0.0, |gauge| expected.fast[2] * (1.0 + gauge.head_room_hot_percent / 100.0) / 1.1);
            format!("Start cold on “{cold}”. Change to “{hot}” once it is hot and stays under {}.", show::pressure(over, unit))
        }
    }
}
