//! What every act of a stage stands on: the asker, the job's number, and the way back to the screen.
use super::assess::{assess, tell_the_board};
use super::frame::{Clash, PageFrame, ScreenRequest, frame};
use super::guard;
use super::live::Rigs;
use super::next_step::NextCard;
use super::screen::{self, Screen, ScreenData};
use crate::http::{Failure, form, needed_by, signed_in};
use crate::state::{App, ShopContext};
use crate::ui::words::describe;
use crate::ui::{Chrome, DisplayPreferences, show};
use actix_web::dev::Payload;
use actix_web::http::{StatusCode, header};
use actix_web::{FromRequest, HttpRequest, HttpResponse, web};
use askama::Template;
use chrono::{SubsecRound, TimeDelta, Utc};
use std::future::Future;
use std::pin::Pin;
use std::sync::Arc;
use uuid::Uuid;
use velvet_dial_core::stage::Stage;
use velvet_dial_store::jobs::{self, Body, Entry, File, Happened, Job, Write, Written};
use velvet_dial_store::{StoreError, Viewer, practice, rigs};

/// The asker at a job.
pub struct JobContext {
    pub app: web::Data<App>,
    pub viewer: Viewer,
    pub preferences: DisplayPreferences,
    pub number: i64,
    /// It is a scene of the practice bench.
    pub at_bench: bool,
}

impl FromRequest for JobContext {
    type Error = Failure;
    type Future = Pin<Box<dyn Future<Output = Result<Self, Failure>>>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let (who, right) = (signed_in(request), needed_by(request));
        let preferences = DisplayPreferences::from_request(request, payload).into_inner();
        let app = request.app_data::<web::Data<App>>().cloned();
        let number = request.match_info().get("number").and_then(|number| number.parse().ok());
        Box::pin(async move {
            let viewer = who.await?;
            let (Some(app), Some(number), Ok(preferences)) = (app, number, preferences) else {
                return Err(Failure::NoPage);
            };
            // A scene of the practice bench is at home in the bench's own shop.
            let home = viewer.shop;
            let viewer = practice::viewer_of_job(&app.db, &viewer, number).await?;
            let at_bench = viewer.shop != home;
            if !viewer.role.may_do(right) {
                return Err(StoreError::NotAllowed(right).into());
            }
            Ok(Self { app, viewer, preferences, number, at_bench })
        })
    }
}

/// The act by which what was just written is taken back.
pub(super) const UNDO: &str = "undo";
/// What waited for less was sent at once.
const LEAST_WAIT_S: f64 = 5.0;

/// What every form of a screen sends along.
#[derive(Debug, Clone, Copy)]
pub struct Sent<'a> {
    /// Key of the form.
    pub key: &'a str,
    /// Last entry the page knew of.
    pub seen: &'a str,
    /// Key of the entry it takes the place of; empty for none.
    pub supersedes: &'a str,
    /// Seconds it waited in the browser for a connection; empty where it did not wait.
    pub waited: &'a str,
}

impl<'a> Sent<'a> {
    /// From what a browser sent.
    pub fn of(form: &'a form::Sent) -> Self {
        let text = |name: &str| form.get(name).map_or("", String::as_str);
        Self { key: text("key"), seen: text("seen"), supersedes: text("supersedes"), waited: text("waited") }
    }

    /// The last entry the page knew of.
    pub fn seen(&self) -> Option<i32> {
        self.seen.parse().ok()
    }

    /// When what it says happened, where it waited: so long ago, and never before the session began. A browser's clock may be wrong; how long something waited is not.
    pub fn happened(&self, viewer: &Viewer) -> Happened {
        let waited = self.waited.parse().ok().filter(|seconds: &f64| *seconds >= LEAST_WAIT_S);
        let at = waited.map(|seconds| {
            let now = Utc::now().naive_utc();
            let waited = TimeDelta::try_milliseconds((1000.0 * seconds) as i64).unwrap_or(TimeDelta::MAX);
            now.checked_sub_signed(waited).unwrap_or(viewer.since).max(viewer.since).min(now)
        });
        Happened { happened_at: at.map(|at| at.trunc_subsecs(6)), time_reason: String::new() }
    }

    /// The entry it takes the place of. A key that is none is refused: written as new it would stand beside what it was to replace.
    pub fn supersedes(&self) -> Result<Option<Uuid>, Failure> {
        if self.supersedes.is_empty() {
            return Ok(None);
        }
        Uuid::parse_str(self.supersedes).map(Some).map_err(|_| Failure::Form("the entry it refers to does not exist".to_owned()))
    }
}

#[derive(Template)]
#[template(path = "job/frame/page.html")]
struct Page {
    chrome: Chrome,
    frame: PageFrame,
    /// The screen itself, drawn.
    work: String,
    /// What stands beside it in the place of suspects and next check; empty for those.
    next: String,
    /// A live gauge stands on it.
    live: bool,
    /// A rig records for the job, or did until its link broke: its value stands in the frame.
    linked: bool,
}

