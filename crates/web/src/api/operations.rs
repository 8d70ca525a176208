//! Every operation for other programs: by this table they are routed, let through by scope, and described.
use super::shapes::{
    CaptureView, EngineView, EntriesPage, FindingView, GaugeView, JobView, JobsPage, Made, NewCircumstance, NewFinding, NewGauge, NewJob,
    NewNote, NewReading, ProgramView, ReadingView, SceneView, Wrote,
};
use super::{captures, entries, events, jobs, library, openapi, practice};
use actix_web::Route;
use actix_web::http::Method;
use actix_web::web::{get, post};
use schemars::{Schema, SchemaGenerator};
use velvet_dial_core::case::Case;
use velvet_dial_core::library_import::LibraryEngine;
use velvet_dial_core::limits::Sheet;
use velvet_dial_core::rights::Scope;

/// The schema of a type.
pub type SchemaOf = fn(&mut SchemaGenerator) -> Schema;

/// How something is routed.
pub type RouteOf = fn() -> Route;

/// What an operation is sent, or answers with.
#[derive(Clone, Copy)]
pub enum Content {
    /// Nothing.
    None,
    /// JSON of a type.
    Json(SchemaOf),
    /// JSON that another document describes.
    JsonAs(&'static str),
    /// A file of a media type.
    File(&'static str),
}

/// A value in the address.
pub struct Parameter {
    pub name: &'static str,
    /// Its JSON type.
    pub kind: &'static str,
    pub says: &'static str,
}

/// One operation.
pub struct Operation {
    pub post: bool,
    pub path: &'static str,
    /// Its name for generated clients.
    pub id: &'static str,
    /// What a token needs for it; none where every token will do.
    pub scope: Option<Scope>,
    pub says: &'static str,
    pub query: &'static [Parameter],
    pub takes: Content,
    /// The status of an answer to what was done.
    pub status: u16,
    pub gives: Content,
    pub route: RouteOf,
}

const fn of<T: schemars::JsonSchema>() -> Content {
    Content::Json(|generator| generator.subschema_for::<T>())
}

const fn look(path: &'static str, id: &'static str, scope: Option<Scope>, says: &'static str, gives: Content, route: RouteOf) -> Operation {
    Operation { post: false, path, id, scope, says, query: &[], takes: Content::None, status: 200, gives, route }
}

const fn add(
    path: &'static str,
    id: &'static str,
    scope: Scope,
    says: &'static str,
    (takes, gives): (Content, Content),
    route: RouteOf,
) -> Operation {
    Operation { post: true, path, id, scope: Some(scope), says, query: &[], takes, status: 201, gives, route }
}

const LIMIT: Parameter = Parameter { name: "limit", kind: "integer", says: "At most so many, 1 to 200; 50 where it is left out." };
const RECORD: &str = "The report as data. A closed job's is byte by byte what was signed; `velvet-dial verify` checks it.";
const DIAGNOSIS: &str =
    "What `velvet-dial diagnose` prints of the case: `sound`, `verdict`, `causes`, `pairs`, `settled`, `next`, `stop`, `not_believed`.";

/// All of them.
pub static OPERATIONS: [Operation; 26] = [
    look("/me", "me", None, "Who the program is in the shop, and what its token opens", of::<ProgramView>(), || get().to(jobs::me)),
    Operation {
        query: &[
            Parameter { name: "state", kind: "string", says: "`open`, `closed` or `all`; all where it is left out." },
            Parameter { name: "changed_since", kind: "string", says: "Only jobs in which something was written since (RFC 3339)." },
            Parameter { name: "after", kind: "integer", says: "Only jobs with a higher number: `next` of the page before." },
            LIMIT,
        ],
        ..look("/jobs", "jobs", Some(Scope::ReadJobs), "The jobs, by number", of::<JobsPage>(), || get().to(jobs::list))
    },
    add("/jobs", "open_job", Scope::WriteJobs, "Open a job", (of::<NewJob>(), of::<JobView>()), || post().to(jobs::open)),
    look("/jobs/{number}", "job", Some(Scope::ReadJobs), "One job", of::<JobView>(), || get().to(jobs::one)),
    Operation {
        query: &[Parameter { name: "after", kind: "integer", says: "Only entries after this place: `next` of the page before." }, LIMIT],
        ..look("/jobs/{number}/entries", "entries", Some(Scope::ReadJobs), "The history of a job", of::<EntriesPage>(), || {
            get().to(entries::list)
        })
    },
    look("/jobs/{number}/readings", "readings", Some(Scope::ReadJobs), "The readings that count", of::<Vec<ReadingView>>(), || {
        get().to(entries::readings)
    }),
    add("/jobs/{number}/readings", "add_reading", Scope::WriteJobs, "Add a reading", (of::<NewReading>(), of::<Wrote>()), || {
        post().to(entries::add_reading)
    }),
    look("/jobs/{number}/findings", "findings", Some(Scope::ReadJobs), "The findings that count", of::<Vec<FindingView>>(), || {
        get().to(entries::findings)
    }),
    add("/jobs/{number}/findings", "add_finding", Scope::WriteJobs, "Add a finding", (of::<NewFinding>(), of::<Wrote>()), || {
        post().to(entries::add_finding)
    }),
    add(
        "/jobs/{number}/circumstances",
        "add_circumstance",
        Scope::WriteJobs,
        "Say what was said or seen at intake",
        (of::<NewCircumstance>(), of::<Wrote>()),
        || post().to(entries::add_circumstance),
    ),
    add("/jobs/{number}/notes", "add_note", Scope::WriteJobs, "Add a note", (of::<NewNote>(), of::<Wrote>()), || {
        post().to(entries::add_note)
    }),
    look("/jobs/{number}/captures", "captures", Some(Scope::ReadJobs), "The recorded runs of a job", of::<Vec<CaptureView>>(), || {
        get().to(captures::list)
    }),
    Operation {
        query: &[Parameter { name: "name", kind: "string", says: "The name of the file; `run.csv` where it is left out." }],
        ..add(
            "/jobs/{number}/captures",
            "add_capture",
            Scope::WriteJobs,
            "Add a recorded run, as CSV; the same bytes are kept once",
            (Content::File("text/csv"), of::<Made>()),
            || post().to(captures::add),
        )
    },
    look(
        "/jobs/{number}/captures/{id}",
        "capture",
        Some(Scope::ReadJobs),
        "A recorded run, byte by byte as it came",
        Content::File("text/csv"),
        || get().to(captures::one),
    ),
    look(
        "/jobs/{number}/diagnosis",
        "diagnosis",
        Some(Scope::ReadJobs),
        "What is known of the job now",
        Content::JsonAs(DIAGNOSIS),
        || get().to(jobs::diagnosis),
    ),
    look("/jobs/{number}/case", "case_file", Some(Scope::ReadJobs), "The job in the open case format", of::<Case>(), || {
        get().to(jobs::case_file)
    }),
    look("/jobs/{number}/report", "report", Some(Scope::ReadReports), "The report as data", Content::JsonAs(RECORD), || {
        get().to(jobs::report)
    }),
    Operation {
        query: &[
            Parameter {
                name: "reader",
                kind: "string",
                says: "`customer`, or `full` with every figure and entry; full where it is left out.",
            },
            Parameter { name: "letter", kind: "boolean", says: "On Letter; else on A4." },
        ],
        ..look(
            "/jobs/{number}/report.pdf",
            "report_pdf",
            Some(Scope::ReadReports),
            "The report as a PDF",
            Content::File("application/pdf"),
            || get().to(jobs::paper),
        )
    },
    look(
        "/report-key",
        "report_key",
        Some(Scope::ReadReports),
        "The public keys that the shop's reports are checked with",
        Content::File("application/x-pem-file"),
        || get().to(jobs::report_key),
    ),
    look("/engines", "engines", Some(Scope::ReadLibrary), "The engines with their sheets", of::<Vec<EngineView>>(), || {
        get().to(library::engines)
    }),
    add("/engines", "add_engine", Scope::WriteLibrary, "Add an engine with its sheets", (of::<LibraryEngine>(), of::<Made>()), || {
        post().to(library::add_engine)
    }),
    look("/engines/{id}", "engine", Some(Scope::ReadLibrary), "One engine", of::<EngineView>(), || get().to(library::engine)),
    add("/engines/{id}/sheets", "add_sheet", Scope::WriteLibrary, "Add a sheet to an engine", (of::<Sheet>(), of::<EngineView>()), || {
        post().to(library::add_sheet)
    }),
    look("/gauges", "gauges", Some(Scope::ReadLibrary), "The gauges with their calibration", of::<Vec<GaugeView>>(), || {
        get().to(library::gauges)
    }),
    add("/gauges", "add_gauge", Scope::WriteLibrary, "Add a gauge", (of::<NewGauge>(), of::<Made>()), || post().to(library::add_gauge)),
    look("/practice", "practice", Some(Scope::ReadPractice), "How practice scenes went", of::<Vec<SceneView>>(), || {
        get().to(practice::scenes)
    }),
];

/// What is served beside them: the stream of the board, and the description itself.
pub fn streams() -> [(&'static str, RouteOf); 2] {
    [("/events", || get().to(events::board)), ("/openapi.json", || get().to(openapi::show))]
}

/// Where all of it is.
pub const BASE: &str = "/api/v1";

/// What a token needs for an address as it is routed: none where there is no such operation, and none within where every token will do.
pub fn scope_of(method: &Method, pattern: &str) -> Option<Option<Scope>> {
    let path = pattern.strip_prefix(BASE)?;
    if path == "/events" {
        return Some(Some(Scope::ReadJobs));
    }
    let post = *method == Method::POST;
    OPERATIONS.iter().find(|operation| operation.post == post && operation.path == path).map(|operation| operation.scope)
}
