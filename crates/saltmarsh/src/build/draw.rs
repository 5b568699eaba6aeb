//! Pictures of the made-up world: shores at all hours, drawn when they are asked for, and icons for its programs.

use std::collections::BTreeMap;
use std::sync::Mutex;

/// Pixels across and down of a wallpaper, as it was made first.
const SIZE: (u32, u32) = (640, 400);

/// A view of the shore: the colours of the sky above and below, of the water, of the land, where the sun is, how high the land rises.
struct Shore {
    name: &'static str,
    above: [f64; 3],
    below: [f64; 3],
    water: [f64; 3],
    land: [f64; 3],
    sun: (f64, f64),
    rise: f64,
    seed: f64,
}

const SHORES: &[Shore] = &[
    Shore {
        name: "shore-1",
        above: [110.0, 160.0, 200.0],
        below: [225.0, 225.0, 205.0],
        water: [90.0, 140.0, 160.0],
        land: [70.0, 95.0, 70.0],
        sun: (0.5, 0.30),
        rise: 0.10,
        seed: 1.0,
    },
    Shore {
        name: "shore-2",
        above: [60.0, 110.0, 150.0],
        below: [190.0, 205.0, 205.0],
        water: [60.0, 115.0, 130.0],
        land: [45.0, 70.0, 60.0],
        sun: (0.2, 0.22),
        rise: 0.16,
        seed: 2.3,
    },
    Shore {
        name: "shore-3",
        above: [165.0, 175.0, 180.0],
        below: [215.0, 215.0, 210.0],
        water: [150.0, 160.0, 160.0],
        land: [120.0, 130.0, 120.0],
        sun: (0.8, 0.15),
        rise: 0.07,
        seed: 3.1,
    },
    Shore {
        name: "shore-4",
        above: [85.0, 130.0, 110.0],
        below: [200.0, 215.0, 160.0],
        water: [80.0, 130.0, 110.0],
        land: [50.0, 85.0, 45.0],
        sun: (0.65, 0.36),
        rise: 0.20,
        seed: 4.7,
    },
    Shore {
        name: "shore-5",
        above: [70.0, 80.0, 120.0],
        below: [170.0, 150.0, 170.0],
        water: [80.0, 85.0, 115.0],
        land: [45.0, 45.0, 65.0],
        sun: (0.35, 0.42),
        rise: 0.12,
        seed: 5.9,
    },
    Shore {
        name: "shore-6",
        above: [200.0, 170.0, 120.0],
        below: [240.0, 215.0, 170.0],
        water: [190.0, 160.0, 120.0],
        land: [120.0, 90.0, 60.0],
        sun: (0.1, 0.38),
        rise: 0.14,
        seed: 6.4,
    },
    Shore {
        name: "dawn",
        above: [70.0, 90.0, 140.0],
        below: [250.0, 170.0, 130.0],
        water: [150.0, 110.0, 120.0],
        land: [40.0, 45.0, 60.0],
        sun: (0.62, 0.48),
        rise: 0.13,
        seed: 7.2,
    },
    Shore {
        name: "dusk",
        above: [15.0, 20.0, 45.0],
        below: [120.0, 70.0, 90.0],
        water: [30.0, 30.0, 55.0],
        land: [10.0, 12.0, 22.0],
        sun: (0.30, 0.44),
        rise: 0.18,
        seed: 8.8,
    },
    Shore {
        name: "reeds",
        above: [180.0, 200.0, 190.0],
        below: [235.0, 235.0, 215.0],
        water: [130.0, 160.0, 140.0],
        land: [90.0, 120.0, 60.0],
        sun: (0.9, 0.2),
        rise: 0.26,
        seed: 9.5,
    },
];

/// Pictures by name, width and height.
type Drawn = BTreeMap<(&'static str, u32, u32), Vec<u8>>;

static DRAWN: Mutex<Drawn> = Mutex::new(BTreeMap::new());

/// The wallpapers of a package: their names, and what is in the files.
///
/// Between two releases one is cut to another shape, two stay, and three are new.
pub(super) fn wallpapers(package: &str, version: &str) -> Vec<(String, Vec<u8>)> {
    let folder = package.split('-').next().unwrap_or(package);
    let newer = package == "weir-wallpapers" && !version.starts_with('4');
    let names: &[&str] = if newer {
        &["shore-1", "shore-2", "shore-3", "dawn", "dusk", "reeds"]
    } else {
        &["shore-1", "shore-2", "shore-3", "shore-4", "shore-5", "shore-6"]
    };
    let one = |name: &&str| {
        let cut = newer && *name == "shore-1";
        let size = if cut { (534, SIZE.1) } else { SIZE };
        SHORES
            .iter()
            .find(|shore| shore.name == *name)
            .map(|shore| (format!("usr/share/backgrounds/{folder}/{name}.png"), drawn(shore, size)))
    };
    names.iter().filter_map(one).collect()
}

/// A view in a size; what is narrower than the first lacks its sides.
fn drawn(shore: &'static Shore, (width, height): (u32, u32)) -> Vec<u8> {
    let mut known = DRAWN.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
    known.entry((shore.name, width, height)).or_insert_with(|| png(shore, width, height)).clone()
}

fn png(shore: &Shore, width: u32, height: u32) -> Vec<u8> {
    let left = (SIZE.0 - width.min(SIZE.0)) / 2;
    picture((width, height), png::ColorType::Rgb, |x, y| {
        let (across, down) = (f64::from(x + left) / f64::from(SIZE.0), f64::from(y) / f64::from(SIZE.1));
        shore.colour(across, down)
    })
}

/// A PNG of pixels with as many parts, each between 0 and 255.
fn picture<const N: usize>(
    (width, height): (u32, u32),
    colours: png::ColorType,
    pixel: impl Fn(u32, u32) -> [f64; N],
) -> Vec<u8> {
    let places = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "clamped to a byte")]
    let pixels: Vec<u8> =
        places.flat_map(|(x, y)| pixel(x, y).map(|part| part.clamp(0.0, 255.0) as u8)).collect();
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, width, height);
    encoder.set_color(colours);
    encoder.set_depth(png::BitDepth::Eight);
    // Writing to memory does not fail.
    if let Ok(mut writer) = encoder.write_header() {
        _ = writer.write_image_data(&pixels);
    }
    bytes
}

