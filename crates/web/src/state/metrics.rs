//! What is counted of a server that serves, for Prometheus: requests, queries, the queue, memory, disk, backups.
use super::{App, cores};
use prometheus_client::encoding::EncodeLabelSet;
use prometheus_client::encoding::text::encode;
use prometheus_client::metrics::counter::Counter;
use prometheus_client::metrics::family::Family;
use prometheus_client::metrics::gauge::Gauge;
use prometheus_client::metrics::histogram::Histogram;
use prometheus_client::registry::{Registry, Unit};
use std::fmt;
use std::sync::atomic::AtomicU64;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, SystemTime, UNIX_EPOCH};
use velvet_dial_store::{disk, pool};

/// A query that takes longer is named in the log, and counted.
pub const SLOW: Duration = Duration::from_millis(500);
/// Upper bounds of times, s.
const REQUEST_BOUNDS: [f64; 10] = [0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 10.0];
const QUERY_BOUNDS: [f64; 8] = [0.0005, 0.001, 0.0025, 0.005, 0.01, 0.05, 0.25, 1.0];

/// Which requests.
#[derive(Debug, Clone, PartialEq, Eq, Hash, EncodeLabelSet)]
pub struct RequestLabels {
    /// Its address as it is routed, without the job's number.
    pub route: String,
    /// How it was asked.
    pub method: &'static str,
    /// The first figure of its answer's code: 2 done, 3 sent on, 4 refused, 5 failed.
    pub class: u16,
}

/// What for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, EncodeLabelSet)]
struct KindLabels {
    /// A page or part of one, something written, or a file that ships.
    kind: &'static str,
}

type Float = Gauge<f64, AtomicU64>;

/// All that is counted.
pub struct Metrics {
    registry: Mutex<Registry>,
    requests: Family<RequestLabels, Counter>,
    request_times: Family<KindLabels, Histogram>,
    queries: Histogram,
    slow_queries: Counter,
    failed_queries: Counter,
    now: Now,
}

/// What is looked at when somebody asks.
#[derive(Default)]
struct Now {
    memory: Gauge,
    files: Gauge,
    connections: Gauge,
    connections_idle: Gauge,
    waiting: Gauge,
    waiting_heavy: Gauge,
    rigs: Gauge,
    disk_free: Gauge,
    backup: Float,
    backup_late: Gauge,
    database: Gauge,
    up: Float,
}

impl fmt::Debug for Metrics {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Metrics")
    }
}

impl Default for Metrics {
    fn default() -> Self {
        let requests = Family::default();
        let timed: fn() -> Histogram = || Histogram::new(REQUEST_BOUNDS);
        let request_times = Family::new_with_constructor(timed);
        let (queries, slow_queries, failed_queries) = (Histogram::new(QUERY_BOUNDS), Counter::default(), Counter::default());
        let now = Now::default();
        now.up.set(SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default().as_secs_f64());
        let mut registry = Registry::with_prefix("velvet_dial");
        registry.register("requests", "Requests by address, method and first figure of the answer", requests.clone());
        registry.register_with_unit("request_time", "Time until an answer began", Unit::Seconds, request_times.clone());
        registry.register_with_unit("query_time", "Time of a database query", Unit::Seconds, queries.clone());
        registry.register("slow_queries", "Queries that took half a second or more; the log names each", slow_queries.clone());
        registry.register("failed_queries", "Queries that the database refused or broke off", failed_queries.clone());
        registry.register("database_up", "1 while the database answers", now.database.clone());
        registry.register("database_connections", "Connections to the database", now.connections.clone());
        registry.register("database_connections_idle", "Connections to the database that nobody uses", now.connections_idle.clone());
        registry.register("work_waiting", "Computations that wait for a processor", now.waiting.clone());
        registry.register("heavy_work_waiting", "Photos and reports on paper that wait for memory", now.waiting_heavy.clone());
        registry.register("data_loggers_connected", "Data loggers that are connected", now.rigs.clone());
        registry.register_with_unit("memory", "Memory of the server, without the database", Unit::Bytes, now.memory.clone());
        registry.register("open_files", "Files and connections that are open", now.files.clone());
        registry.register_with_unit(
            "disk_free",
            "Room on the database's disk; 0 where it is not known",
            Unit::Bytes,
            now.disk_free.clone(),
        );
        registry.register_with_unit(
            "last_backup_time",
            "When the last backup began; 0 where none was taken",
            Unit::Seconds,
            now.backup.clone(),
        );
        registry.register("backup_late", "1 when no backup was taken for two nights, or the last try failed", now.backup_late.clone());
        registry.register_with_unit("start_time", "When the server began", Unit::Seconds, now.up.clone());
        Self { registry: Mutex::new(registry), requests, request_times, queries, slow_queries, failed_queries, now }
    }
}

impl Metrics {
    /// Counts an answer.
    pub fn answered(&self, labels: &RequestLabels, took: Duration) {
        let kind = match () {
            () if labels.route.starts_with("/assets/") => "asset",
            () if labels.method == "GET" => "page",
            () => "write",
        };
        self.requests.get_or_create(labels).inc();
        self.request_times.get_or_create(&KindLabels { kind }).observe(took.as_secs_f64());
    }

    /// Counts a query.
    pub fn queried(&self, took: Duration, failed: bool) {
        self.queries.observe(took.as_secs_f64());
        if took >= SLOW {
            self.slow_queries.inc();
        }
        if failed {
            self.failed_queries.inc();
        }
    }

    /// All of it as Prometheus reads it.
    pub async fn text(&self, app: &App) -> String {
        let now = &self.now;
        now.database.set(i64::from(velvet_dial_store::healthy(&app.db).await));
        let (connections, idle) = pool(&app.db);
        now.connections.set(i64::from(connections));
        now.connections_idle.set(idle as i64);
        let (waiting, heavy) = app.work.waiting();
        now.waiting.set(waiting as i64);
        now.waiting_heavy.set(heavy as i64);
        now.rigs.set(app.hub.connected() as i64);
        now.memory.set(memory_bytes().unwrap_or_default());
        now.files.set(std::fs::read_dir("/proc/self/fd").map_or(0, |files| files.count() as i64));
        now.disk_free.set(disk::free_bytes(app.serving.data.as_deref()).unwrap_or_default() as i64);
        let backups = app.serving.backups.state();
        let began = backups.as_ref().and_then(|state| state.taken).map_or(0, |(began, _)| began.timestamp());
        now.backup.set(began as f64);
        now.backup_late.set(i64::from(backups.is_some_and(|state| state.is_late(chrono::Utc::now()))));
        let mut text = format!(
            "# HELP velvet_dial_build The version that serves, and the cores it sees.\n# TYPE velvet_dial_build gauge\nvelvet_dial_build{{version=\"{}\",cores=\"{}\"}} 1\n",
            env!("CARGO_PKG_VERSION"),
            cores()
        );
        // Nothing but memory is written to.
        encode(&mut text, &self.registry.lock().unwrap_or_else(PoisonError::into_inner)).ok();
        text
    }
}

/// What the process holds in memory, by the system's own count.
fn memory_bytes() -> Option<i64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:"))?;
    line.split_whitespace().next()?.parse::<i64>().ok().map(|kb| kb * 1024)
}
