//! Pictures decoded, within bounds: thumbnails, and what they look like.
//!
//! A file may say anything of itself. What it says it measures is looked at before anything is allocated, and what does not fit is not
//! decoded. Decoders are crates in safe Rust; should one panic all the same, the picture counts as one that can't be decoded.

use std::io::Cursor;
use std::panic::{AssertUnwindSafe, catch_unwind};

/// Pixels of a picture that is decoded, at most.
pub(super) const PIXELS: u64 = 50_000_000;

/// The sides of a thumbnail.
const THUMBNAIL: (u32, u32) = (320, 200);
/// The sides of an icon.
const ICON: u32 = 64;
/// The quality of thumbnails, of 100.
const QUALITY: u8 = 78;

/// Cells across and down in which a picture is looked at for its likeness.
const CELLS: u32 = 16;

/// A picture: red, green, blue and how much it covers, a byte each.
pub(super) struct Raster {
    width: u32,
    height: u32,
    pixels: Vec<u8>,
}

/// Why a picture is not decoded.
pub(super) type Why = &'static str;

impl Raster {
    /// Decodes a picture of a format that is told by its name.
    pub(super) fn decode(format: &str, bytes: &[u8]) -> Result<Self, Why> {
        let decode: fn(&[u8]) -> Result<Self, Why> = match format {
            "png" => png,
            "jpeg" => jpeg,
            "webp" => webp,
            _ => return Err("is in a format that is not decoded here"),
        };
        catch_unwind(AssertUnwindSafe(|| decode(bytes))).unwrap_or(Err("can't be decoded"))
    }

    fn of(width: usize, height: usize, channels: usize, data: &[u8]) -> Result<Self, Why> {
        let (width, height) = (
            u32::try_from(width).map_err(|_| "is too large")?,
            u32::try_from(height).map_err(|_| "is too large")?,
        );
        let pixels: Vec<u8> = match channels {
            1 => data.iter().flat_map(|gray| [*gray, *gray, *gray, 255]).collect(),
            2 => data.chunks_exact(2).flat_map(|one| [one[0], one[0], one[0], one[1]]).collect(),
            3 => data.chunks_exact(3).flat_map(|one| [one[0], one[1], one[2], 255]).collect(),
            4 => data.to_vec(),
            _ => return Err("has no colours that are known"),
        };
        let whole =
            width > 0 && height > 0 && pixels.len() as u64 == u64::from(width) * u64::from(height) * 4;
        if whole { Ok(Self { width, height, pixels }) } else { Err("is cut off") }
    }

    /// The picture at another size: each of its pixels is the mean of those that it covers.
    fn scaled(&self, (left, top): (u32, u32), (width, height): (u32, u32), to: (u32, u32)) -> Self {
        let mut pixels = Vec::with_capacity(to.0 as usize * to.1 as usize * 4);
        let edge = |at: u32, of: u32, into: u32| (u64::from(at) * u64::from(of) / u64::from(into)) as usize;
        for y in 0..to.1 {
            let rows = edge(y, height, to.1)..edge(y + 1, height, to.1).max(edge(y, height, to.1) + 1);
            for x in 0..to.0 {
                let columns = edge(x, width, to.0)..edge(x + 1, width, to.0).max(edge(x, width, to.0) + 1);
                let (mut sums, mut count) = ([0_u64; 4], 0_u64);
                for row in rows.clone() {
                    let start =
                        ((top as usize + row) * self.width as usize + left as usize + columns.start) * 4;
                    let Some(line) = self.pixels.get(start..start + columns.len() * 4) else { continue };
                    for one in line.chunks_exact(4) {
                        // What does not cover has no colour.
                        let covers = u64::from(one[3]);
                        for (sum, value) in sums.iter_mut().zip(&one[..3]) {
                            *sum += u64::from(*value) * covers;
                        }
                        sums[3] += covers;
                        count += 1;
                    }
                }
                let mean = |sum: u64| u8::try_from(sum / sums[3].max(1)).unwrap_or(u8::MAX);
                let covers = u8::try_from(sums[3] / count.max(1)).unwrap_or(u8::MAX);
                pixels.extend([mean(sums[0]), mean(sums[1]), mean(sums[2]), covers]);
            }
        }
        Self { width: to.0, height: to.1, pixels }
    }

    fn whole(&self, to: (u32, u32)) -> Self {
        self.scaled((0, 0), (self.width, self.height), to)
    }