impl Shore {
    fn colour(&self, x: f64, y: f64) -> [f64; 3] {
        const HORIZON: f64 = 0.56;
        let mix = |a: [f64; 3], b: [f64; 3], share: f64| -> [f64; 3] {
            std::array::from_fn(|i| b[i].mul_add(share, a[i] * (1.0 - share)))
        };
        let hills = |x: f64| {
            let waves = (x * 5.0 + self.seed).sin() * 0.5 + (x * 13.0 + self.seed * 2.0).sin() * 0.25;
            HORIZON - self.rise * (0.55 + waves * 0.5)
        };
        if y > HORIZON {
            // Streaks of light on the water, nearer ones farther apart.
            let depth = (y - HORIZON) / (1.0 - HORIZON);
            let streak = ((depth.sqrt() * 60.0).sin() * (x * 3.0 + self.seed + depth * 9.0).sin()).max(0.0);
            let glint = (1.0 - (x - self.sun.0).abs() * 3.0).max(0.0) * streak;
            return mix(mix(self.below, self.water, 0.4 + depth * 0.6), [255.0; 3], glint * 0.35);
        }
        if y > hills(x) {
            let reed = (x * 240.0 + self.seed).sin() * (x * 90.0).cos();
            return mix(self.land, self.water, if reed > 0.7 { 0.3 } else { 0.0 });
        }
        let sky = mix(self.above, self.below, y / HORIZON);
        let distance = ((x - self.sun.0) * 1.6).hypot(y - self.sun.1);
        if distance < 0.055 {
            mix(sky, [255.0, 250.0, 230.0], 0.9)
        } else {
            mix(sky, [255.0, 240.0, 210.0], (0.25 - distance).max(0.0))
        }
    }
}

/// The icon of a program, 64 pixels wide: two shapes on a tile, all by its name.
pub(super) fn icon(name: &str) -> Vec<u8> {
    let hash = name.bytes().fold(17_u32, |hash, byte| hash.wrapping_mul(31).wrapping_add(u32::from(byte)));
    let hue = f64::from(hash % 360);
    let (first, second) = (hash / 360 % 4, hash / 1440 % 4);
    // How far a place lies outside of a shape around a middle, pixels.
    let outside = |kind: u32, x: f64, y: f64| match kind {
        0 => x.hypot(y) - 13.0,
        1 => x.abs().max(y.abs()) - 12.0,
        2 => (y - 11.0).max(x.abs() - (y + 13.0) * 0.55),
        _ => ((x / 8.0).sin().mul_add(7.0, y)).abs().max(x.abs() - 22.0) - 3.5,
    };
    let tile = |x: f64, y: f64| {
        let (across, down) = (((x - 32.0).abs() - 16.0).max(0.0), ((y - 32.0).abs() - 16.0).max(0.0));
        across.hypot(down) - 14.0
    };
    picture((64, 64), png::ColorType::Rgba, |x, y| {
        let (x, y) = (f64::from(x) + 0.5, f64::from(y) + 0.5);
        // Edges are soft over one pixel.
        let share = |outside: f64| (0.5 - outside).clamp(0.0, 1.0);
        let mut colour = hsl(hue, 0.38, 0.38);
        for (outside, over) in [
            (outside(first, x - 26.0, y - 26.0), hsl(hue + 40.0, 0.55, 0.78)),
            (outside(second, x - 36.0, y - 40.0), [255.0, 253.0, 246.0]),
        ] {
            let share = share(outside);
            colour = std::array::from_fn(|i| over[i].mul_add(share, colour[i] * (1.0 - share)));
        }
        [colour[0], colour[1], colour[2], 255.0 * share(tile(x, y))]
    })
}

/// A colour by its hue in degrees, its saturation and its lightness.
fn hsl(hue: f64, saturation: f64, lightness: f64) -> [f64; 3] {
    let most = saturation * lightness.min(1.0 - lightness);
    [0.0, 8.0, 4.0].map(|part| {
        let at = (part + hue / 30.0) % 12.0;
        255.0 * most.mul_add(-(at - 3.0).min(9.0 - at).clamp(-1.0, 1.0), lightness)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn two_releases_share_some_of_their_wallpapers() {
        let of = |version: &str| wallpapers("weir-wallpapers", version);
        let (old, new) = (of("4.0-1"), of("5.0-1"));
        let same = new.iter().filter(|one| old.contains(one)).count();
        assert_eq!((old.len(), new.len(), same), (6, 6, 2));
        assert!(new[0].1.starts_with(b"\x89PNG"));
        assert_ne!(icon("inkcap"), icon("dunlin"));
    }
}
