//! Reading the files, and spreading their rows over all states.
//!
//! A slight fault shows only a share of its row's difference from the usual. Two causes that each change an outcome's odds change them
//! independently: P(o | A, B) ∝ P(o | A)·P(o | B)/P(o | usual), so a cause that leaves a check alone leaves the other's row as it is.
use super::row::{Check, Circumstance, Engine, Outcome, Reached, Row, Sump};
use super::state::{BANDS, Hypothesis, Link};
use super::{Cause, Knowledge, Moves, Needs, Openings};
use crate::safety;
use serde::Deserialize;
use serde::de::DeserializeOwned;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct CauseFile {
    cause: Vec<Cause>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct PairFile {
    pair: Vec<RawPair>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RawPair {
    first: String,
    second: String,
    link: Link,
    p: f64,
    reason: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct CircumstanceFile {
    circumstance: Vec<Circumstance>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Twin {
    both: [String; 2],
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RawCheck {
    id: String,
    ask: String,
    how: String,
    minutes: f64,
    #[serde(default)]
    material: f64,
    along: u8,
    #[serde(default)]
    order: Option<f64>,
    #[serde(default)]
    here: String,
    #[serde(default)]
    after: Vec<String>,
    #[serde(default)]
    several: bool,
    #[serde(default)]
    access: Reached,
    #[serde(default)]
    material_per_l: f64,
    #[serde(default)]
    minutes_per_l: f64,
    #[serde(default)]
    engine: Option<Engine>,
    #[serde(default)]
    look: bool,
    #[serde(default)]
    gauge: bool,
    #[serde(default)]
    hot: bool,
    #[serde(default)]
    sump: Option<Sump>,
    #[serde(default)]
    needs: Option<Needs>,
    outcomes: Vec<String>,
    usual: Row,
    #[serde(default)]
    rows: Vec<Row>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct CheckFile {
    slight: f64,
    hour: f64,
    twin_share: f64,
    damage: Vec<String>,
    access: Openings,
    bench: Moves,
    twin: Vec<Twin>,
    check: Vec<RawCheck>,
}

const CAUSES: &str = include_str!("../../knowledge/causes.toml");
const PAIRS: &str = include_str!("../../knowledge/pairs.toml");
const CIRCUMSTANCES: &str = include_str!("../../knowledge/circumstances.toml");
const CHECKS: &str = include_str!("../../knowledge/checks.toml");
/// What else a judgement stands on.
const BESIDE: [&str; 2] = [include_str!("../../knowledge/safety.toml"), include_str!("../../knowledge/oils.toml")];

/// Tells one state of the knowledge from another: FNV-1a of its files, 16 hexadecimal digits.
pub(super) fn fingerprint() -> String {
    let texts = [CAUSES, PAIRS, CIRCUMSTANCES, CHECKS].into_iter().chain(BESIDE);
    let hash =
        texts.flat_map(str::bytes).fold(0xcbf2_9ce4_8422_2325_u64, |hash, byte| (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3));
    format!("{hash:016x}")
}

/// The heading of circumstances that somebody saw or heard.
const SEEN: &str = "seen";

/// The four files as one; what cannot be read is told by [`super::faults`].
pub(super) fn load() -> Knowledge {
    let mut complaints = Vec::new();
    let causes = read::<CauseFile>("causes.toml", CAUSES, &mut complaints);
    let pairs = read::<PairFile>("pairs.toml", PAIRS, &mut complaints);
    let told = read::<CircumstanceFile>("circumstances.toml", CIRCUMSTANCES, &mut complaints);
    let checks = read::<CheckFile>("checks.toml", CHECKS, &mut complaints);

    let causes = causes.map(|file| file.cause).unwrap_or_default();
    let hypotheses = hypotheses(&causes, pairs.map(|file| file.pair).unwrap_or_default(), &mut complaints);
    let slight = checks.as_ref().map_or(1.0, |file| file.slight);
    let spread = Spread { causes: &causes, hypotheses: &hypotheses, slight };
    let circumstances = alike(told.map(|file| file.circumstance).unwrap_or_default())
        .into_iter()
        .map(|circumstance| {
            let usual = [circumstance.usual, 1.0 - circumstance.usual];
            let rows = |cause: &Cause| {
                let p = circumstance.row(&cause.id);
                Some([p, 1.0 - p].to_vec())
            };
            // A slight fault is seen less; what was done to the engine is told as often with it as with a marked one.
            let slight = if circumstance.ask == SEEN { slight } else { 1.0 };
            let table = spread.over_states(slight, &usual, rows).into_iter().filter_map(|row| row.first().copied()).collect();
            Circumstance { table, ..circumstance }
        })
        .collect();
    let (hour, twin_share, openings, moves) =
        checks.as_ref().map_or_else(Default::default, |file| (file.hour, file.twin_share, file.access, file.bench));
    let damage = checks.as_ref().map_or_else(Vec::new, |file| file.damage.clone());
    let twins = checks.as_ref().map_or_else(Vec::new, |file| file.twin.iter().map(|twin| twin.both.clone()).collect());
    let checks = checks.map(|file| file.check).unwrap_or_default().into_iter().map(|raw| spread.check(raw)).collect();
    let total: f64 = causes.iter().map(|cause| cause.prior).sum();
    let causes: Vec<Cause> = causes.into_iter().map(|cause| Cause { prior: cause.prior / total, ..cause }).collect();
    let mut groups: Vec<&str> = Vec::new();
    let group_of = causes
        .iter()
        .map(|cause| {
            groups.iter().position(|known| *known == cause.group).unwrap_or_else(|| {
                groups.push(&cause.group);
                groups.len() - 1
            })
        })
        .collect();
    Knowledge { group_of, causes, hypotheses, checks, circumstances, hour, moves, damage, twins, twin_share, openings, complaints }
}

fn read<T: DeserializeOwned>(name: &str, text: &str, complaints: &mut Vec<String>) -> Option<T> {
    toml::from_str(text).map_err(|error| complaints.push(format!("{name}: {error}"))).ok()
}

fn hypotheses(causes: &[Cause], pairs: Vec<RawPair>, complaints: &mut Vec<String>) -> Vec<Hypothesis> {
    let index = |id: &str| causes.iter().position(|cause| cause.id == id);
    let mut known = Vec::new();
    for pair in pairs {
        match (index(&pair.first), index(&pair.second)) {
            (Some(first), Some(second)) if first != second && pair.link != Link::Alone && !pair.reason.is_empty() => {
                known.push(Hypothesis { first, second: Some(second), link: pair.link, share: pair.p, reason: pair.reason });
            }
            _ => complaints.push(format!("pairs.toml: {} with {} is no pair of two known causes with a reason", pair.first, pair.second)),
        }
    }
    let alone = (0..causes.len()).map(|first| {
        let in_pairs: f64 = known.iter().filter(|pair| pair.first == first).map(|pair| pair.share).sum();
        Hypothesis { first, second: None, link: Link::Alone, share: (1.0 - in_pairs).max(0.0), reason: String::new() }
    });
    alone.collect::<Vec<_>>().into_iter().chain(known).collect()
}

/// What rows are spread over.
struct Spread<'a> {
    causes: &'a [Cause],
    hypotheses: &'a [Hypothesis],
    slight: f64,
}

impl Spread<'_> {
    /// A row for every state. `row` gives a cause's own, none where the usual one holds.
    fn over_states(&self, slight: f64, usual: &[f64], row: impl Fn(&Cause) -> Option<Vec<f64>>) -> Vec<Vec<f64>> {
        let of = |cause: usize| -> Vec<f64> {
            let Some(cause) = self.causes.get(cause) else { return usual.to_vec() };
            // What is not on the list leaves the parts that are looked at sound: it has the usual row, so a clean strip-down speaks for it.
            row(cause).unwrap_or_else(|| usual.to_vec())
        };
        let mut table = Vec::with_capacity(self.hypotheses.len() * BANDS);
        for hypothesis in self.hypotheses {
            let first = of(hypothesis.first);
            let second = hypothesis.second.map(of);
            for shown in [slight, 1.0] {
                let faded = |row: &[f64]| -> Vec<f64> { row.iter().zip(usual).map(|(p, usual)| usual + shown * (p - usual)).collect() };
                let first = faded(&first);
                table.push(match &second {
                    None => first,
                    Some(second) => pooled(&first, &faded(second), usual),
                });
            }
        }
        table
    }

    fn check(&self, raw: RawCheck) -> Check {
        let outcomes: Vec<Outcome> = raw
            .outcomes
            .iter()
            .map(|text| {
                let (id, label) = text.split_once('=').unwrap_or((text, text));
                Outcome { id: id.to_owned(), label: label.to_owned() }
            })
            .collect();
        let table =
            self.over_states(self.slight, &raw.usual.p, |cause| raw.rows.iter().find(|row| row.cause == cause.id).map(|row| row.p.clone()));
        let stops = outcomes.iter().map(|outcome| safety::stops(&raw.id, &outcome.id)).collect();
        Check {
            id: raw.id,
            ask: raw.ask,
            how: raw.how,
            minutes: raw.minutes,
            material: raw.material,
            along: raw.along,
            reached: raw.access,
            order: raw.order.unwrap_or(f64::from(raw.along)),
            after: raw.after.iter().filter_map(|text| after(text)).collect(),
            here: raw.here,
            several: raw.several,
            material_per_l: raw.material_per_l,
            minutes_per_l: raw.minutes_per_l,
            needs: raw.needs,
            engine: raw.engine,
            look: raw.look,
            gauge: raw.gauge,
            hot: raw.hot,
            sump: raw.sump,
            outcomes,
            usual: raw.usual,
            rows: raw.rows,
            table,
            stops,
        }
    }
}

/// Circumstances that speak as another does, with its figures.
fn alike(told: Vec<Circumstance>) -> Vec<Circumstance> {
    let of = |id: &String| told.iter().find(|other| other.id == *id);
    let filled = |circumstance: &Circumstance| match circumstance.like.as_ref().and_then(of) {
        Some(like) => {
            Circumstance { id: circumstance.id.clone(), label: circumstance.label.clone(), like: circumstance.like.clone(), ..like.clone() }
        }
        None => circumstance.clone(),
    };
    told.iter().map(filled).collect()
}

/// “check=one|two” in two parts.
fn after(text: &str) -> Option<(String, Vec<String>)> {
    let (check, outcomes) = text.split_once('=')?;
    Some((check.to_owned(), outcomes.split('|').map(str::to_owned).collect()))
}

fn pooled(first: &[f64], second: &[f64], usual: &[f64]) -> Vec<f64> {
    let raw: Vec<f64> = first.iter().zip(second).zip(usual).map(|((a, b), usual)| a * b / usual).collect();
    let sum: f64 = raw.iter().sum();
    raw.into_iter().map(|p| p / sum).collect()
}
