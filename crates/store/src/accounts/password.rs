//! Passwords: which are taken, and how they are kept: as Argon2id with the crate's recommended cost.
use crate::StoreError;
use argon2::Argon2;
use argon2::password_hash::{PasswordHasher, PasswordVerifier, phc::PasswordHash};
use std::sync::LazyLock;
use tokio::sync::Semaphore;
use zxcvbn::Score;

/// Fewest characters of a password.
pub const LEAST: usize = 10;
/// Most, so that nobody's hashing takes long.
pub const MOST: usize = 200;

/// Why a password is not taken, with what would be right; none when it is. `names` are what anybody would try first: the user's own, the shop's.
///
/// Common ones and their simple changes are known by the lists that come with the `zxcvbn` crate; one is taken from a hundred million guesses on.
pub fn complaint(password: &str, names: &[&str]) -> Option<String> {
    let length = password.chars().count();
    if length < LEAST {
        return Some(format!(
            "The password has fewer than {LEAST} characters; give a longer one, for example four words that do not belong together."
        ));
    }
    if length > MOST {
        return Some(format!("The password has more than {MOST} characters; give a shorter one."));
    }
    let guessed = zxcvbn::zxcvbn(password, names);
    (guessed.score() < Score::Three).then(|| {
        "The password is among the first that are tried: common words, a name, a year or keys in a row. Give another, for example four words that do not belong together.".to_owned()
    })
}

/// The hash that is tried where there is no user: as much work as a real one.
static NOBODY: LazyLock<String> =
    LazyLock::new(|| Argon2::default().hash_password(b"nobody has this password").map(|hash| hash.to_string()).unwrap_or_default());

/// Hashing takes tens of milliseconds of a core and 19 MB: it is kept off the threads that serve, and never more of it at once than this, whoever knocks.
static HASHING: Semaphore = Semaphore::const_new(4);

pub(super) async fn hash(password: String) -> Result<String, StoreError> {
    let _turn = HASHING.acquire().await.map_err(|_| StoreError::Hash)?;
    tokio::task::spawn_blocking(move || Argon2::default().hash_password(password.as_bytes()).map(|hash| hash.to_string()))
        .await
        .map_err(|_| StoreError::Hash)?
        .map_err(|_| StoreError::Hash)
}

/// Whether a password is that of a kept hash; without one the same work says no.
pub(super) async fn verify(password: String, kept: Option<String>) -> Result<bool, StoreError> {
    let _turn = HASHING.acquire().await.map_err(|_| StoreError::Hash)?;
    tokio::task::spawn_blocking(move || {
        let (known, kept) = (kept.is_some(), kept.unwrap_or_else(|| NOBODY.clone()));
        known & PasswordHash::new(&kept).is_ok_and(|hash| Argon2::default().verify_password(password.as_bytes(), &hash).is_ok())
    })
    .await
    .map_err(|_| StoreError::Hash)
}