#[derive(Template)]
#[template(path = "job/frame/fragment.html")]
struct Fragment {
    frame: PageFrame,
    /// The screen itself, drawn.
    work: String,
    /// What stands beside it, likewise.
    next: String,
}

/// A screen that is drawn.
struct Drawn {
    work: String,
    /// What is beside it in the place of suspects and next check; empty for those.
    panel: String,
    /// The live gauge is on it.
    live: bool,
}

impl JobContext {
    /// The job.
    pub async fn job(&self) -> Result<Job, Failure> {
        Ok(self.with_shop_context(jobs::load(&self.app.db, &self.viewer, self.number)).await?.0)
    }

    /// A job with what the shop learnt of its family, and the shop.
    async fn with_shop_context(&self, job: impl Future<Output = Result<Job, StoreError>>) -> Result<(Job, Arc<ShopContext>), Failure> {
        let (mut job, shop_context) = tokio::try_join!(job, self.app.shop_context(&self.viewer))?;
        if job.record.is_none() {
            job.memory = shop_context.memory(job.head.engine);
        }
        Ok((job, shop_context))
    }

    /// Sends the browser elsewhere.
    pub fn to(&self, address: &str) -> HttpResponse {
        if self.preferences.fragment {
            return HttpResponse::Ok().insert_header(("hx-redirect", address)).finish();
        }
        HttpResponse::SeeOther().insert_header((header::LOCATION, address)).finish()
    }

    /// The screen of a stage: the screen alone for htmx, else the whole page.
    pub async fn answer(&self, stage: Stage, ask: ScreenRequest, status: StatusCode) -> Result<HttpResponse, Failure> {
        screen::show(self, None, stage, ask, status).await
    }

    /// Loads the job, what the screen shows beside it and what it has to compute, and draws all of it.
    pub async fn show<S: Screen>(&self, job: Option<Job>, mut ask: ScreenRequest, status: StatusCode) -> Result<HttpResponse, Failure> {
        let job = async {
            match job {
                Some(job) => Ok(job),
                None => jobs::load(&self.app.db, &self.viewer, self.number).await,
            }
        };
        let (job, shop_context) = self.with_shop_context(job).await?;
        let job = Arc::new(job);
        let waiting = async { Ok(jobs::requests_of_job(&self.app.db, &self.viewer, job.head.id).await?) };
        let (assessed, loaded, waiting) = tokio::try_join!(assess(self.app.clone(), job.clone(), ask.seen), S::load(self, &job), waiting)?;
        ask.waiting = waiting;
        let assessed = Arc::new(assessed);
        let (query, unit) = (Arc::new(ask.query.clone()), self.preferences.unit);
        let (of_job, shop, asked) = (assessed.clone(), shop_context.clone(), query.clone());
        let compute = move || S::compute(&of_job, &shop, &asked, unit);
        let computed = async { if S::LONG { Ok(self.app.work.out(compute).await?) } else { Ok::<_, Failure>(compute()) } };
        let (computed, ()) =
            tokio::try_join!(computed, tell_the_board(&self.app, &self.viewer, &assessed.job, (&assessed.case, &assessed.now)))?;
        let frame = frame(&assessed, S::STAGE, self.preferences, &self.viewer, ask);
        let data = ScreenData { assessed: &assessed, frame: &frame, query: &query, shop_context: &shop_context };
        let drawn = Drawn { work: S::draw(&data, &loaded, &computed)?, panel: S::panel(&data)?, live: S::is_live(&loaded, self.number) };
        self.page(frame, drawn, status)
    }

