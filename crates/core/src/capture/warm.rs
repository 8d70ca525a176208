//! The warm-up: idle pressure over oil temperature, what the oil's own thinning explains of its fall, and what is left over.
//!
//! What thinning explains is the circuit's own ratio between two temperatures at the same speed ([`crate::circuit`]), of a healthy engine of this card, or of an ordinary one
//! where no card is at hand; its relief valve holds the cold end, as it holds the measured one's. What is left over is measured ratio over explained ratio: one says that the oil alone
//! did it, much less that clearance takes a share. Healthy engines of one card differ by about 1.5 either way, so only what is beyond that is said.
use super::run::Run;
use super::smooth::{median, quantile};
use crate::circuit::{Card, Circuit, Unknowns, Working, nominal};
use crate::message;
use crate::message::{Message, number, temperature};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// One step of the warm-up.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Step {
    /// Middle of the step, °C.
    pub oil_temp_c: f64,
    /// Speed, turns a minute.
    pub rpm: f64,
    /// Pressure, kPa.
    pub kpa: f64,
    /// What thinning alone makes of the first step's pressure, kPa.
    pub thinning_kpa: f64,
}

/// The warm-up at idle.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct WarmUp {
    /// From cold to hot.
    pub curve: Vec<Step>,
    /// Last pressure over first, as measured.
    pub measured_ratio: f64,
    /// The same as thinning alone explains it.
    pub explained_ratio: f64,
    /// Measured over explained: about 1 is thinning alone; below 0.6 the hot engine loses more than its oil explains.
    pub left_over: f64,
    /// What it says, in a sentence.
    pub says: Message,
}

const STEP_K: f64 = 5.0;
const LEAST_STEPS: usize = 4;
/// Oil must have warmed by so much, K.
const LEAST_RISE_K: f64 = 25.0;
/// Idle is within this share of the usual slow speed.
const IDLE_SHARE: f64 = 0.15;
/// Engines differ: the ratio of one healthy engine is another's times or over about 1.5.
const LESS: f64 = 0.6;
const MORE: f64 = 1.6;

/// What a fall over temperature points to, beside what thinning explains of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LeftOver {
    /// Thinning explains it.
    Nothing,
    /// It falls more: clearance, or oil that thins more than its grade.
    Clearance,
    /// It falls less: something holds it.
    Held,
}

/// By the measured ratio over the explained one.
pub fn points_to(left_over: f64) -> LeftOver {
    match left_over {
        share if share < LESS => LeftOver::Clearance,
        share if share > MORE => LeftOver::Held,
        _ => LeftOver::Nothing,
    }
}

/// The warm-up of a run at idle; none when speed or temperature were not recorded, or the oil hardly warmed.
pub(super) fn warm_up(run: &Run, card: Option<&Card>) -> Option<WarmUp> {
    let mut running: Vec<f64> = run.rpm.iter().copied().filter(|rpm| *rpm > 400.0).collect();
    let slow = quantile(&mut running, 0.1)?;
    let idle = median(running.iter().copied().filter(|rpm| (rpm / slow - 1.0).abs() < 2.0 * IDLE_SHARE))?;
    let mut steps: Vec<(Vec<f64>, Vec<f64>)> = Vec::new();
    const FROM_C: f64 = -50.0;
    for ((rpm, kpa), temp) in run.rpm.iter().zip(&run.kpa).zip(&run.oil_temp_c) {
        if !temp.is_finite() || !rpm.is_finite() || (rpm / idle - 1.0).abs() > IDLE_SHARE {
            continue;
        }
        let step = ((temp - FROM_C) / STEP_K).max(0.0) as usize;
        if steps.len() <= step {
            steps.resize(step + 1, Default::default());
        }
        if let Some((kpas, rpms)) = steps.get_mut(step) {
            kpas.push(*kpa);
            rpms.push(*rpm);
        }
    }
    let curve: Vec<(f64, f64, f64)> = steps
        .iter_mut()
        .enumerate()
        .filter(|(_, (kpas, _))| kpas.len() >= 3)
        .filter_map(|(at, (kpas, rpms))| Some((FROM_C + (at as f64 + 0.5) * STEP_K, quantile(rpms, 0.5)?, quantile(kpas, 0.5)?)))
        .collect();
    let (coldest, hottest) = (curve.first()?.0, curve.last()?.0);
    if curve.len() < LEAST_STEPS || hottest - coldest < LEAST_RISE_K {
        return None;
    }
    let ordinary = Card::of(2.0, 4, idle.clamp(300.0, 2000.0), "5W-30");
    let circuit = circuit(card.unwrap_or(&ordinary))?;
    let explained = |rpm: f64, oil_temp_c: f64| circuit.port_kpa(Working { rpm, oil_temp_c }).max(0.1);
    // From the cold end on: where the relief valve holds a healthy engine's cold pressure, an engine that falls from less has lost something.
    let (first, last) = (curve.first()?, curve.last()?);
    let ratio = |temp: f64, rpm: f64| explained(rpm, temp) / explained(first.1, first.0);
    let (measured_ratio, explained_ratio) = (last.2 / first.2.max(0.1), ratio(last.0, last.1));
    let left_over = measured_ratio / explained_ratio;
    let percent = |share: f64| number(100.0 * share, 0);
    let (from, to, measured, explained) = (temperature(first.0), temperature(last.0), percent(measured_ratio), percent(explained_ratio));
    let says = match points_to(left_over) {
        LeftOver::Clearance => message!("warm-clearance", from = from, to = to, measured = measured, explained = explained),
        LeftOver::Held => message!("warm-held", from = from, to = to, measured = measured, explained = explained),
        LeftOver::Nothing => message!("warm-thinning", from = from, to = to, measured = measured, explained = explained),
    };
    let steps =
        curve.iter().map(|(temp, rpm, kpa)| Step { oil_temp_c: *temp, rpm: *rpm, kpa: *kpa, thinning_kpa: first.2 * ratio(*temp, *rpm) });
    Some(WarmUp { curve: steps.collect(), measured_ratio, explained_ratio, left_over, says })
}

/// The healthy engine of a card; none when its oil is not known.
fn circuit(card: &Card) -> Option<Circuit> {
    let oil = crate::oil::typical(&card.oil_grade).ok()?;
    Some(nominal::circuit(card, oil, &Unknowns::typical()))
}
