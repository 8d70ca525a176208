//! Photos as they come and as they are kept: from the tablet's camera, made small enough, and without anything but the picture.
use super::{Failure, form};
use crate::state::App;
use actix_multipart::Multipart;
use actix_web::HttpResponse;
use actix_web::http::header::CACHE_CONTROL;
use futures_util::TryStreamExt;
use image::codecs::jpeg::JpegEncoder;
use image::imageops::FilterType;
use image::{DynamicImage, ImageDecoder, ImageFormat, ImageReader, Limits};
use std::io::Cursor;
use thiserror::Error;
use velvet_dial_store::jobs::Photo;

/// The largest photo that is sent.
const MOST_BYTES: usize = 12 << 20;
/// Sides beyond which a picture is a bomb and no photo, the points that one may have, and the memory that it may unpack to.
const MOST_SIDE: u32 = 16_000;
const MOST_POINTS: u64 = 50_000_000;
const MOST_UNPACKED: u64 = 200 << 20;
/// As it is kept: long side in points, and the quality that JPEG calls so.
const LARGE: (u32, u8) = (1600, 82);
const SMALL: (u32, u8) = (320, 72);

/// Why a photo was not taken.
#[derive(Debug, Error)]
pub enum PhotoError {
    /// More than is sent.
    #[error("The photo is larger than {} MB. Take it with a smaller picture size, or send a cut of it.", MOST_BYTES >> 20)]
    TooLarge,
    /// No picture.
    #[error("This is not a photo that can be read here. Send JPEG, PNG or WebP.")]
    NotOne,
    /// A bomb.
    #[error("This picture unpacks to more than a camera takes, so it was not opened. Send the photo as the camera made it.")]
    Bomb,
    /// More points than are taken.
    #[error("This photo has more than {} megapixels. Take it with a smaller picture size and send it again.", MOST_POINTS / 1_000_000)]
    TooManyPoints,
}

/// A photo as it is kept: upright, small enough, and without anything of camera, place or time, since it is drawn anew.
fn kept(bytes: Vec<u8>) -> Result<Photo, PhotoError> {
    let mut limits = Limits::default();
    (limits.max_image_width, limits.max_image_height, limits.max_alloc) = (Some(MOST_SIDE), Some(MOST_SIDE), Some(MOST_UNPACKED));
    let told = |error: image::ImageError| if matches!(error, image::ImageError::Limits(_)) { PhotoError::Bomb } else { PhotoError::NotOne };
    let mut reader = ImageReader::new(Cursor::new(bytes)).with_guessed_format().map_err(|_| PhotoError::NotOne)?;
    // What else this program can read, for other ends, is no photo.
    if !matches!(reader.format(), Some(ImageFormat::Jpeg | ImageFormat::Png | ImageFormat::WebP)) {
        return Err(PhotoError::NotOne);
    }
    reader.limits(limits);
    let mut decoder = reader.into_decoder().map_err(told)?;
    let (width, height) = decoder.dimensions();
    if u64::from(width) * u64::from(height) > MOST_POINTS {
        return Err(PhotoError::TooManyPoints);
    }
    if decoder.total_bytes() > MOST_UNPACKED {
        return Err(PhotoError::Bomb);
    }
    // A tablet held on its side says so beside the picture.
    let turned = decoder.orientation().map_err(told)?;
    // Made smaller before it is turned and drawn: each of both takes as much memory again as what it works on.
    let mut picture = smaller(DynamicImage::from_decoder(decoder).map_err(told)?);
    picture.apply_orientation(turned);
    let drawn = |(side, quality): (u32, u8)| -> Result<(DynamicImage, Vec<u8>), PhotoError> {
        let fits = picture.width() <= side && picture.height() <= side;
        let picture = if fits { picture.clone() } else { picture.resize(side, side, FilterType::Triangle) };
        let mut bytes = Vec::new();
        picture.to_rgb8().write_with_encoder(JpegEncoder::new_with_quality(&mut bytes, quality)).map_err(told)?;
        Ok((picture, bytes))
    };
    let (large, large_bytes) = drawn(LARGE)?;
    let (_, small) = drawn(SMALL)?;
    Ok(Photo { width: large.width(), height: large.height(), small, large: large_bytes })
}

/// A picture that is far larger than what is kept, made smaller; the whole is let go.
fn smaller(whole: DynamicImage) -> DynamicImage {
    let side = LARGE.0 * 3 / 2;
    if whole.width().max(whole.height()) > side { whole.thumbnail(side, side) } else { whole }
}

/// What came with a form that carries a photo: its other fields, and the photo as it is kept or why it is not.
pub struct Received {
    pub fields: form::Sent,
    pub photo: Result<Photo, PhotoError>,
    /// No photo came with it.
    pub without: bool,
}

