//! Pictures as they are kept: checked by their content, turned upright, without anything that a camera writes beside them
//! (place, time, names), no larger than a report needs, with a thumbnail.

use image::codecs::jpeg::JpegEncoder;
use image::imageops::FilterType;
use image::{DynamicImage, ImageDecoder, ImageFormat, ImageReader, Limits};
use sha2::{Digest, Sha256};
use std::io::Cursor;

/// The largest upload, bytes.
pub(crate) const MOST_BYTES: usize = 20_000_000;
/// The most pixels that are unpacked: a small file may claim to be huge.
const MOST_PIXELS: u64 = 60_000_000;
/// Longest side as kept, and of the thumbnail, pixels.
const KEPT_SIDE: u32 = 2400;
const THUMB_SIDE: u32 = 320;

/// A picture ready to be kept.
pub(crate) struct Picture {
    pub jpeg: Vec<u8>,
    pub thumbnail: Vec<u8>,
    pub sha256: Vec<u8>,
    pub size: (u32, u32),
}

/// Why an upload is no picture that can be kept: the key of its message.
pub(crate) type Refused = &'static str;

/// Makes a picture ready. What it is is decided by its content, never by its name.
pub(crate) fn prepare(bytes: &[u8]) -> Result<Picture, Refused> {
    let format = image::guess_format(bytes).map_err(|_| "photographs.no-picture")?;
    if !matches!(format, ImageFormat::Jpeg | ImageFormat::Png | ImageFormat::WebP) {
        return Err("photographs.no-picture");
    }
    let mut reader = ImageReader::with_format(Cursor::new(bytes), format);
    let mut limits = Limits::default();
    limits.max_image_width = Some(20_000);
    limits.max_image_height = Some(20_000);
    limits.max_alloc = Some(MOST_PIXELS * 8);
    reader.limits(limits);
    let mut decoder = reader.into_decoder().map_err(|_| "photographs.unreadable")?;
    let (w, h) = decoder.dimensions();
    if u64::from(w) * u64::from(h) > MOST_PIXELS {
        return Err("photographs.too-many-pixels");
    }
    let upright = decoder.orientation().map_err(|_| "photographs.unreadable")?;
    let mut picture = DynamicImage::from_decoder(decoder).map_err(|_| "photographs.unreadable")?;
    picture.apply_orientation(upright);
    if picture.width().max(picture.height()) > KEPT_SIDE {
        picture = picture.resize(KEPT_SIDE, KEPT_SIDE, FilterType::Triangle);
    }
    let thumbnail = picture.thumbnail(THUMB_SIDE, THUMB_SIDE);
    // Written anew from the pixels alone, so that nothing else is carried along.
    let encode = |picture: &DynamicImage, quality| {
        let mut out = Vec::new();
        let written = picture.to_rgb8().write_with_encoder(JpegEncoder::new_with_quality(&mut out, quality));
        written.map(|()| out).map_err(|_| "photographs.unreadable")
    };
    let jpeg = encode(&picture, 86)?;
    Ok(Picture {
        sha256: Sha256::digest(&jpeg).to_vec(),
        thumbnail: encode(&thumbnail, 80)?,
        size: (picture.width(), picture.height()),
        jpeg,
    })
}
