//! The application on a free port of this machine, with the demo shop on its own database.
pub mod person;
pub mod screen;

use actix_web::dev::ServerHandle;
use actix_web::web::Data;
use std::net::{SocketAddr, TcpListener};
use std::pin::Pin;
use std::sync::Arc;
use std::thread::JoinHandle;
use std::time::Duration;
use tokio::sync::OnceCell;
use tokio_rustls::rustls::ServerConfig;
use uuid::Uuid;
use velvet_dial_core::signing::Signer;
use velvet_dial_rig::chunk::Chunk;
use velvet_dial_rig::proof::Proof;
use velvet_dial_rig::recorder::{self, Door, Hello, Sink};
use velvet_dial_rig::said::{Channel, Kind, Sample};
use velvet_dial_store::rigs::{self, Keeper};
use velvet_dial_store::{Connection, Viewer, accounts};
use velvet_dial_testkit::{copy_of, fresh_database};
use velvet_dial_web::server::{server, server_by};
use velvet_dial_web::state::{App, Keys, Serving};

/// Starts the application; it ends with the test.
pub async fn start() -> String {
    start_with().await.0
}

/// The same, with its database.
pub async fn start_with() -> (String, Connection) {
    start_waiting(None).await
}

/// The keys of every server of these tests.
fn keys() -> Arc<Keys> {
    Arc::new(Keys::of(Signer::of_seed(&[1; 32])))
}

/// A database of its own with the demo shop, which is made once and copied.
async fn demo_shop() -> Connection {
    static MADE: OnceCell<String> = OnceCell::const_new();
    let made = MADE.get_or_init(|| Box::pin(make_demo_shop()) as Pin<Box<dyn Future<Output = String>>>).await;
    velvet_dial_store::open(&copy_of(made).await).await.unwrap()
}

async fn make_demo_shop() -> String {
    let url = fresh_database().await;
    let db = velvet_dial_store::open(&url).await.unwrap();
    velvet_dial_web::demo::load_once(&db, Some(&keys())).await.unwrap();
    db.close().await.unwrap();
    url
}

/// The same; it waits this long for what is sent.
pub async fn start_waiting(patience: Option<Duration>) -> (String, Connection) {
    let db = demo_shop().await;
    (serve(&db, patience), db)
}

/// A server on an empty database, with the code by which its first shop is set up.
pub async fn empty() -> (String, Connection, String) {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    let app = App::new(db.clone(), Serving { keys: Some(keys()), ..Serving::default() });
    let code = app.first_code.open();
    (run(app), db, code)
}

/// One more server on the same database.
pub fn beside(db: &Connection) -> String {
    serve(db, None)
}

/// How the servers of these tests serve.
pub fn serving() -> Serving {
    Serving { demo: true, keys: Some(keys()), ..Serving::default() }
}

fn serve(db: &Connection, patience: Option<Duration>) -> String {
    run(App::new(db.clone(), Serving { patience, ..serving() }))
}

fn run(app: App) -> String {
    run_by(app, None)
}

/// Runs an application, over TLS where it is given what to show of itself.
pub fn run_by(app: App, tls: Option<ServerConfig>) -> String {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = format!("http://{}", listener.local_addr().unwrap());
    let running = server_by(Data::new(app), listener, tls).unwrap();
    let ends = Ends(running.handle());
    std::thread::spawn(move || actix_web::rt::System::new().block_on(running));
    // The test's runtime drops it when the test is over.
    tokio::spawn(async move {
        let _ends = ends;
        std::future::pending::<()>().await;
    });
    address
}

/// Ends a server when it is dropped; its connections to the database end with it.
struct Ends(ServerHandle);

impl Drop for Ends {
    fn drop(&mut self) {
        // It is told at once; nobody waits for it.
        drop(self.0.stop(false));
    }
}

/// Ines, for what a test does behind the screens.
pub async fn ines(db: &Connection) -> Viewer {
    accounts::demo_viewer(db, "ines").await.unwrap().unwrap()
}

/// A rig that is assigned to a job, and three seconds that it recorded there.
pub async fn recorded(db: &Connection, job: i64) -> (Uuid, Uuid) {
    let who = ines(db).await;
    let (rig, token) = rigs::pair(db, &who, "red-box", None).await.unwrap().unwrap();
    rigs::assign(db, &who, rig, Some(job)).await.unwrap();
    let channels = vec![
        Channel { kind: Kind::Pressure { kpa: 1.0 }, rate_hz: 100.0 },
        Channel { kind: Kind::Speed { per_turn: None }, rate_hz: 100.0 },
    ];
    let hello = Hello { name: "red-box".to_owned(), proof: Proof::Token(token), boot: 1, channels: channels.clone(), can: Vec::new() };
    let keeper = Keeper::new(db.clone(), None);
    let admitted = keeper.admit(&hello).await.unwrap();
    let mut chunk = Chunk::from(0);
    (0..300).for_each(|seq| chunk.push(&channels, &Sample { seq, us: seq * 10_000, values: vec![120.0, 800.0] }));
    keeper.keep(&admitted, &chunk).await.unwrap();
    (rig, admitted.run)
}

/// A server that can be ended and begun again on the same ports: the web, and where rigs call.
pub struct House {
    pub db: Connection,
    pub web: SocketAddr,
    pub rigs: SocketAddr,
    running: Option<(ServerHandle, JoinHandle<()>)>,
}

impl House {
    /// With the demo shop.
    pub async fn begin() -> Self {
        let db = demo_shop().await;
        let free = || SocketAddr::from(([127, 0, 0, 1], velvet_dial_services::free_port().unwrap()));
        let mut house = Self { db, web: free(), rigs: free(), running: None };
        house.start();
        house
    }

    /// Begins it, again.
    pub fn start(&mut self) {
        let (db, web, rigs) = (self.db.clone(), self.web, self.rigs);
        let (told, handle) = std::sync::mpsc::channel();
        let thread = std::thread::spawn(move || {
            actix_web::rt::System::new().block_on(async move {
                let app = App::new(db.clone(), Serving { demo: true, rigs_at: Some(rigs), ..Serving::default() });
                let calls = tokio::net::TcpListener::bind(rigs).await.unwrap();
                tokio::spawn(recorder::listen(calls, Door::default(), app.hub.clone(), Arc::new(Keeper::new(db, None))));
                let running = server(app, TcpListener::bind(web).unwrap()).unwrap();
                told.send(running.handle()).unwrap();
                running.await.unwrap();
            });
        });
        self.running = Some((handle.recv().unwrap(), thread));
    }

    /// Ends it at once: what is on its way to being kept is not.
    pub async fn kill(&mut self) {
        let (handle, thread) = self.running.take().unwrap();
        handle.stop(false).await;
        tokio::task::spawn_blocking(move || thread.join().unwrap()).await.unwrap();
    }
}

impl Drop for House {
    fn drop(&mut self) {
        if let Some((handle, _)) = self.running.take() {
            drop(Ends(handle));
        }
    }
}
