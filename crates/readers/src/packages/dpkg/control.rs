//! Control files by deb822(5): stanzas of fields, divided by empty lines.

/// One stanza: the bytes between two empty lines.
#[derive(Debug, Clone, Copy)]
pub struct Stanza<'a> {
    /// Line of its first field, counted from 1.
    pub line: u32,
    bytes: &'a [u8],
}

/// One field.
#[derive(Debug, Clone, Copy)]
pub struct Field<'a> {
    /// Line it begins on.
    pub line: u32,
    /// Its name; `None` for a line that is no field.
    pub name: Option<&'a [u8]>,
    /// Its value, continuation lines included, not trimmed.
    pub value: &'a [u8],
}

impl<'a> Field<'a> {
    /// The first line of the value, trimmed.
    pub fn first_line(&self) -> &'a [u8] {
        let end = memchr::memchr(b'\n', self.value).unwrap_or(self.value.len());
        self.value[..end].trim_ascii()
    }
}

/// Splits a control file in stanzas; lines are counted from `first_line`. Comment lines belong to no field.
pub fn stanzas(bytes: &[u8], first_line: u32) -> impl Iterator<Item = Stanza<'_>> {
    let mut rest = bytes;
    let mut line = first_line;
    std::iter::from_fn(move || {
        // Empty lines before the stanza; a line of blanks divides as well.
        loop {
            let (head, tail) = cut_line(rest)?;
            if !head.trim_ascii().is_empty() {
                break;
            }
            rest = tail;
            line += 1;
        }
        let stanza = Stanza { line, bytes: rest };
        let mut end = 0;
        while let Some((head, _)) = cut_line(&rest[end..]) {
            if head.trim_ascii().is_empty() {
                break;
            }
            end = (end + head.len() + 1).min(rest.len());
            line += 1;
        }
        let (bytes, tail) = rest.split_at(end);
        rest = tail;
        Some(Stanza { bytes, ..stanza })
    })
}

fn cut_line(bytes: &[u8]) -> Option<(&[u8], &[u8])> {
    if bytes.is_empty() {
        return None;
    }
    Some(match memchr::memchr(b'\n', bytes) {
        Some(end) => (&bytes[..end], &bytes[end + 1..]),
        None => (bytes, &[]),
    })
}

impl<'a> Stanza<'a> {
    /// The fields in their order.
    pub fn fields(&self) -> impl Iterator<Item = Field<'a>> + use<'a> {
        let mut rest = self.bytes;
        let mut line = self.line;
        std::iter::from_fn(move || {
            while let Some((head, tail)) = cut_line(rest).filter(|(head, _)| head.starts_with(b"#")) {
                rest = &rest[head.len()..];
                rest = if rest.is_empty() { rest } else { tail };
                line += 1;
            }
            if rest.is_empty() {
                return None;
            }
            let at = line;
            let mut end = 0;
            loop {
                let length = memchr::memchr(b'\n', &rest[end..]).map_or(rest.len() - end, |n| n + 1);
                end += length;
                line += 1;
                if !matches!(rest.get(end), Some(b' ' | b'\t')) {
                    break;
                }
            }
            let (field, tail) = rest.split_at(end);
            rest = tail;
            Some(split_field(field, at))
        })
    }
}

fn split_field(field: &[u8], line: u32) -> Field<'_> {
    let head = memchr::memchr(b'\n', field).unwrap_or(field.len());
    let colon = memchr::memchr(b':', &field[..head]).filter(|at| *at > 0 && is_name(&field[..*at]));
    match colon {
        Some(at) => Field { line, name: Some(&field[..at]), value: &field[at + 1..] },
        None => Field { line, name: None, value: field },
    }
}

fn is_name(bytes: &[u8]) -> bool {
    bytes.iter().all(|b| b.is_ascii_graphic())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn names(bytes: &[u8]) -> Vec<Vec<(u32, String)>> {
        let name =
            |f: Field<'_>| (f.line, f.name.map_or("?".into(), |n| String::from_utf8_lossy(n).into_owned()));
        stanzas(bytes, 1).map(|s| s.fields().map(name).collect()).collect()
    }

    #[test]
    fn lines_are_counted_through_continuations_and_comments() {
        let file = b"\n\nA: 1\n more\n .\nB: 2\n# c\nC: 3\n \t\nno field\nD:4";
        let expected = vec![
            vec![(3, "A".to_owned()), (6, "B".to_owned()), (8, "C".to_owned())],
            vec![(10, "?".to_owned()), (11, "D".to_owned())],
        ];
        assert_eq!(names(file), expected);
    }

    #[test]
    fn a_value_keeps_its_continuation_lines() {
        let field = stanzas(b"Depends: a,\n b\n", 1).next().unwrap().fields().next().unwrap();
        assert_eq!(field.value, b" a,\n b\n");
        assert_eq!(field.first_line(), b"a,");
    }

    proptest! {
        #[test]
        fn any_bytes_end_and_lines_rise(bytes in "[ \\n\\ta:#]{0,60}") {
            let lines: Vec<u32> = stanzas(bytes.as_bytes(), 1).flat_map(|s| s.fields().map(|f| f.line).collect::<Vec<_>>()).collect();
            prop_assert!(lines.windows(2).all(|pair| pair[0] < pair[1]), "{:?}", lines);
            prop_assert!(lines.iter().all(|line| *line as usize <= bytes.lines().count()));
        }
    }
}
