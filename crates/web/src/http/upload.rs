//! A file that comes with a form, read whole.
use super::Failure;
use actix_multipart::{Field, Multipart, MultipartError};
use futures_util::TryStreamExt;

/// Reads a part into memory. What is more than `most` bytes is read to its end and thrown away, so that the browser hears why.
pub async fn read_part(field: &mut Field, into: &mut Vec<u8>, most: usize) -> Result<(), Failure> {
    while let Some(bytes) = field.try_next().await.map_err(|error| Failure::Upload(error.to_string()))? {
        if into.len() <= most {
            into.extend_from_slice(&bytes);
        }
    }
    Ok(())
}

/// Reads all parts of a form into memory, one after the other, as [`read_part`] does.
pub async fn read_whole(mut form: Multipart, most: usize) -> Result<Vec<u8>, Failure> {
    let broke = |error: MultipartError| Failure::Upload(error.to_string());
    let mut bytes = Vec::new();
    while let Some(mut field) = form.try_next().await.map_err(broke)? {
        read_part(&mut field, &mut bytes, most).await?;
    }
    Ok(bytes)
}
