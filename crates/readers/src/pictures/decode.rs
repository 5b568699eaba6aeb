//! Pictures decoded, within bounds: thumbnails, and what they look like.
//!
//! A file may say anything of itself. What it says it measures is looked at before anything is allocated, and what does not fit is not
//! decoded. Decoders are crates in safe Rust; should one panic all the same or take too long, the picture counts as one that can't be
//! decoded.

use super::deadline::{Deadline, Undone};
use std::io::Cursor;
use tally_core::model::Text;

/// Pixels of a picture that is decoded, at most.
const PIXELS: u64 = 40_000_000;

/// The sides of a thumbnail.
const THUMBNAIL: (u32, u32) = (320, 200);
/// The sides of an icon.
const ICON: u32 = 64;
/// Pixels across or down that a picture is brought to before anything is made of it.
const REDUCED: u32 = 1280;
/// The quality of thumbnails, of 100.
const QUALITY: u8 = 78;

/// Cells across and down in which a picture is looked at for its likeness.
const CELLS: u32 = 16;
/// Parts across and down whose colours are told.
const COLOURS: u32 = 4;

/// A picture as it was decoded.
pub(super) struct Raster {
    width: u32,
    height: u32,
    /// Bytes of a pixel: gray, gray and how much it covers, colours, or colours and how much they cover.
    channels: usize,
    pixels: Vec<u8>,
}

/// A small picture: red, green, blue and how much it covers, a byte each.
struct Small {
    width: u32,
    height: u32,
    pixels: Vec<u8>,
}

/// Why a picture is not decoded.
pub(super) type Why = &'static str;

/// What is made of a picture.
pub(super) struct Made {
    /// Its thumbnail as JPEG; of an icon, a small PNG.
    pub(super) small: Option<Vec<u8>>,
    /// What it looks like; not for icons.
    pub(super) likeness: Option<String>,
}

/// Decodes a picture of a format that is told by its name, in the time that it may take, and makes of it what is kept.
pub(super) fn made_of(deadline: &Deadline, format: Text, is_icon: bool, bytes: Vec<u8>) -> Result<Made, Why> {
    let work = move || {
        let raster = Raster::decode(&format, &bytes)?;
        let small = if is_icon { raster.icon() } else { raster.thumbnail() };
        Ok(Made { small, likeness: (!is_icon).then(|| raster.likeness()) })
    };
    deadline.run(work).unwrap_or_else(|undone| {
        Err(match undone {
            Undone::Late => "takes too long to be decoded",
            Undone::NotBegun => "is not decoded: others took too long",
            Undone::Failed => "can't be decoded",
        })
    })
}

impl Raster {
    /// Decodes a picture of a format that is told by its name.
    pub(super) fn decode(format: &str, bytes: &[u8]) -> Result<Self, Why> {
        let decode: fn(&[u8]) -> Result<Self, Why> = match format {
            "png" => png,
            "jpeg" => jpeg,
            "webp" => webp,
            _ => return Err("is in a format that is not decoded here"),
        };
        decode(bytes).map(Self::reduced)
    }

    /// At most [`REDUCED`] pixels across and down: all that is made of a picture is made of that, and the whole of it is let go.
    fn reduced(self) -> Self {
        let longest = self.width.max(self.height);
        if longest <= REDUCED {
            return self;
        }
        let side = |of: u32| {
            u32::try_from(u64::from(of) * u64::from(REDUCED) / u64::from(longest)).unwrap_or(1).max(1)
        };
        let Small { width, height, pixels } = self.whole((side(self.width), side(self.height)));
        Self { width, height, channels: 4, pixels }
    }

    fn of(width: usize, height: usize, channels: usize, pixels: Vec<u8>) -> Result<Self, Why> {
        let side = |of: usize| u32::try_from(of).map_err(|_| "is too large");
        let (width, height) = (side(width)?, side(height)?);
        let bytes = u64::from(width) * u64::from(height) * channels as u64;
        let whole = bytes > 0 && pixels.len() as u64 == bytes && channels <= 4;
        if whole { Ok(Self { width, height, channels, pixels }) } else { Err("is cut off") }
    }

