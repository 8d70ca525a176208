//! What every handler shares.
mod backups;
mod first_code;
mod kept;
mod keys;
mod metrics;
mod rates;
mod shop_context;
mod turns;
mod work;

pub use work::{Busy, cores};

pub use backups::{BackupState, Backups};
pub use first_code::FirstCode;
pub use kept::Kept;
pub use keys::{FOLDER as KEY_FOLDER, KeyFileError, Keys, NAME as KEY_FILE, SEALS as SEALS_FILE};
pub use metrics::{Metrics, RequestLabels, SLOW};
pub use rates::{A_SECOND, AT_ONCE, Rates};
use shop_context::Houses;
pub use shop_context::ShopContext;
use std::net::{IpAddr, SocketAddr};
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;
use turns::Turns;
use velvet_dial_rig::hub::Hub;
use velvet_dial_store::{Connection, disk, seals, watch};
use work::Work;

/// Shared by all workers.
#[derive(Debug)]
pub struct App {
    /// The database.
    pub db: Connection,
    /// How it is served.
    pub serving: Serving,
    /// Computation off the serving threads.
    pub work: Work,
    /// Samples of engines and diagnoses of jobs.
    pub kept: Kept,
    /// Shops with what they learnt.
    houses: Houses,
    /// Readings are taken from a run, and stop calls written, one at a time at each job.
    pub turns: Turns,
    /// The rigs that are linked.
    pub hub: Arc<Hub>,
    /// Sets up the first shop.
    pub first_code: FirstCode,
    /// How often other programs may ask.
    pub rates: Rates,
    /// What is counted of it.
    pub metrics: Arc<Metrics>,
}

/// How the application is served.
#[derive(Debug, Clone, Default)]
pub struct Serving {
    /// The cookie is sent over TLS only.
    pub secure_cookies: bool,
    /// The demo shop's people may sign in, and their names stand on the first page.
    pub demo: bool,
    /// Where the shop is reached from outside, as it stands before every path of a customer's link; what the browser asked for where it is not given.
    pub public_url: Option<String>,
    /// Proxies whose word on who asks is taken; the address of anybody else is their own.
    pub trusted_proxies: Vec<IpAddr>,
    /// Folder on whose disk the database lies, where that is known.
    pub data: Option<PathBuf>,
    /// Where rigs call, when the server listens for any.
    pub rigs_at: Option<SocketAddr>,
    /// The certificate that tablets trust, in PEM, where the server made its own.
    pub authority: Option<Arc<str>>,
    /// Events may be sent to programs on this computer.
    pub hooks_within: bool,
    /// How the server's backups go.
    pub backups: Arc<Backups>,
    /// The keys that sign reports; without them reports carry hashes alone.
    pub keys: Option<Arc<Keys>>,
    /// How long what is sent may take to arrive and be answered; two minutes, where nothing is said.
    pub patience: Option<Duration>,
}

impl Serving {
    /// Whether the database's disk has room for a file. Where it is not known, the database says so itself.
    pub fn has_room(&self) -> bool {
        disk::has_room(self.data.as_deref())
    }
}

/// Seals the heads of all ledgers that changed, in the database and in the file beside the key. Where that cannot be, the next time does it.
pub async fn seal_ledgers(db: &Connection, keys: Option<&Keys>) {
    let sealed = match seals::seal(db).await {
        Ok(sealed) => sealed,
        Err(error) => return tracing::error!(%error, "the ledgers' heads were not sealed; it is tried again"),
    };
    if let Some((sealed, keys)) = sealed.as_ref().zip(keys)
        && let Err(error) = keys.note_seal(sealed)
    {
        tracing::error!(%error, number = sealed.number, "a seal was not written to the file of seals");
    }
}

impl App {
    /// The application on a database.
    pub fn new(mut db: Connection, serving: Serving) -> Self {
        let metrics = Arc::<Metrics>::default();
        let counts = Arc::clone(&metrics);
        watch(&mut db, move |query| {
            counts.queried(query.took, query.failed);
            if query.took >= SLOW {
                // The statement without its values: those are people's words.
                tracing::warn!(took_ms = query.took.as_millis() as u64, statement = query.sql, "a slow query");
            }
        });
        Self {
            db,
            metrics,
            serving,
            work: Work::default(),
            kept: Kept::default(),
            houses: Houses::default(),
            turns: Turns::default(),
            hub: Arc::default(),
            first_code: FirstCode::default(),
            rates: Rates::default(),
        }
    }
}