    /// A thumbnail of at most 320 by 200, as JPEG.
    pub(super) fn thumbnail(&self) -> Option<Vec<u8>> {
        let scale = (f64::from(THUMBNAIL.0) / f64::from(self.width))
            .min(f64::from(THUMBNAIL.1) / f64::from(self.height))
            .min(1.0);
        let side = |of: u32, most: u32| {
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "at most 320")]
            let scaled = (f64::from(of) * scale).round() as u32;
            scaled.clamp(1, most)
        };
        let small = self.whole((side(self.width, THUMBNAIL.0), side(self.height, THUMBNAIL.1)));
        // White lies behind what does not cover.
        let over_white = |one: &[u8]| {
            let covers = u16::from(one[3]);
            let blend = |value: u8| {
                u8::try_from((u16::from(value) * covers + 255 * (255 - covers)) / 255).unwrap_or(255)
            };
            [blend(one[0]), blend(one[1]), blend(one[2])]
        };
        let pixels: Vec<u8> = small.pixels.chunks_exact(4).flat_map(over_white).collect();
        let (width, height) = (u16::try_from(small.width).ok()?, u16::try_from(small.height).ok()?);
        let mut bytes = Vec::new();
        let encoder = jpeg_encoder::Encoder::new(&mut bytes, QUALITY);
        encoder.encode(&pixels, width, height, jpeg_encoder::ColorType::Rgb).ok()?;
        Some(bytes)
    }

    /// An icon of 64 by 64, as PNG.
    pub(super) fn icon(&self) -> Option<Vec<u8>> {
        let small = self.whole((ICON.min(self.width), ICON.min(self.height)));
        let mut bytes = Vec::new();
        let mut encoder = ::png::Encoder::new(&mut bytes, small.width, small.height);
        encoder.set_color(::png::ColorType::Rgba);
        encoder.set_depth(::png::BitDepth::Eight);
        encoder.write_header().ok()?.write_image_data(&small.pixels).ok()?;
        Some(bytes)
    }

    /// What it looks like: of the square in its middle, which all its cuts share, whether each of 256 cells is brighter than the one
    /// right of it; 64 hexadecimal digits.
    pub(super) fn likeness(&self) -> String {
        let side = self.width.min(self.height);
        let corner = ((self.width - side) / 2, (self.height - side) / 2);
        let cells = self.scaled(corner, (side, side), (CELLS + 1, CELLS));
        let gray: Vec<u32> = cells
            .pixels
            .chunks_exact(4)
            .map(|one| (299 * u32::from(one[0]) + 587 * u32::from(one[1]) + 114 * u32::from(one[2])) / 1000)
            .collect();
        let bits: Vec<bool> = gray
            .chunks_exact(CELLS as usize + 1)
            .flat_map(|row| row.windows(2).map(|pair| pair[0] > pair[1]).collect::<Vec<_>>())
            .collect();
        bits.chunks(4)
            .map(|four| four.iter().fold(0, |digit, bit| digit << 1 | u32::from(*bit)))
            .filter_map(|digit| char::from_digit(digit, 16))
            .collect()
    }
}

fn fits(width: usize, height: usize) -> Result<(), Why> {
    let pixels = (width as u64).checked_mul(height as u64).filter(|pixels| *pixels <= PIXELS);
    pixels.map(|_| ()).ok_or("has more pixels than are decoded")
}

fn png(bytes: &[u8]) -> Result<Raster, Why> {
    const BROKEN: Why = "is no PNG that can be decoded";
    let mut decoder = ::png::Decoder::new(Cursor::new(bytes));
    decoder.set_transformations(::png::Transformations::EXPAND | ::png::Transformations::STRIP_16);
    let mut reader = decoder.read_info().map_err(|_| BROKEN)?;
    let info = reader.info();
    fits(info.width as usize, info.height as usize)?;
    let mut data = vec![0; reader.output_buffer_size().ok_or("is too large")?];
    let frame = reader.next_frame(&mut data).map_err(|_| BROKEN)?;
    data.truncate(frame.buffer_size());
    Raster::of(frame.width as usize, frame.height as usize, frame.color_type.samples(), &data)
}

fn jpeg(bytes: &[u8]) -> Result<Raster, Why> {
    use zune_jpeg::zune_core::bytestream::ZCursor;
    use zune_jpeg::zune_core::colorspace::ColorSpace;
    use zune_jpeg::zune_core::options::DecoderOptions;
    const BROKEN: Why = "is no JPEG that can be decoded";
    let options = DecoderOptions::default().jpeg_set_out_colorspace(ColorSpace::RGB);
    let mut decoder = zune_jpeg::JpegDecoder::new_with_options(ZCursor::new(bytes), options);
    decoder.decode_headers().map_err(|_| BROKEN)?;
    let (width, height) = decoder.dimensions().ok_or(BROKEN)?;
    fits(width, height)?;
    let data = decoder.decode().map_err(|_| BROKEN)?;
    Raster::of(width, height, 3, &data)
}

