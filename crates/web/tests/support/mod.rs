//! The application on a free port of this machine, with the demo shop on its own database.
#![allow(dead_code, reason = "each test program uses its own part of this")]
pub mod person;
pub mod screen;

use std::net::TcpListener;
use velvet_dial_store::Connection;
use velvet_dial_testkit::fresh_database;
use velvet_dial_web::server::server;
use velvet_dial_web::state::{App, Serving};

/// Starts the application; it ends with the test.
pub async fn start() -> String {
    start_with().await.0
}

/// The same, with its database.
pub async fn start_with() -> (String, Connection) {
    let db = velvet_dial_store::open(&fresh_database().await).await.unwrap();
    velvet_dial_web::demo::load_once(&db).await.unwrap();
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = format!("http://{}", listener.local_addr().unwrap());
    let running = server(
        App::new(db.clone(), Serving { demo: true, patience: Some(std::time::Duration::from_secs(8)), ..Serving::default() }),
        listener,
    )
    .unwrap();
    std::thread::spawn(move || actix_web::rt::System::new().block_on(running));
    (address, db)
}
