//! The crank's journals along the oil, what each leaks by its clearance, and whether that explains what the gauge read.
//!
//! Relation: at one pressure and oil a bearing leaks as the cube of its clearance (Cameron, *Basic Lubrication Theory*, ch. 7). Mains and rods of one crank are taken to leak alike when
//! new: their diameters and lengths differ by less than what a strip can be read to. So the crank's branch of the circuit leaks Σ(c/c_new)³/n times what it does new, and the circuit is
//! solved with that. A journal that was not measured counts as the middle of those that were; the range goes from as new to as the widest. The engines are the card's healthy ones, whose spread
//! is what nobody knows of this one: where it is wider than the loss, that is said. Oil is taken to reach the front first and the last main last, as with a pump at the front; a card that
//! feeds from elsewhere only changes the order of the drawing. Checked by properties in `tests/opened.rs`.
use crate::case::{Case, Phase, Reading};
use crate::circuit::{Card, Circuit, Place, Working, widen};
use crate::diagnosis::Diagnosis;
use crate::limits::Point;
use crate::strip_down::{JournalSaid, Places, StripDown, places};
use crate::trace::{HOT_FROM_C, Left, Tracer};

/// A journal with what is known of it.
#[derive(Debug, Clone, PartialEq)]
pub struct JournalTold {
    /// Where.
    pub place: Places,
    /// What was found; none where nobody looked.
    pub said: Option<JournalSaid>,
    /// How many times as much it leaks as a new one; none where it was not measured or a new one's clearance is not known.
    pub leak_ratio: Option<f64>,
    /// Its share of what all measured journals leak too much; none where nothing leaks too much.
    pub extra_share: Option<f64>,
    /// It has to be renewed.
    pub bad: bool,
}

/// The crank.
#[derive(Debug, Clone, PartialEq)]
pub struct Crank {
    /// Journals along the oil.
    pub journals: Vec<JournalTold>,
    /// How many were measured.
    pub measured: usize,
    /// How many times as much the whole leaks as new, with what was not measured as new, as the middle, and as the widest of those that were; none where no leak is known.
    pub ratio: Option<[f64; 3]>,
    /// The same with the bad ones new.
    pub renewed: Option<[f64; 3]>,
}

fn middle(mut values: Vec<f64>) -> Option<f64> {
    values.sort_by(f64::total_cmp);
    values.get(values.len() / 2).copied()
}

/// Lays the journals along the oil.
pub fn crank(card: &Card, seen: &StripDown) -> Crank {
    let new = seen.crank.new_mm;
    let ratio = |said: &JournalSaid| Some((said.leaks_as_mm()? / new?).powi(3));
    let told = |place: Places| {
        let said = seen.journals.iter().find(|said| said.is(place.kind, place.number)).copied();
        JournalTold {
            place,
            leak_ratio: said.as_ref().and_then(ratio),
            extra_share: None,
            bad: said.is_some_and(|said| said.is_bad(seen.crank)),
            said,
        }
    };
    let mut journals: Vec<JournalTold> = places(card.cylinders, seen.crank).into_iter().map(told).collect();
    let known: Vec<f64> = journals.iter().filter_map(|journal| journal.leak_ratio).collect();
    let extra = |ratio: f64| (ratio - 1.0).max(0.0);
    let all_extra: f64 = known.iter().copied().map(extra).sum();
    if all_extra > 0.0 {
        journals.iter_mut().for_each(|journal| journal.extra_share = journal.leak_ratio.map(|ratio| extra(ratio) / all_extra));
    }
    let count = journals.len() as f64;
    let mean = |of: &dyn Fn(&JournalTold) -> f64| journals.iter().map(of).sum::<f64>() / count;
    let assumed = middle(known.clone()).map(|middle| [middle.min(1.0), middle, known.iter().copied().fold(1.0, f64::max)]);
    let ratio = assumed.map(|each| each.map(|unread| mean(&|journal| journal.leak_ratio.unwrap_or(unread))));
    let renewed =
        assumed.map(|each| each.map(|unread| mean(&|journal| if journal.bad { 1.0 } else { journal.leak_ratio.unwrap_or(unread) })));
    Crank { measured: known.len(), journals, ratio, renewed }
}

