//! Sort keys: bytes whose plain order is the order of the versions they are made of, so that any engine can sort and compare by them.

/// Bytes that are written piece by piece. No piece is the beginning of another one of its kind.
#[derive(Debug, Default)]
pub(super) struct Key(Vec<u8>);

/// The next thing of an endless row in which nothing but a default comes after the end.
pub(super) enum Sign {
    /// Before the default.
    Below,
    /// Behind the default.
    Above,
}

impl Key {
    pub(super) fn done(self) -> Vec<u8> {
        self.0
    }

    /// A byte that tells which sort of piece follows.
    pub(super) fn mark(mut self, mark: u8) -> Self {
        self.0.push(mark);
        self
    }

    /// Digits as a number of any length; none are 0.
    pub(super) fn number(mut self, digits: &[u8]) -> Self {
        let zeros = digits.iter().position(|digit| *digit != b'0').unwrap_or(digits.len());
        let digits = &digits[zeros..];
        match u8::try_from(digits.len()).ok().filter(|length| *length < u8::MAX) {
            Some(length) => self.0.push(length),
            None => {
                self.0.push(u8::MAX);
                self.0.extend((digits.len() as u64).to_be_bytes());
            }
        }
        self.0.extend_from_slice(digits);
        self
    }

    /// Bytes as they are, and an end that is before all other bytes.
    pub(super) fn bytes(mut self, bytes: impl IntoIterator<Item = u8>) -> Self {
        for byte in bytes {
            self.0.push(byte);
            if byte == 0 {
                self.0.push(u8::MAX);
            }
        }
        self.0.extend([0, 0]);
        self
    }

    /// A whole number.
    pub(super) fn whole(mut self, number: i128) -> Self {
        self.0.extend(number.wrapping_sub(i128::MIN).to_be_bytes());
        self
    }

    /// After so many defaults something else follows: the fewer they are, the further it is from the default.
    pub(super) fn after(mut self, defaults: u32, sign: &Sign) -> Self {
        match sign {
            Sign::Below => {
                self.0.push(0x20);
                self.0.extend(defaults.to_be_bytes());
            }
            Sign::Above => {
                self.0.push(0x80);
                self.0.extend((u32::MAX - defaults).to_be_bytes());
            }
        }
        self
    }

    /// Nothing but defaults follow.
    pub(super) fn all_default(self) -> Self {
        self.mark(0x50)
    }
}

/// The sort key of a version that belongs to no package system.
pub fn plain_sort_key(version: &str) -> String {
    sort_key(super::plain::key, version)
}

/// The key of a version in the order of a package system, as lower-case hexadecimal digits: their order as text is the same.
pub(crate) fn sort_key(key: fn(&str) -> Vec<u8>, version: &str) -> String {
    const DIGITS: &[u8; 16] = b"0123456789abcdef";
    let digits = |byte: u8| [byte >> 4, byte & 15].map(|digit| char::from(DIGITS[usize::from(digit)]));
    key(version).into_iter().flat_map(digits).collect()
}

#[cfg(test)]
mod tests {
    use crate::model::System;
    use crate::systems::{order, sort_key};
    use proptest::prelude::*;

    /// Versions as they come and as they never should.
    fn versions() -> impl Strategy<Value = String> {
        prop_oneof![
            4 => "([0-2]:)?[0-2]?([.~^+_-]?([0-2]|00|10|a|b|z|rc|alpha|beta|pre|pl|p|r|git)){0,5}([_-]r?[0-2])?(,[0-2])?",
            2 => "[0-9]{1,3}([.][0-9]{1,3}){0,3}(-[0-9]{1,2})?",
            1 => "[ -~]{0,8}",
            1 => "\\PC{0,5}",
        ]
    }

    /// A version and another one that is not far from it.
    fn pairs() -> impl Strategy<Value = (String, String)> {
        let near = |(version, at, with): (String, prop::sample::Index, String)| {
            let places: Vec<usize> =
                version.char_indices().map(|(at, _)| at).chain([version.len()]).collect();
            let at = places[at.index(places.len())];
            let mut other = version.clone();
            other.insert_str(at, &with);
            (version, other)
        };
        prop_oneof![
            1 => (versions(), versions()),
            2 => (versions(), any::<prop::sample::Index>(), "[0-1a.~^+_,-]{1,2}|rc|alpha|pre|\\*").prop_map(near),
        ]
    }

    #[test]
    fn keys_read_as_text_have_the_same_order() {
        let key = |version: &str| sort_key(System::Dpkg, version);
        let rising = ["0.9", "1.0~rc1", "1.0", "1.0-1", "1.0+b1", "1.0.1", "1.10", "1:0.1"];
        for pair in rising.windows(2) {
            assert!(key(pair[0]) < key(pair[1]), "{} {}", pair[0], pair[1]);
        }
        assert_eq!(key("1.0"), key("0:1.0-0"));
    }

    proptest! {
        #[test]
        fn the_order_of_keys_is_the_order_of_versions((a, b) in pairs()) {
            for system in System::ALL {
                let (one, other) = (sort_key(*system, &a), sort_key(*system, &b));
                prop_assert_eq!(one.cmp(&other), order(*system, &a, &b), "{} {:?} {:?} {} {}", system, a, b, one, other);
            }
        }
    }
}
