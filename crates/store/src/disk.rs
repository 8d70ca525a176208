//! The disk that the database lies on.
use std::path::Path;

/// What is left free on it, bytes: below it no file and no run is kept, so that what is written by hand still has room.
const LEAST_FREE: u64 = 512 << 20;

/// Whether the disk of a folder has room for more. Where it is not known, the database says so itself.
pub fn has_room(folder: Option<&Path>) -> bool {
    free_bytes(folder).is_none_or(|free| free >= LEAST_FREE)
}

/// What is free on the disk of a folder, bytes; none where it is not known.
pub fn free_bytes(folder: Option<&Path>) -> Option<u64> {
    let disk = rustix::fs::statvfs(folder?).ok()?;
    Some(disk.f_bavail.saturating_mul(disk.f_frsize))
}