/// How what the clearances leak goes with what was read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fits {
    /// A healthy engine of this card may read so too: the clearances are not needed to explain it.
    NothingMissing,
    /// They explain it.
    Explained,
    /// They explain a part: something else leaks, or the pump gives less.
    InPart,
    /// They would cost more than is missing: measure again, or doubt the gauge.
    TooMuch,
}

/// A reading held against the clearances. Pressures in kPa, each as what nine engines of ten are above, the middle, and what one of ten is above. What was read counts with two of its standard uncertainties.
#[derive(Debug, Clone, PartialEq)]
pub struct Explained {
    /// The reading, by its place in the case.
    pub reading: usize,
    /// What was read.
    pub read_kpa: f64,
    /// A healthy engine of this card there.
    pub healthy_kpa: [f64; 3],
    /// The same with the clearances as they are.
    pub with_kpa: [f64; 3],
    /// This one with the bad journals renewed, from what was read.
    pub renewed_kpa: [f64; 3],
    /// The limit there, where the sheet has one.
    pub point: Option<Point>,
    /// How it goes together.
    pub fits: Fits,
    /// Share of the loss that the clearances explain, 0 to 1; none where nothing is missing.
    pub share: Option<f64>,
}

/// Holds the clearances against the hottest idle that was read before and is believed; none without such a reading or without a measured leak.
pub fn explained(case: &Case, now: &Diagnosis, tracer: &Tracer, crank: &Crank) -> Option<Explained> {
    let (ratio, renewed) = crank.ratio.zip(crank.renewed)?;
    let believed = |index: usize| now.not_believed.iter().all(|told| told.reading != index);
    let usable = case.readings.iter().enumerate().filter(|(index, reading)| {
        reading.phase == Phase::Before
            && reading.set_aside.is_none()
            && reading.is_level()
            && reading.oil_temp_c >= HOT_FROM_C
            && believed(*index)
    });
    // The hottest of those at idle; where none was taken at idle, the slowest.
    let idles = |reading: &Reading| case.engine.idles_at(reading.rpm);
    let (index, reading) = usable.min_by(|(_, a), (_, b)| {
        let hotter = b.oil_temp_c.total_cmp(&a.oil_temp_c);
        idles(b).cmp(&idles(a)).then(if idles(a) { hotter } else { a.rpm.total_cmp(&b.rpm).then(hotter) })
    })?;
    let at = Working { rpm: reading.rpm, oil_temp_c: reading.oil_temp_c };
    let leaking = |ratio: f64| tracer.healthy().changed(move |circuit: &mut Circuit| widen(circuit, Place::Crank, ratio, 1.0));
    let band = |engines: &Left<'_>| engines.bands(&[at.rpm], at.oil_temp_c).first().copied().unwrap_or_default();
    // What was not measured stays as it is assumed, before and after: the widest range of the three.
    let [as_new, as_middle, as_widest] = ratio.map(leaking);
    let [new_then, middle_then, widest_then] = renewed.map(leaking);
    let healthy_kpa = band(&tracer.healthy());
    let with_kpa = [band(&as_widest)[0], band(&as_middle)[1], band(&as_new)[2]];
    let [few, some, many] = [as_new.moved(&new_then, at), as_middle.moved(&middle_then, at), as_widest.moved(&widest_then, at)];
    let gain = [few[0].min(some[0]).min(many[0]), some[1], few[2].max(some[2]).max(many[2])];
    let read_kpa = reading.kpa;
    let missing = healthy_kpa[1] - read_kpa;
    let doubt = 2.0 * now.readings.iter().find(|judged| judged.reading == index).map_or(0.0, |judged| judged.u_kpa());
    let fits = match () {
        () if read_kpa + doubt >= healthy_kpa[0] => Fits::NothingMissing,
        () if read_kpa + doubt < with_kpa[0] => Fits::InPart,
        () if read_kpa - doubt > with_kpa[2] => Fits::TooMuch,
        () => Fits::Explained,
    };
    Some(Explained {
        reading: index,
        read_kpa,
        renewed_kpa: gain.map(|factor| factor * read_kpa),
        point: case.spec.as_ref().and_then(|sheet| sheet.points.iter().find(|point| case.engine.idles_at(point.rpm)).copied()),
        share: (fits != Fits::NothingMissing).then(|| ((healthy_kpa[1] - with_kpa[1]) / missing.max(f64::MIN_POSITIVE)).clamp(0.0, 1.0)),
        healthy_kpa,
        with_kpa,
        fits,
    })
}
