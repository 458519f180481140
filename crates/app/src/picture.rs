//! Pictures as they are kept: upright, of a size that prints, with nothing said of where and when and by whom they
//! were made.

use image::codecs::jpeg::JpegEncoder;
use image::imageops::FilterType;
use image::{DynamicImage, ImageDecoder, ImageFormat, ImageReader, Limits};
use std::io::Cursor;

/// Most pixels either way; what is larger is made smaller.
const MOST_PIXELS: u32 = 1600;
/// Quality of what is kept, of 100.
const QUALITY: u8 = 80;
/// Most pixels either way that are read at all, and bytes that reading may take.
const READ_PIXELS: u32 = 20_000;
const READ_BYTES: u64 = 512 << 20;
/// Most pixels of a HEIF picture: about twice what phones make.
const HEIF_PIXELS: usize = 100 << 20;

/// A picture to keep.
#[derive(Debug, PartialEq, Eq)]
pub struct Prepared {
    /// JPEG (ISO/IEC 10918-1) without any metadata.
    pub jpeg: Vec<u8>,
    /// Pixels across.
    pub width: u32,
    /// Pixels down.
    pub height: u32,
}

/// Makes a picture ready to be kept. Only its pixels go on: what a camera says of place and time does not.
///
/// # Errors
/// In words, why it is none that can be read here.
pub fn prepared(bytes: &[u8]) -> Result<Prepared, String> {
    // ISO/IEC 23008-12 files begin with a box of the type `ftyp`.
    let whole = match bytes.get(4..8) == Some(b"ftyp") {
        true => of_a_phone(bytes).map_err(|e| {
            format!("this picture (HEIF) cannot be read here: {e}; let the phone keep JPEG, or send a screenshot of it")
        })?,
        false => upright(bytes)
            .map_err(|e| format!("it is no picture that can be read here, JPEG, PNG or HEIC: {e}"))?,
    };
    let large = whole.width().max(whole.height()) > MOST_PIXELS;
    let fit = match large {
        true => whole.resize(MOST_PIXELS, MOST_PIXELS, FilterType::Triangle),
        false => whole,
    };
    let pixels = fit.to_rgb8();
    let mut jpeg = Vec::new();
    JpegEncoder::new_with_quality(&mut jpeg, QUALITY)
        .encode_image(&pixels)
        .map_err(|e| format!("it cannot be kept: {e}"))?;
    Ok(Prepared { jpeg, width: pixels.width(), height: pixels.height() })
}

/// The pixels, turned as the camera says they are to be.
fn upright(bytes: &[u8]) -> image::ImageResult<DynamicImage> {
    let mut reader = ImageReader::new(Cursor::new(bytes)).with_guessed_format()?;
    if !matches!(reader.format(), Some(ImageFormat::Jpeg | ImageFormat::Png)) {
        reader.clear_format();
    }
    let mut limits = Limits::default();
    limits.max_image_width = Some(READ_PIXELS);
    limits.max_image_height = Some(READ_PIXELS);
    limits.max_alloc = Some(READ_BYTES);
    reader.limits(limits);
    let mut decoder = reader.into_decoder()?;
    let turned = decoder.orientation()?;
    let mut picture = DynamicImage::from_decoder(decoder)?;
    picture.apply_orientation(turned);
    Ok(picture)
}

