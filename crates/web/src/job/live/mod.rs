//! The live gauge at a job: which rig is assigned, what it shows this moment, the hold that is taken from it, marked moments, and a stand-in's throttle.
mod link;
mod mark;
pub mod stopped;
mod stream;
mod take;
mod throttle_control;

use crate::job::ScreenData;
use crate::ui::show;
use actix_web::web::{ServiceConfig, get, post};
use std::sync::Arc;
use velvet_dial_core::script::Point;
use velvet_dial_rig::hub::Linked;
use velvet_dial_rig::said::Can;
use velvet_dial_store::rigs::{Recorded, Rig};

/// What a screen knows of rigs.
#[derive(Default)]
pub struct Rigs {
    /// The paired rigs of the shop.
    pub all: Vec<Rig>,
    /// The one that records for this job, linked or broken off.
    pub linked: Option<Arc<Linked>>,
    /// Runs that were recorded for this job.
    pub runs: Vec<Recorded>,
}

impl Rigs {
    /// The rig that is assigned to a job.
    pub fn assigned(&self, number: i64) -> Option<&Rig> {
        self.all.iter().find(|rig| rig.job == Some(number))
    }
}

/// The live gauge on the screen of the run.
pub struct Panel {
    pub rig: String,
    /// Where its stream is; the point is part of it.
    pub stream: String,
    /// The run that a hold is taken from; empty until the rig is linked.
    pub run: String,
    pub phase: &'static str,
    /// A hold answers the point that is done now.
    pub held: bool,
    pub point: String,
    pub unit: &'static str,
    /// A stand-in: starter and throttle are here.
    pub drives: bool,
    /// Asked for where the rig does not measure it.
    pub asks_rpm: bool,
    pub asks_oil: bool,
}

/// The panel, where a rig is assigned to the job.
pub fn panel(data: &ScreenData, rigs: &Rigs, now: Option<&Point>, after: bool) -> Option<Panel> {
    let number = data.frame.number;
    let rig = rigs.assigned(number).filter(|_| !data.frame.closed)?;
    let linked = rigs.linked.as_ref();
    let phase = if after { "after" } else { "before" };
    let point = now.map(|point| point.id.clone()).unwrap_or_default();
    let measures = |place: usize| {
        linked.is_none_or(|linked| linked.channels.iter().any(|channel| velvet_dial_rig::chunk::place(channel.kind) == place))
    };
    Some(Panel {
        rig: rig.name.clone(),
        stream: format!("/jobs/{number}/live?phase={phase}&point={}", show::query_escape(&point)),
        run: linked.map(|linked| linked.run.to_string()).unwrap_or_default(),
        phase,
        held: now.is_some_and(Point::is_held),
        point,
        unit: data.frame.unit.label(),
        drives: linked.is_some_and(|linked| linked.can.contains(&Can::Drive)),
        asks_rpm: !measures(1),
        asks_oil: !measures(2),
    })
}

/// Addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/jobs/{number}/live", get().to(stream::stream))
        .route("/jobs/{number}/live/take", post().to(take::take))
        .route("/jobs/{number}/live/hand", post().to(throttle_control::hand))
        .route("/jobs/{number}/live/stopped", post().to(stopped::stopped))
        .route("/jobs/{number}/live/mark", post().to(mark::mark))
        .route("/jobs/{number}/runs/{id}/marks/{mark}", post().to(mark::set))
        .route("/jobs/{number}/live/rig", post().to(link::link));
}
