//! Pictures as they come from a camera or a file: read, turned upright, drawn anew without anything
//! else that was in the file (so no place, no camera), and capped in size.

use image::codecs::jpeg::JpegEncoder;
use image::{DynamicImage, ImageDecoder, ImageReader, Limits};
use std::io::Cursor;

/// Longest side of a kept picture, pixels.
const LONGEST: u32 = 1800;
/// Longest side of a small one.
const SMALL: u32 = 320;
/// Largest picture that is opened at all, pixels a side.
const MOST_PIXELS: u32 = 12_000;
/// And pixels in all: few bytes of a file can unfold to many.
const MOST_IN_ALL: u64 = 50_000_000;

/// A picture drawn anew.
#[derive(Debug, Clone)]
pub struct Drawn {
    /// JPEG.
    pub jpeg: Vec<u8>,
    /// Pixels.
    pub width: i32,
    /// Pixels.
    pub height: i32,
}

fn open(bytes: &[u8]) -> Result<DynamicImage, String> {
    let mut reader = ImageReader::new(Cursor::new(bytes))
        .with_guessed_format()
        .map_err(|e| format!("The picture does not read: {e}."))?;
    if reader.format().is_none() {
        return Err("This is no picture. JPEG, PNG and WebP are read.".into());
    }
    let mut limits = Limits::default();
    limits.max_image_width = Some(MOST_PIXELS);
    limits.max_image_height = Some(MOST_PIXELS);
    limits.max_alloc = Some(220 * 1024 * 1024);
    reader.limits(limits);
    let sentence = |e: image::ImageError| match e {
        image::ImageError::Limits(_) => {
            format!("The picture is larger than {MOST_PIXELS} pixels a side.")
        }
        _ => "The picture does not read. JPEG, PNG and WebP are read.".into(),
    };
    let mut decoder = reader.into_decoder().map_err(sentence)?;
    let (width, height) = decoder.dimensions();
    if u64::from(width) * u64::from(height) > MOST_IN_ALL {
        return Err(format!(
            "The picture has {} million pixels; {} are taken.",
            u64::from(width) * u64::from(height) / 1_000_000,
            MOST_IN_ALL / 1_000_000
        ));
    }
    // the camera's own note of which way is up is the only thing in the file that is used
    let upright = decoder.orientation().map_err(sentence)?;
    let mut picture = DynamicImage::from_decoder(decoder).map_err(sentence)?;
    picture.apply_orientation(upright);
    Ok(picture)
}

fn draw(picture: &DynamicImage, longest: u32, quality: u8) -> Result<Drawn, String> {
    let fits = picture.width().max(picture.height()) <= longest;
    let sized = if fits {
        picture.to_rgb8()
    } else {
        picture
            .resize(longest, longest, image::imageops::FilterType::Triangle)
            .to_rgb8()
    };
    let mut jpeg = Vec::new();
    JpegEncoder::new_with_quality(&mut jpeg, quality)
        .encode_image(&sized)
        .map_err(|e| format!("The picture cannot be kept: {e}."))?;
    Ok(Drawn {
        width: i32::try_from(sized.width()).unwrap_or(i32::MAX),
        height: i32::try_from(sized.height()).unwrap_or(i32::MAX),
        jpeg,
    })
}

/// The picture to keep and its small one. Takes some hundred milliseconds: call it off the async threads.
///
/// # Errors
/// A sentence: no picture, or one that is too large.
pub fn keep(bytes: &[u8]) -> Result<(Drawn, Drawn), String> {
    let picture = open(bytes)?;
    Ok((draw(&picture, LONGEST, 82)?, draw(&picture, SMALL, 75)?))
}