    /// A screen that is drawn, in its frame.
    fn page(&self, frame: PageFrame, drawn: Drawn, status: StatusCode) -> Result<HttpResponse, Failure> {
        let Drawn { work, panel: next, live } = drawn;
        let html = if self.preferences.fragment {
            Fragment { frame, work, next }.render()?
        } else {
            let title = format!("{} · {}", frame.tag, frame.stage.title());
            let linked = self.app.hub.of_job(self.viewer.shop, self.number).is_some();
            let chrome = Chrome::of(&self.viewer, self.preferences, title).helped_by(frame.stage.id());
            Page { chrome, frame, work, next, live, linked }.render()?
        };
        Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(html))
    }

    /// The job's recorded runs and the shop's data loggers, for the screens that read.
    pub async fn recordings(&self) -> Result<(Vec<File>, Rigs), Failure> {
        let (db, viewer, number) = (&self.app.db, &self.viewer, self.number);
        let (files, all, runs) =
            tokio::try_join!(jobs::captures(db, viewer, number), rigs::rigs(db, viewer), rigs::runs(db, viewer, number))?;
        Ok((files, Rigs { all, linked: self.app.hub.of_job(viewer.shop, number), runs }))
    }

    /// The shop, and what it learnt.
    pub async fn shop_context(&self) -> Result<Arc<ShopContext>, Failure> {
        Ok(self.app.shop_context(&self.viewer).await?)
    }

    /// Writes an entry and shows the stage again: changed, or with what somebody else wrote there meanwhile.
    pub async fn write(
        &self,
        stage: Stage,
        sent: Sent<'_>,
        body: Body,
        action: &str,
        fields: Vec<(String, String)>,
    ) -> Result<HttpResponse, Failure> {
        let happened = sent.happened(&self.viewer);
        self.write_with(stage, sent, (body, happened), action, fields).await
    }

    /// The same, with when it happened.
    pub async fn write_with(
        &self,
        stage: Stage,
        sent: Sent<'_>,
        (body, happened): (Body, Happened),
        action: &str,
        fields: Vec<(String, String)>,
    ) -> Result<HttpResponse, Failure> {
        self.write_for(stage, sent, (body, happened, None), action, fields).await
    }

    /// The same, as somebody asked a foreman for it.
    pub async fn write_for(
        &self,
        stage: Stage,
        sent: Sent<'_>,
        (body, happened, asked_by): (Body, Happened, Option<&str>),
        action: &str,
        fields: Vec<(String, String)>,
    ) -> Result<HttpResponse, Failure> {
        // An undo brings back what was there before.
        if action != UNDO
            && let Some(waits) = guard::waits(self, &body).await?
        {
            return guard::ask(self, sent, waits).await;
        }
        let supersedes = sent.supersedes()?;
        let corrects_time = !happened.time_reason.is_empty();
        let write = Write { happened, asked_by, ..Write::of(body.clone(), sent.key).in_place_of(supersedes) };
        let seen = sent.seen.parse().ok();
        let (written, job) = match jobs::write_and_load(&self.app.db, &self.viewer, self.number, &write).await {
            Err(StoreError::NotAllowed(right)) => {
                jobs::ask_foreman(&self.app.db, &self.viewer, self.number, right, &write).await?;
                return self.back_to(stage, seen).await;
            }
            written => written?,
        };
        // The same form once more, after its entry was withdrawn: whoever sends it is asked, and nothing is written by itself.
        if let Written::StoodAlready(id) = &written {
            let job = self.job().await?;
            if let Some(by) = job.heir(*id).filter(|heir| matches!(heir.body, Body::Withdrawn { .. })) {
                let clash = self.clash(by, &body, action, fields);
                return self
                    .answer(stage, ScreenRequest { seen, clash: Some(clash), ..ScreenRequest::default() }, StatusCode::CONFLICT)
                    .await;
            }
        }
        match written {
            Written::Stands(_) | Written::StoodAlready(_) => {
                // The shop learns of a job from its closing until it is opened again or comes back.
                if matches!(body, Body::Reopened { .. } | Body::Comeback { .. } | Body::Withdrawn { .. }) {
                    self.app.forget_shop_context(&self.viewer);
                }
                if self.preferences.fragment {
                    return screen::show(self, job, stage, ScreenRequest { seen, ..ScreenRequest::default() }, StatusCode::OK).await;
                }
                self.back_to(stage, seen).await
            }
            // The other wrote the very same: there is nothing to choose.
            Written::Overtaken { by } if by.body == body && !corrects_time => {
                self.answer(stage, ScreenRequest { seen, ..ScreenRequest::default() }, StatusCode::OK).await
            }
            Written::Overtaken { by } => {
                let clash = self.clash(&by, &body, action, fields);
                self.answer(stage, ScreenRequest { seen, clash: Some(clash), ..ScreenRequest::default() }, StatusCode::CONFLICT).await
            }
        }
    }

    /// The screen of a stage as it stands now.
    pub async fn back_to(&self, stage: Stage, seen: Option<i32>) -> Result<HttpResponse, Failure> {
        if self.preferences.fragment {
            return self.answer(stage, ScreenRequest { seen, ..ScreenRequest::default() }, StatusCode::OK).await;
        }
        Ok(self.to(&format!("/jobs/{}/{}", self.number, stage.id())))
    }

    fn clash(&self, by: &Entry, body: &Body, action: &str, mut fields: Vec<(String, String)>) -> Clash {
        let withdrawn = matches!(by.body, Body::Withdrawn { .. });
        fields.push(("supersedes".to_owned(), by.id.to_string()));
        let who = if by.author == self.viewer.user { "You".to_owned() } else { by.author_name.clone() };
        Clash {
            who,
            when: show::moment(by.written_at, &self.viewer.zone),
            stands: describe(&by.body, self.preferences.unit),
            sent: if withdrawn {
                format!("{} (as a new entry)", describe(body, self.preferences.unit))
            } else {
                describe(body, self.preferences.unit)
            },
            action: format!("/jobs/{}/{action}", self.number),
            fields,
        }
    }
}
