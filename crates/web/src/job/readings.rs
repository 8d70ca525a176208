//! The screens on which readings are taken, before a repair (`run`) and after it (`prove`): they load and compute the same.
use super::context::JobContext;
use super::live::Rigs;
use super::screen::{Screen, ScreenData};
use super::{Assessed, prove, run};
use crate::http::Failure;
use crate::http::form::Sent as Query;
use crate::state::ShopContext;
use velvet_dial_core::diagnosis::curves;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::{File, Job};

/// The screen of the readings.
pub struct Readings<const AFTER: bool>;

impl<const AFTER: bool> Screen for Readings<AFTER> {
    const STAGE: Stage = if AFTER { Stage::Prove } else { Stage::Run };
    type Loaded = (Vec<File>, Rigs);
    type Computed = ();

    async fn load(context: &JobContext, _: &Job) -> Result<(Vec<File>, Rigs), Failure> {
        context.recordings().await
    }

    /// The curves of the map take every sample at every speed; they are kept with the diagnosis.
    fn compute(assessed: &Assessed, _: &ShopContext, _: &Query, _: Units) {
        curves(&assessed.case, &assessed.now, &assessed.tracer);
    }

    fn draw(data: &ScreenData, recordings: &(Vec<File>, Rigs), (): &()) -> askama::Result<String> {
        if AFTER { prove::draw(data, recordings) } else { run::draw(data, recordings) }
    }

    fn is_live((_, rigs): &(Vec<File>, Rigs), number: i64) -> bool {
        rigs.assigned(number).is_some()
    }
}