/// The small one of a picture that is kept as it is; carries the size of the whole one.
///
/// # Errors
/// It is no JPEG, carries more than a picture, or is larger than a kept one.
pub fn small_of(jpeg: &[u8]) -> Result<Drawn, String> {
    if image::guess_format(jpeg).ok() != Some(image::ImageFormat::Jpeg) {
        return Err("this is no JPEG.".into());
    }
    if carries_more(jpeg) {
        return Err("it carries more than the picture (such as where it was taken).".into());
    }
    let picture = open(jpeg)?;
    if picture.width().max(picture.height()) > LONGEST {
        return Err(format!("it is larger than {LONGEST} pixels a side."));
    }
    let mut small = draw(&picture, SMALL, 75)?;
    small.width = i32::try_from(picture.width()).unwrap_or(i32::MAX);
    small.height = i32::try_from(picture.height()).unwrap_or(i32::MAX);
    Ok(small)
}

/// Does a JPEG hold application segments besides the plain one (JFIF), or comments?
fn carries_more(jpeg: &[u8]) -> bool {
    let mut at = 2;
    while at + 4 <= jpeg.len() && jpeg[at] == 0xff {
        let marker = jpeg[at + 1];
        if marker == 0xda {
            return false;
        }
        if (0xe1..=0xef).contains(&marker) || marker == 0xfe {
            return true;
        }
        at += 2 + usize::from(jpeg[at + 2]) * 256 + usize::from(jpeg[at + 3]);
    }
    false
}

#[cfg(test)]
mod tests {
    use super::*;

    fn picture(width: u32, height: u32) -> DynamicImage {
        DynamicImage::ImageRgb8(image::RgbImage::from_fn(width, height, |x, y| {
            image::Rgb([(x % 256) as u8, (y % 256) as u8, 90])
        }))
    }

    fn png(p: &DynamicImage) -> Vec<u8> {
        let mut out = Cursor::new(Vec::new());
        p.write_to(&mut out, image::ImageFormat::Png).unwrap();
        out.into_inner()
    }

    /// A JPEG with an EXIF segment that says “turned a quarter” and names a place.
    fn with_exif() -> Vec<u8> {
        let plain = draw(&picture(60, 40), LONGEST, 80).unwrap().jpeg;
        let mut exif =
            b"Exif\0\0MM\0\x2a\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\x06\0\0\0\0\0\0".to_vec();
        exif.extend_from_slice(b"54.7833 N 9.4333 E");
        let mut out = plain[..2].to_vec();
        out.extend_from_slice(&[0xff, 0xe1]);
        out.extend_from_slice(&u16::try_from(exif.len() + 2).unwrap().to_be_bytes());
        out.extend_from_slice(&exif);
        out.extend_from_slice(&plain[2..]);
        out
    }

    #[test]
    fn a_large_picture_is_made_smaller_and_keeps_its_shape() {
        let (kept, small) = keep(&png(&picture(3600, 1200))).unwrap();
        assert_eq!((kept.width, kept.height), (1800, 600));
        assert_eq!(small.width, 320);
    }

    #[test]
    fn the_place_goes_and_up_stays_up() {
        let raw = with_exif();
        assert!(carries_more(&raw));
        let (kept, _) = keep(&raw).unwrap();
        assert!(!carries_more(&kept.jpeg));
        assert!(!kept.jpeg.windows(7).any(|w| w == b"54.7833"));
        // turned a quarter: 60 × 40 became 40 × 60
        assert_eq!((kept.width, kept.height), (40, 60));
        assert!(
            small_of(&raw)
                .unwrap_err()
                .contains("more than the picture")
        );
        assert!(small_of(&kept.jpeg).is_ok());
    }

    #[test]
    fn a_small_file_that_unfolds_to_a_large_picture_is_not_opened() {
        let large = image::GrayImage::new(11_000, 11_000);
        let mut out = Cursor::new(Vec::new());
        large.write_to(&mut out, image::ImageFormat::Png).unwrap();
        let bytes = out.into_inner();
        assert!(bytes.len() < 1_000_000, "{}", bytes.len());
        let error = keep(&bytes).unwrap_err();
        assert!(error.contains("121 million pixels"), "{error}");
    }

    #[test]
    fn what_is_no_picture_gets_a_sentence() {
        for bytes in [&b"not a picture"[..], &png(&picture(8, 8))[..30]] {
            assert!(keep(bytes).unwrap_err().contains("JPEG, PNG and WebP"));
        }
    }
}
