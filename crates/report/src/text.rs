//! Text for people: widths, shortening, numbers, and nothing that a terminal would obey.

use std::borrow::Cow;
use std::fmt::Write;
use unicode_width::UnicodeWidthStr;

/// Replaces what a terminal or a reader's eye could be misled by: control characters, and those that turn the
/// direction of writing. Each becomes its code in angle brackets.
pub fn clean(text: &str) -> Cow<'_, str> {
    if !text.chars().any(is_unsafe) {
        return Cow::Borrowed(text);
    }
    let mut safe = String::with_capacity(text.len() + 8);
    for c in text.chars() {
        match c {
            '\n' | '\t' | '\r' => safe.push(' '),
            c if is_unsafe(c) => _ = write!(safe, "<{:04X}>", u32::from(c)),
            c => safe.push(c),
        }
    }
    Cow::Owned(safe)
}

/// JSON with the same characters as its own escapes (RFC 8259, section 7), so that a terminal that shows the file is not misled; what it
/// says stays the same.
pub(crate) fn escaped_json(json: Vec<u8>) -> Vec<u8> {
    let Ok(text) = std::str::from_utf8(&json) else { return json };
    // Beyond ASCII there is nothing but texts; within it, nothing is raw that must not be.
    let is_told = |c: char| !c.is_ascii() && is_unsafe(c);
    if !text.contains(is_told) {
        return json;
    }
    let mut safe = String::with_capacity(text.len() + 16);
    for c in text.chars() {
        if is_told(c) {
            _ = write!(safe, "\\u{:04x}", u32::from(c));
        } else {
            safe.push(c);
        }
    }
    safe.into_bytes()
}

fn is_unsafe(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{61c}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{2069}' | '\u{feff}')
}

/// Columns that a text takes on a terminal.
pub fn width(text: &str) -> usize {
    UnicodeWidthStr::width(text)
}

/// Shortens in the middle to at most `limit` columns, with one ellipsis; the end keeps a little less than the beginning, but all of
/// a last word, such as a version, that leaves a little room to the rest.
pub fn shorten(text: &str, limit: usize) -> String {
    if width(text) <= limit {
        return text.to_owned();
    }
    if limit <= 1 {
        return "…".chars().take(limit).collect();
    }
    let last_word = text.rfind(' ').map_or(0, |at| width(&text[at..]));
    let tail_columns = if last_word + 4 <= limit { last_word } else { 0 }.max((limit - 1) * 2 / 5);
    let head = take_columns(text.chars(), limit - 1 - tail_columns);
    let tail: String = take_columns(text.chars().rev(), tail_columns).chars().rev().collect();
    format!("{head}…{tail}")
}

/// Cuts at the end to at most `limit` columns.
pub(crate) fn cut(text: &str, limit: usize) -> String {
    if width(text) <= limit {
        return text.to_owned();
    }
    let head = take_columns(text.chars(), limit.saturating_sub(1));
    format!("{}…", head.trim_end())
}

fn take_columns(chars: impl Iterator<Item = char>, limit: usize) -> String {
    let mut taken = String::new();
    let mut columns = 0;
    for c in chars {
        columns += width(c.encode_utf8(&mut [0; 4]));
        if columns > limit {
            break;
        }
        taken.push(c);
    }
    taken
}

/// `1234567` becomes `1,234,567`.
pub fn thousands(n: u64) -> String {
    let digits = n.to_string();
    let mut grouped = String::with_capacity(digits.len() + digits.len() / 3);
    for (i, digit) in digits.chars().enumerate() {
        if i > 0 && (digits.len() - i).is_multiple_of(3) {
            grouped.push(',');
        }
        grouped.push(digit);
    }
    grouped
}

/// A count with its noun: `1 package`, `2,114 packages`. A noun in `-y` becomes `-ies`.
pub fn count_of(n: u64, noun: &str) -> String {
    let number = thousands(n);
    if n == 1 {
        return format!("{number} {noun}");
    }
    match noun.strip_suffix('y').filter(|stem| !stem.ends_with(['a', 'e', 'o', 'u'])) {
        Some(stem) => format!("{number} {stem}ies"),
        None => format!("{number} {noun}s"),
    }
}

pub use tally_core::model::bytes_human;

/// A measured figure with its unit (`bytes`, `seconds` or `count`).
pub(crate) fn figure(value: f64, unit: &str) -> String {
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "casts of floats saturate")]
    let whole = value.max(0.0).round() as u64;
    match unit {
        "bytes" => bytes_human(whole),
        "seconds" if whole >= 120 => format!("{} min {} s", whole / 60, whole % 60),
        "seconds" => format!("{} s", (value * 10.0).round() / 10.0),
        "days" => count_of(whole, "day"),
        _ if value.fract() == 0.0 => thousands(whole),
        _ => format!("{value:.2}"),
    }
}

/// Megabytes with one decimal, for a column that states its unit: `12.3`.
pub(crate) fn megabytes(bytes: u64) -> String {
    let tenths = (u128::from(bytes) + 50_000) / 100_000;
    format!("{}.{}", thousands(u64::try_from(tenths / 10).unwrap_or(u64::MAX)), tenths % 10)
}

/// A difference of bytes with its sign: `+12 MB`, `-1.1 GB`, `0 B`.
pub(crate) fn bytes_signed(delta: i64) -> String {
    let sign = if delta > 0 { "+" } else { "-" };
    if delta == 0 { "0 B".to_owned() } else { format!("{sign}{}", bytes_human(delta.unsigned_abs())) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn numbers_are_grouped_and_sized() {
        assert_eq!(thousands(1_234_567), "1,234,567");
        assert_eq!(thousands(999), "999");
        assert_eq!(count_of(1, "package"), "1 package");
        assert_eq!(count_of(2114, "finding"), "2,114 findings");
        assert_eq!(count_of(2, "day"), "2 days");
        for (bytes, said) in
            [(0, "0 B"), (999, "999 B"), (5_900_000_000, "5.9 GB"), (412_000_000, "412 MB"), (1050, "1.1 kB")]
        {
            assert_eq!(bytes_human(bytes), said);
        }
        assert_eq!(megabytes(12_345_678), "12.3");
        assert_eq!(bytes_signed(-180_000_000), "-180 MB");
    }

    #[test]
    fn nothing_reaches_a_terminal_that_it_would_obey() {
        assert_eq!(clean("a\u{1b}[31mb"), "a<001B>[31mb");
        assert_eq!(clean("a\u{202e}b\nc"), "a<202E>b c");
        assert!(matches!(clean("plain é 漢"), Cow::Borrowed(_)));
    }

    proptest! {
        #[test]
        fn shortening_keeps_the_limit(text in "\\PC{0,40}", limit in 0_usize..30) {
            prop_assert!(width(&shorten(&text, limit)) <= limit.max(width(&text).min(limit)));
            prop_assert!(width(&cut(&text, limit.max(1))) <= limit.max(1));
        }

        #[test]
        fn cleaned_text_has_no_control_characters(text in any::<String>()) {
            prop_assert!(!clean(&text).chars().any(is_unsafe));
        }
    }
}