/// Reads such a form to its end, also where it is too large: a browser that is cut off shows no answer.
///
/// # Errors
/// When there is no room for it, or the line breaks.
pub async fn received(app: &App, mut sent: Multipart) -> Result<Received, Failure> {
    if !app.serving.has_room() {
        return Err(Failure::DiskFull);
    }
    let broke = |error: actix_multipart::MultipartError| Failure::Upload(error.to_string());
    let (mut fields, mut bytes, mut large) = (form::Sent::new(), Vec::new(), false);
    while let Some(mut field) = sent.try_next().await.map_err(broke)? {
        let name = field.name().unwrap_or_default().to_owned();
        let most = if name == "photo" { MOST_BYTES } else { 2000 };
        let mut came = Vec::new();
        while let Some(some) = field.try_next().await.map_err(broke)? {
            if came.len() + some.len() > most {
                large = true;
                continue;
            }
            came.extend_from_slice(&some);
        }
        if name == "photo" {
            bytes = came;
        } else {
            fields.insert(name, String::from_utf8_lossy(&came).into_owned());
        }
    }
    let without = bytes.is_empty() && !large;
    let photo = if without {
        Err(PhotoError::NotOne)
    } else if large {
        Err(PhotoError::TooLarge)
    } else {
        app.work.heavy(app.work.heavy_turn().await?, move || kept(bytes)).await?
    };
    Ok(Received { fields, photo, without })
}

/// A photo as it is answered: it never changes, so a browser keeps it for itself.
pub fn shown(bytes: Vec<u8>) -> HttpResponse {
    HttpResponse::Ok().content_type("image/jpeg").insert_header((CACHE_CONTROL, "private, max-age=86400")).body(bytes)
}

/// True of the large one, by the last part of its address.
///
/// # Errors
/// When it is neither.
pub fn is_large(name: &str) -> Result<bool, Failure> {
    match name {
        "large.jpg" => Ok(true),
        "small.jpg" => Ok(false),
        _ => Err(Failure::NoPage),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use image::{Rgb, RgbImage};

    fn picture(width: u32, height: u32, format: ImageFormat) -> Vec<u8> {
        let image = RgbImage::from_fn(width, height, |x, y| Rgb([(x % 251) as u8, (y % 241) as u8, 90]));
        let mut bytes = Cursor::new(Vec::new());
        let written = image.write_to(&mut bytes, format);
        assert!(written.is_ok());
        bytes.into_inner()
    }

    /// A JPEG with an EXIF block that turns it and names a place.
    fn with_exif(jpeg: &[u8]) -> Vec<u8> {
        let mut exif = b"Exif\0\0MM\0*\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\x06\0\0\0\0\0\0".to_vec();
        exif.extend(b"SECRET HARBOUR");
        let mut bytes = vec![0xff, 0xd8, 0xff, 0xe1];
        bytes.extend(((exif.len() + 2) as u16).to_be_bytes());
        bytes.extend(exif);
        bytes.extend(jpeg.get(2..).unwrap_or_default());
        bytes
    }

    #[test]
    fn a_photo_is_upright_small_and_says_nothing_of_where_it_was_taken() {
        for (bytes, sides) in [
            (picture(3000, 1500, ImageFormat::Jpeg), (1600, 800)),
            (picture(640, 480, ImageFormat::Png), (640, 480)),
            (picture(900, 2400, ImageFormat::WebP), (600, 1600)),
            (with_exif(&picture(3000, 1500, ImageFormat::Jpeg)), (800, 1600)),
        ] {
            let photo = kept(bytes).unwrap_or_else(|error| panic!("{error}"));
            assert_eq!((photo.width, photo.height), sides);
            for kept in [&photo.small, &photo.large] {
                assert_eq!(kept.get(..3), Some(&[0xff, 0xd8, 0xff][..]));
                assert!(!kept.array_windows().any(|four| four == b"Exif") && !kept.array_windows().any(|six| six == b"SECRET"));
            }
            assert!(photo.small.len() < photo.large.len() && photo.large.len() < 900_000);
        }
    }

    #[test]
    fn what_is_no_photo_is_told() {
        // A PNG that says it is 60 000 points wide, and one whose sides pass but who has more points than are taken.
        let huge = |side: u32| {
            let mut bytes = picture(8, 8, ImageFormat::Png);
            for at in [16, 20] {
                if let Some(place) = bytes.get_mut(at..at + 4) {
                    place.copy_from_slice(&side.to_be_bytes());
                }
            }
            let mut crc = flate2::Crc::new();
            crc.update(bytes.get(12..29).unwrap_or_default());
            if let Some(place) = bytes.get_mut(29..33) {
                place.copy_from_slice(&crc.sum().to_be_bytes());
            }
            bytes
        };
        for (bytes, says) in [
            (b"%PDF-1.7".to_vec(), "not a photo"),
            (b"GIF89a\x01\0\x01\0\x80\0\0\0\0\0\0\0\0,\0\0\0\0\x01\0\x01\0\0\x02\x02D\x01\0;".to_vec(), "not a photo"),
            (Vec::new(), "not a photo"),
            (picture(40, 40, ImageFormat::Jpeg).into_iter().take(60).collect(), "not a photo"),
            (huge(60_000), "unpacks to more"),
            (huge(15_000), "more than 50 megapixels"),
        ] {
            let told = kept(bytes).map(|photo| photo.width).map_err(|error| error.to_string());
            assert!(told.as_ref().is_err_and(|told| told.contains(says)), "{says}: {told:?}");
        }
    }
}
