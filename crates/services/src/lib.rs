//! Programs that run beside Velvet Dial on this machine.
//!
//! [`leash`] holds any child that must end when this process ends, however it ends; [`mariadb`] is the private database built on it:
//! own folder, own port on loopback, random password, nothing else on the machine touched. [`certificate`] makes what a server needs for TLS, and [`backup`] takes
//! backups of the database and puts them back.
pub mod backup;
pub mod certificate;
pub mod child_supervisor;
pub mod mariadb;

use std::net::{Ipv4Addr, TcpListener};

/// A loopback port that is free now.
///
/// # Errors
/// When the machine gives none.
pub fn free_port() -> std::io::Result<u16> {
    TcpListener::bind((Ipv4Addr::LOCALHOST, 0))?.local_addr().map(|address| address.port())
}