/// The pixels of a HEIF picture (ISO/IEC 23008-12 with HEVC inside), turned as its container says.
fn of_a_phone(bytes: &[u8]) -> Result<DynamicImage, String> {
    let about = heic_decoder::probe(bytes).map_err(|e| e.to_string())?;
    // Its planes take four bytes a sample while they are decoded.
    let pixels = about.coded_width.saturating_mul(about.coded_height);
    if pixels > HEIF_PIXELS || about.width.saturating_mul(about.height) > HEIF_PIXELS {
        return Err(format!("it has more than {} million pixels", HEIF_PIXELS >> 20));
    }
    let rgb = heic_decoder::decode(bytes).and_then(|i| i.to_rgb8());
    let rgb = rgb.map_err(|e| e.to_string())?;
    image::RgbImage::from_raw(rgb.width as u32, rgb.height as u32, rgb.data)
        .map(DynamicImage::from)
        .ok_or_else(|| "its size and its pixels differ".to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;
    use image::{Rgb, RgbImage};
    use proptest::prelude::*;

    fn encoded(width: u32, height: u32, format: ImageFormat) -> Vec<u8> {
        // Red above, blue below.
        let picture = RgbImage::from_fn(width, height, |_, y| match y < height / 2 {
            true => Rgb([220, 20, 20]),
            false => Rgb([20, 20, 220]),
        });
        let mut out = Cursor::new(Vec::new());
        picture.write_to(&mut out, format).unwrap();
        out.into_inner()
    }

    /// An Exif segment (CIPA DC-008) with an orientation and a text where the place would stand.
    fn with_exif(jpeg: &[u8], orientation: u8) -> Vec<u8> {
        let mut tiff = b"MM\0\x2a\0\0\0\x08\0\x02".to_vec();
        tiff.extend([0x01, 0x12, 0, 3, 0, 0, 0, 1, 0, orientation, 0, 0]);
        // Image description (0x010E), 16 bytes that stand behind the 38 bytes so far.
        tiff.extend([0x01, 0x0E, 0, 2, 0, 0, 0, 16, 0, 0, 0, 38]);
        tiff.extend([0, 0, 0, 0]);
        tiff.extend(b"47.1N 8.5E here\0");
        let mut segment = b"Exif\0\0".to_vec();
        segment.extend(tiff);
        let length = (segment.len() + 2) as u16;
        let mut out = jpeg[..2].to_vec();
        out.extend([0xFF, 0xE1]);
        out.extend(length.to_be_bytes());
        out.extend(segment);
        out.extend(&jpeg[2..]);
        out
    }

    #[test]
    fn a_large_one_fits_and_keeps_its_shape() {
        let kept = prepared(&encoded(3200, 1600, ImageFormat::Png)).unwrap();
        assert_eq!((kept.width, kept.height), (1600, 800));
        let small = prepared(&encoded(40, 30, ImageFormat::Jpeg)).unwrap();
        assert_eq!((small.width, small.height), (40, 30));
    }

    #[test]
    fn it_stands_upright_and_says_nothing_of_its_place() {
        // Orientation 6: to be turned a quarter clockwise; what was above is then right.
        let made = with_exif(&encoded(64, 32, ImageFormat::Jpeg), 6);
        let has = |bytes: &[u8], what: &[u8]| bytes.windows(what.len()).any(|w| w == what);
        assert!(has(&made, b"47.1N"));
        let kept = prepared(&made).unwrap();
        assert_eq!((kept.width, kept.height), (32, 64));
        assert!(!has(&kept.jpeg, b"47.1N") && !has(&kept.jpeg, b"Exif"));
        let pixels = image::load_from_memory(&kept.jpeg).unwrap().to_rgb8();
        assert!(pixels.get_pixel(28, 32)[0] > 150 && pixels.get_pixel(4, 32)[2] > 150);
    }

    /// 96 by 64 pixels, red above and blue below, to be turned a quarter clockwise (`irot`), with an Exif text where
    /// the place would stand; made with another program's HEVC encoder.
    const OF_A_PHONE: &[u8] = include_bytes!("../tests/pictures/turned.heic");

    #[test]
    fn one_of_a_phone_is_read_too() {
        let kept = prepared(OF_A_PHONE).unwrap();
        assert_eq!((kept.width, kept.height), (64, 96));
        let has = |bytes: &[u8]| bytes.windows(5).any(|w| w == b"47.1N");
        assert!(has(OF_A_PHONE) && !has(&kept.jpeg));
        let pixels = image::load_from_memory(&kept.jpeg).unwrap().to_rgb8();
        let (right, left) = (pixels.get_pixel(58, 48), pixels.get_pixel(5, 48));
        assert!(right[0] > 180 && right[2] < 60, "{right:?}");
        assert!(left[2] > 180 && left[0] < 60, "{left:?}");
    }

    #[test]
    fn what_is_none_is_refused_in_words() {
        let said = |bytes: &[u8]| prepared(bytes).unwrap_err();
        assert!(said(b"\0\0\0\x18ftypheic\0\0\0\0").contains("HEIF"));
        assert!(said(&OF_A_PHONE[..OF_A_PHONE.len() / 2]).contains("HEIF"));
        assert!(said(b"%PDF-1.7").contains("JPEG, PNG"));
        let whole = encoded(64, 64, ImageFormat::Png);
        assert!(said(&whole[..whole.len() / 2]).contains("JPEG, PNG"));
    }

    proptest! {
        #[test]
        fn no_bytes_upset_it(bytes in prop::collection::vec(any::<u8>(), 0..400), at in 0..200_usize) {
            let _ = prepared(&bytes);
            let mut made = encoded(16, 16, ImageFormat::Jpeg);
            let at = at.min(made.len() - 1);
            made[at] ^= 0x55;
            let _ = prepared(&made);
        }

        #[test]
        fn no_spoilt_one_of_a_phone_upsets_it(at in 0..OF_A_PHONE.len(), with: u8, end in 0..OF_A_PHONE.len()) {
            let mut made = OF_A_PHONE.to_vec();
            made[at] = with;
            let _ = prepared(&made);
            let _ = prepared(&made[..end]);
        }
    }
}
