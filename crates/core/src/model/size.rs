/// Reads a size: a number, with or without a unit (`4GB`, `512MiB`, `1000`). Units of ten have B, those of two iB.
///
/// # Errors
/// What is wrong, in words: no number, or none between 0 and a million TB.
pub fn bytes_of(text: &str) -> Result<u64, String> {
    const UNITS: [(&str, f64); 11] = [
        ("KiB", 1024.0),
        ("MiB", 1_048_576.0),
        ("GiB", 1_073_741_824.0),
        ("TiB", 1_099_511_627_776.0),
        ("kB", 1e3),
        ("KB", 1e3),
        ("MB", 1e6),
        ("GB", 1e9),
        ("TB", 1e12),
        ("B", 1.0),
        ("", 1.0),
    ];
    let unit = UNITS.iter().find(|(unit, _)| text.ends_with(unit)).copied().unwrap_or(("", 1.0));
    let number: f64 = text[..text.len() - unit.0.len()]
        .trim()
        .parse()
        .map_err(|_| "not a size such as 4GB or 512MiB".to_owned())?;
    let bytes = number * unit.1;
    if !bytes.is_finite() || !(0.0..=1e18).contains(&bytes) {
        return Err("not a size between 0 and 1000000 TB".into());
    }
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "the range was checked")]
    Ok(bytes as u64)
}

/// Bytes in the largest decimal unit that keeps a figure before the point: `5.9 GB`, `412 MB`, `0 B`.
pub fn bytes_human(bytes: u64) -> String {
    const UNITS: [(&str, u64); 4] =
        [("TB", 1_000_000_000_000), ("GB", 1_000_000_000), ("MB", 1_000_000), ("kB", 1000)];
    for (unit, size) in UNITS {
        // What rounds up to a thousand of the unit below is one of this.
        if bytes >= size - size / 2000 {
            let (bytes, size) = (u128::from(bytes), u128::from(size));
            let tenths = (bytes * 10 + size / 2) / size;
            return if tenths < 100 {
                format!("{}.{} {unit}", tenths / 10, tenths % 10)
            } else {
                format!("{} {unit}", (bytes + size / 2) / size)
            };
        }
    }
    format!("{bytes} B")
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn the_largest_unit_that_keeps_a_figure_before_the_point() {
        for (bytes, expected) in [
            (0, "0 B"),
            (999, "999 B"),
            (1000, "1.0 kB"),
            (9_949, "9.9 kB"),
            (9_950, "10 kB"),
            (999_499, "999 kB"),
            (999_500, "1.0 MB"),
            (999_999_999, "1.0 GB"),
            (5_940_000_000, "5.9 GB"),
            (412_000_000, "412 MB"),
            (u64::MAX, "18446744 TB"),
        ] {
            assert_eq!(bytes_human(bytes), expected, "{bytes}");
        }
    }

    proptest! {
        #[test]
        fn what_is_told_is_read_as_nearly_the_same(bytes in prop_oneof![0..2_000_000_u64, 0..1_000_000_000_000_000_u64]) {
            let told = bytes_human(bytes);
            let read = bytes_of(&told.replace(' ', "")).unwrap();
            prop_assert!(read.abs_diff(bytes) <= bytes / 19, "{} for {}", told, bytes);
            let figure: f64 = told.split(' ').next().unwrap().parse().unwrap();
            prop_assert!(figure < 1000.0 || told.ends_with("TB"), "{}", told);
        }
    }
}