    /// The sums of colours, of how much they cover, and the number of the pixels of a part of a row.
    fn sum(&self, line: &[u8], sums: &mut [u64; 4]) {
        match self.channels {
            1 => {
                for gray in line {
                    let colour = u64::from(*gray) * 255;
                    sums[..3].iter_mut().for_each(|sum| *sum += colour);
                    sums[3] += 255;
                }
            }
            3 => {
                let mut own = [0_u64; 3];
                for one in line.chunks_exact(3) {
                    own[0] += u64::from(one[0]);
                    own[1] += u64::from(one[1]);
                    own[2] += u64::from(one[2]);
                }
                sums.iter_mut().zip(own).for_each(|(sum, own)| *sum += own * 255);
                sums[3] += 255 * (line.len() / 3) as u64;
            }
            channels => {
                // What does not cover has no colour.
                for one in line.chunks_exact(channels) {
                    let covers = u64::from(one[channels - 1]);
                    for (at, sum) in sums[..3].iter_mut().enumerate() {
                        *sum += u64::from(one[at.min(channels - 2)]) * covers;
                    }
                    sums[3] += covers;
                }
            }
        }
    }

    /// A part of the picture at another size: each of its pixels is the mean of those that it covers.
    fn scaled(&self, (left, top): (u32, u32), (width, height): (u32, u32), to: (u32, u32)) -> Small {
        let mut pixels = Vec::with_capacity(to.0 as usize * to.1 as usize * 4);
        let edge = |at: u32, of: u32, into: u32| (u64::from(at) * u64::from(of) / u64::from(into)) as usize;
        let range = |at: u32, of: u32, into: u32| {
            let start = edge(at, of, into);
            start..edge(at + 1, of, into).max(start + 1)
        };
        for y in 0..to.1 {
            let rows = range(y, height, to.1);
            for x in 0..to.0 {
                let columns = range(x, width, to.0);
                let mut sums = [0_u64; 4];
                for row in rows.clone() {
                    let start = (top as usize + row) * self.width as usize + left as usize + columns.start;
                    let bytes = start * self.channels..(start + columns.len()) * self.channels;
                    if let Some(line) = self.pixels.get(bytes) {
                        self.sum(line, &mut sums);
                    }
                }
                let count = (rows.len() * columns.len()) as u64;
                let mean = |sum: u64| u8::try_from(sum / sums[3].max(1)).unwrap_or(u8::MAX);
                let covers = u8::try_from(sums[3] / count.max(1)).unwrap_or(u8::MAX);
                pixels.extend([mean(sums[0]), mean(sums[1]), mean(sums[2]), covers]);
            }
        }
        Small { width: to.0, height: to.1, pixels }
    }

