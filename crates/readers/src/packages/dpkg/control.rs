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
    head: usize,
}

impl<'a> Field<'a> {
    /// The first line of the value, trimmed.
    pub fn first_line(&self) -> &'a [u8] {
        self.value[..self.head].trim_ascii()
    }
}

/// Splits a control file in stanzas; lines are counted from `first_line`. Comment lines belong to no field.
///
/// Only an empty line divides: a line of blanks is a continuation, as dpkg takes it.
pub fn stanzas(bytes: &[u8], first_line: u32) -> impl Iterator<Item = Stanza<'_>> {
    let divider = memchr::memmem::Finder::new(b"\n\n");
    let mut rest = bytes;
    let mut line = first_line;
    std::iter::from_fn(move || {
        while let Some(tail) = rest.strip_prefix(b"\n") {
            rest = tail;
            line += 1;
        }
        if rest.is_empty() {
            return None;
        }
        let end = divider.find(rest).map_or(rest.len(), |at| at + 1);
        let (bytes, tail) = rest.split_at(end);
        let stanza = Stanza { line, bytes };
        rest = tail;
        line =
            line.saturating_add(u32::try_from(memchr::memchr_iter(b'\n', bytes).count()).unwrap_or(u32::MAX));
        Some(stanza)
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
            while rest.first() == Some(&b'#') {
                rest = cut_line(rest).map_or(&[], |(_, tail)| tail);
                line += 1;
            }
            if rest.is_empty() {
                return None;
            }
            let at = line;
            let (mut head, mut end) = (None, 0);
            loop {
                let length = memchr::memchr(b'\n', &rest[end..]).unwrap_or(rest.len() - end);
                head.get_or_insert(length);
                end = (end + length + 1).min(rest.len());
                line += 1;
                if !matches!(rest.get(end), Some(b' ' | b'\t')) {
                    break;
                }
            }
            let (field, tail) = rest.split_at(end);
            rest = tail;
            Some(split_field(field, head.unwrap_or(end), at))
        })
    }
}

/// `head` is the length of the first line.
fn split_field(field: &[u8], head: usize, line: u32) -> Field<'_> {
    let colon =
        field[..head].iter().position(|byte| *byte == b':').filter(|at| *at > 0 && is_name(&field[..*at]));
    match colon {
        Some(at) => Field { line, name: Some(&field[..at]), value: &field[at + 1..], head: head - at - 1 },
        None => Field { line, name: None, value: field, head },
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
        let file = b"\n\nA: 1\n more\n .\nB: 2\n# c\nC: 3\n \t\n\nno field\nD:4";
        let expected = vec![
            vec![(3, "A".to_owned()), (6, "B".to_owned()), (8, "C".to_owned())],
            vec![(11, "?".to_owned()), (12, "D".to_owned())],
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
