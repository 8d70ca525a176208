//! A screen of a job: what it loads beside the job, what it computes, what it draws. One folder and one line of [`show`] a stage.
use super::assess::Assessed;
use super::context::JobContext;
use super::frame::{PageFrame, ScreenRequest};
use super::readings::Readings;
use super::{compare, intake, look, open_up, put_right, rig, trace};
use crate::http::Failure;
use crate::http::form::Sent as Query;
use crate::state::ShopContext;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use std::future::Future;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::Job;

/// What every screen is drawn from.
pub struct ScreenData<'a> {
    pub assessed: &'a Assessed,
    pub frame: &'a PageFrame,
    /// What the address asks beside the screen.
    pub query: &'a Query,
    /// The shop, and what it learnt.
    pub shop_context: &'a ShopContext,
}

impl ScreenData<'_> {
    /// The shop's money, for those who may see prices.
    pub fn money(&self) -> Option<&str> {
        self.frame.sees_money.then(|| self.shop_context.money())
    }
}

/// The screen of a stage.
pub trait Screen {
    /// The stage.
    const STAGE: Stage;
    /// Computing it takes so long that the threads which serve must not wait for it.
    const LONG: bool = true;
    /// What it shows beside the job.
    type Loaded;
    /// What it works out from the job.
    type Computed: Send + 'static;

    /// Reads from the database what it shows beside the job.
    fn load(context: &JobContext, job: &Job) -> impl Future<Output = Result<Self::Loaded, Failure>>;

    /// Works out what takes long; `query` is what the address asks for.
    fn compute(assessed: &Assessed, shop_context: &ShopContext, query: &Query, unit: Units) -> Self::Computed;

    /// Draws it.
    fn draw(data: &ScreenData, loaded: &Self::Loaded, computed: &Self::Computed) -> askama::Result<String>;

    /// What is beside it in the place of suspects and next check; empty for those.
    fn panel(_: &ScreenData) -> askama::Result<String> {
        Ok(String::new())
    }

    /// The live gauge is on it.
    fn is_live(_: &Self::Loaded, _number: i64) -> bool {
        false
    }
}

/// Shows the screen of a stage; `job` where it was loaded already.
pub async fn show(
    context: &JobContext,
    job: Option<Job>,
    stage: Stage,
    ask: ScreenRequest,
    status: StatusCode,
) -> Result<HttpResponse, Failure> {
    // Boxed, so that what waits for a screen is not as large as all nine.
    match stage {
        Stage::Intake => Box::pin(context.show::<intake::Intake>(job, ask, status)).await,
        Stage::Look => Box::pin(context.show::<look::Look>(job, ask, status)).await,
        Stage::Rig => Box::pin(context.show::<rig::Rig>(job, ask, status)).await,
        Stage::Run => Box::pin(context.show::<Readings<false>>(job, ask, status)).await,
        Stage::Compare => Box::pin(context.show::<compare::Compare>(job, ask, status)).await,
        Stage::Trace => Box::pin(context.show::<trace::Trace>(job, ask, status)).await,
        Stage::OpenUp => Box::pin(context.show::<open_up::OpenUp>(job, ask, status)).await,
        Stage::PutRight => Box::pin(context.show::<put_right::PutRight>(job, ask, status)).await,
        Stage::Prove => Box::pin(context.show::<Readings<true>>(job, ask, status)).await,
    }
}