    fn whole(&self, to: (u32, u32)) -> Small {
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

    /// What it looks like, as hexadecimal digits: of the square in its middle, which all its cuts share, where it gets darker to the
    /// right (128 bits) and down (128 bits), and the colours of 16 parts of it (three digits each).
    pub(super) fn likeness(&self) -> String {
        let side = self.width.min(self.height);
        let corner = ((self.width - side) / 2, (self.height - side) / 2);
        let cells = |across: u32, down: u32| self.scaled(corner, (side, side), (across, down)).pixels;
        let grays = |cells: Vec<u8>| -> Vec<u32> {
            let gray = |one: &[u8]| {
                (299 * u32::from(one[0]) + 587 * u32::from(one[1]) + 114 * u32::from(one[2])) / 1000
            };
            cells.chunks_exact(4).map(gray).collect()
        };
        // What is even gets no darker, however it was compressed.
        let darker = |one: u32, next: u32| one > next + 1;
        let (across, down) = (CELLS as usize, CELLS as usize / 2);
        let right = grays(cells(CELLS + 1, CELLS / 2));
        let mut bits: Vec<bool> = (0..across * down)
            .map(|at| at / across * (across + 1) + at % across)
            .map(|at| darker(right[at], right[at + 1]))
            .collect();
        let below = grays(cells(CELLS / 2, CELLS + 1));
        bits.extend((0..across * down).map(|at| darker(below[at], below[at + down])));
        let digits =
            bits.chunks(4).map(|four| four.iter().fold(0, |digit, bit| digit << 1 | u32::from(*bit)));
        let parts = cells(COLOURS, COLOURS);
        let colours = parts
            .chunks_exact(4)
            .flat_map(|one| one[..3].iter().map(|part| u32::from(*part) / 16).collect::<Vec<_>>());
        digits.chain(colours).filter_map(|digit| char::from_digit(digit, 16)).collect()
    }
}

fn fits(width: usize, height: usize) -> Result<(), Why> {
    let pixels = (width as u64).checked_mul(height as u64).filter(|pixels| *pixels <= PIXELS);
    pixels.map(|_| ()).ok_or("has more pixels than are decoded")
}

fn png(bytes: &[u8]) -> Result<Raster, Why> {
    const BROKEN: Why = "is a broken PNG";
    let mut decoder = ::png::Decoder::new(Cursor::new(bytes));
    decoder.set_transformations(::png::Transformations::EXPAND | ::png::Transformations::STRIP_16);
    let mut reader = decoder.read_info().map_err(|_| BROKEN)?;
    let info = reader.info();
    fits(info.width as usize, info.height as usize)?;
    let mut data = vec![0; reader.output_buffer_size().ok_or("is too large")?];
    let frame = reader.next_frame(&mut data).map_err(|_| BROKEN)?;
    data.truncate(frame.buffer_size());
    Raster::of(frame.width as usize, frame.height as usize, frame.color_type.samples(), data)
}

fn jpeg(bytes: &[u8]) -> Result<Raster, Why> {
    use zune_jpeg::zune_core::bytestream::ZCursor;
    use zune_jpeg::zune_core::colorspace::ColorSpace;
    use zune_jpeg::zune_core::options::DecoderOptions;
    const BROKEN: Why = "is a broken JPEG";
    let options = DecoderOptions::default().jpeg_set_out_colorspace(ColorSpace::RGB);
    let mut decoder = zune_jpeg::JpegDecoder::new_with_options(ZCursor::new(bytes), options);
    decoder.decode_headers().map_err(|_| BROKEN)?;
    let (width, height) = decoder.dimensions().ok_or(BROKEN)?;
    fits(width, height)?;
    let data = decoder.decode().map_err(|_| BROKEN)?;
    Raster::of(width, height, 3, data)
}

fn webp(bytes: &[u8]) -> Result<Raster, Why> {
    const BROKEN: Why = "is a broken WebP";
    let mut decoder = image_webp::WebPDecoder::new(Cursor::new(bytes)).map_err(|_| BROKEN)?;
    let (width, height) = decoder.dimensions();
    fits(width as usize, height as usize)?;
    let channels = if decoder.has_alpha() { 4 } else { 3 };
    let mut data = vec![0; decoder.output_buffer_size().ok_or("is too large")?];
    decoder.read_image(&mut data).map_err(|_| BROKEN)?;
    Raster::of(width as usize, height as usize, channels, data)
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
        Raster { width, height, channels: 4, pixels: pixels.collect() }
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
        one.chars().zip(other.chars()).take(64).map(|(a, b)| (digit(a) ^ digit(b)).count_ones()).sum()
    }

    #[test]
    fn a_picture_stays_itself_when_it_is_scaled_cut_and_compressed_and_another_does_not() {
        let wide = drawn(640, 360, waves(0.0));
        let again = |small: Small| Raster {
            width: small.width,
            height: small.height,
            channels: 4,
            pixels: small.pixels,
        };
        let small = again(wide.whole((320, 180)));
        // The sides are cut off: the middle moves with them.
        let cut = again(wide.scaled((80, 0), (480, 360), (480, 360)));
        let jpeg = Raster::decode("jpeg", &wide.thumbnail().unwrap()).unwrap();
        for other in [&small, &cut, &jpeg] {
            assert!(bits(&wide.likeness(), &other.likeness()) <= 14);
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
            let cut = bytes[..cut.index(bytes.len())].to_vec();
            for bytes in [bytes, cut, noise] {
                _ = made_of(&Deadline::default(), format.into(), false, bytes);
            }
        }
    }
}
