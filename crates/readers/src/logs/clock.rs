//! Times as logs write them: local, mostly, without saying where.

use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use tally_trees::Tree;

/// Turns the local times of an install's logs into seconds since 1970 UTC.
#[derive(Debug, Clone)]
pub struct Clock {
    zone: TimeZone,
}

impl Clock {
    /// The clock of the zone that `etc/localtime` holds; UTC where there is none.
    pub(crate) fn of(tree: &dyn Tree) -> Self {
        let zone = tree.read("etc/localtime").ok().and_then(|bytes| TimeZone::tzif("local", &bytes).ok());
        Self { zone: zone.unwrap_or(TimeZone::UTC) }
    }

    /// A clock without a zone.
    pub(crate) fn utc() -> Self {
        Self { zone: TimeZone::UTC }
    }

    /// `2026-05-04 09:46:40`, `2026-05-04  09:46:40`, `2026-05-04 09:46` or `2026-05-04T09:46:40`, with `+0000` or without.
    pub(crate) fn seconds(&self, text: &[u8]) -> Option<i64> {
        let (date, rest) = text.split_at_checked(10)?;
        let time = rest.strip_prefix(b"T").unwrap_or(rest).trim_ascii();
        let number = |digits: &[u8]| -> Option<i16> { std::str::from_utf8(digits).ok()?.parse().ok() };
        let small = |digits: &[u8]| -> Option<i8> { std::str::from_utf8(digits).ok()?.parse().ok() };
        let second = if time.get(5) == Some(&b':') { small(time.get(6..8)?)? } else { 0 };
        let moment = DateTime::new(
            number(date.get(..4)?)?,
            small(date.get(5..7)?)?,
            small(date.get(8..10)?)?,
            small(time.get(..2)?)?,
            small(time.get(3..5)?)?,
            second,
            0,
        )
        .ok()?;
        let end = if time.get(5) == Some(&b':') { 8 } else { 5 };
        if let Some(offset) = time.get(end..).and_then(offset) {
            return Some(moment.to_zoned(TimeZone::UTC).ok()?.timestamp().as_second() - offset);
        }
        Some(moment.to_zoned(self.zone.clone()).ok()?.timestamp().as_second())
    }
}

/// Seconds of `+0200`, `+02:00`, `-0500` or `Z`.
fn offset(text: &[u8]) -> Option<i64> {
    let text = text.trim_ascii();
    if text == b"Z" {
        return Some(0);
    }
    let sign = match text.first()? {
        b'+' => 1,
        b'-' => -1,
        _ => return None,
    };
    let digits: Vec<i64> =
        text[1..].iter().filter(|byte| byte.is_ascii_digit()).map(|byte| i64::from(byte - b'0')).collect();
    match digits[..] {
        [a, b, c, d] => Some(sign * ((a * 10 + b) * 3600 + (c * 10 + d) * 60)),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_log_writes_times_in_its_own_way() {
        let clock = Clock::utc();
        let expected = Some(1_777_888_000);
        for text in [
            "2026-05-04 09:46:40",
            "2026-05-04  09:46:40",
            "2026-05-04T09:46:40+0000",
            "2026-05-04T11:46:40+0200",
            "2026-05-04T04:46:40-05:00",
            "2026-05-04T09:46:40Z",
        ] {
            assert_eq!(clock.seconds(text.as_bytes()), expected, "{text}");
        }
        assert_eq!(clock.seconds(b"2026-05-04 09:46"), Some(1_777_887_960));
        for text in ["", "yesterday", "2026-13-04 09:46:40", "2026-05-04", "2026-05-04 9:46"] {
            assert_eq!(clock.seconds(text.as_bytes()), None, "{text}");
        }
    }
}