fn webp(bytes: &[u8]) -> Result<Raster, Why> {
    const BROKEN: Why = "is no WebP that can be decoded";
    let mut decoder = image_webp::WebPDecoder::new(Cursor::new(bytes)).map_err(|_| BROKEN)?;
    let (width, height) = decoder.dimensions();
    fits(width as usize, height as usize)?;
    let channels = if decoder.has_alpha() { 4 } else { 3 };
    let mut data = vec![0; decoder.output_buffer_size().ok_or("is too large")?];
    decoder.read_image(&mut data).map_err(|_| BROKEN)?;
    Raster::of(width as usize, height as usize, channels, &data)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// A picture whose brightness is a function of where it is, from 0 to 1 across and down.
    fn drawn(width: u32, height: u32, shade: impl Fn(f64, f64) -> f64) -> Raster {
        let pixels = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
        let pixels = pixels.flat_map(|(x, y)| {
            #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "from 0 to 255")]
            let gray =
                (shade(f64::from(x) / f64::from(height), f64::from(y) / f64::from(height)) * 255.0) as u8;
            [gray, gray / 2, 255 - gray, 255]
        });
        Raster { width, height, pixels: pixels.collect() }
    }

    fn waves(shift: f64) -> impl Fn(f64, f64) -> f64 {
        move |x, y| ((x - shift) * 9.0).sin().mul_add(0.25, (y * 7.0 + x * x).cos() * 0.25) + 0.5
    }

    fn encoded(of: &Raster) -> Vec<u8> {
        let mut bytes = Vec::new();
        let mut encoder = ::png::Encoder::new(&mut bytes, of.width, of.height);
        encoder.set_color(::png::ColorType::Rgba);
        encoder.set_depth(::png::BitDepth::Eight);
        encoder.write_header().unwrap().write_image_data(&of.pixels).unwrap();
        bytes
    }

    fn bits(one: &str, other: &str) -> u32 {
        let digit = |c: char| c.to_digit(16).unwrap();
        one.chars().zip(other.chars()).map(|(a, b)| (digit(a) ^ digit(b)).count_ones()).sum()
    }

    #[test]
    fn a_picture_stays_itself_when_it_is_scaled_cut_and_compressed_and_another_does_not() {
        let wide = drawn(640, 360, waves(0.0));
        let small = wide.whole((320, 180));
        // The sides are cut off: the middle moves with them.
        let cut = wide.scaled((80, 0), (480, 360), (480, 360));
        let jpeg = Raster::decode("jpeg", &wide.thumbnail().unwrap()).unwrap();
        for other in [&small, &cut, &jpeg] {
            assert!(bits(&wide.likeness(), &other.likeness()) <= 12);
        }
        let different = drawn(640, 360, |x, y| (y * 13.0 - x * 3.0).sin() * 0.5 + 0.5);
        assert!(bits(&wide.likeness(), &different.likeness()) > 60);
    }

    #[test]
    fn thumbnails_fit_and_keep_their_shape() {
        for (width, height, expected) in
            [(640, 360, (320, 180)), (100, 1000, (20, 200)), (40, 30, (40, 30)), (3000, 1, (320, 1))]
        {
            let bytes = drawn(width, height, |x, _| x.fract()).thumbnail().unwrap();
            let size = imagesize::blob_size(&bytes).unwrap();
            assert_eq!((size.width, size.height), expected, "{width}x{height}");
        }
        let icon = drawn(200, 200, |x, _| x).icon().unwrap();
        assert_eq!(imagesize::blob_size(&icon).unwrap().width, 64);
    }

    #[test]
    fn what_claims_to_be_huge_is_not_decoded() {
        let mut bytes = encoded(&drawn(8, 8, |x, _| x));
        bytes[16..24].copy_from_slice(&[0, 1, 0, 0, 0, 1, 0, 0]);
        assert!(Raster::decode("png", &bytes).is_err());
        assert_eq!(Raster::decode("gif", b"GIF89a").err(), Some("is in a format that is not decoded here"));
    }

    proptest! {
        #[test]
        fn damage_ends_in_an_error_or_a_picture(
            format in prop::sample::select(vec!["png", "jpeg", "webp"]),
            changes in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 0..8),
            cut in any::<prop::sample::Index>(),
            noise in prop::collection::vec(any::<u8>(), 0..64),
        ) {
            let picture = drawn(40, 24, waves(0.3));
            let mut bytes = if format == "jpeg" { picture.thumbnail().unwrap() } else { encoded(&picture) };
            for (at, byte) in changes {
                let at = at.index(bytes.len());
                bytes[at] = byte;
            }
            _ = Raster::decode(format, &bytes);
            _ = Raster::decode(format, &bytes[..cut.index(bytes.len())]);
            _ = Raster::decode(format, &noise);
        }
    }
}
