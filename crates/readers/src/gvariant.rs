//! Values as GLib serializes them (the GVariant specification 1.0): what Flatpak and dconf store.
//!
//! Nothing is checked beyond what is asked for; a value that is no normal form yields nothing where it is broken.

/// Containers inside each other that a type may have; deeper types have no values here.
const DEEPEST: u8 = 24;
/// Members that are read of one container.
const MEMBERS: usize = 1 << 20;
/// Bytes of a value that is printed: 1 MiB.
const PRINTED: usize = 1 << 20;
/// Bytes of a type that a value brings with it, as D-Bus allows them.
const TYPE: usize = 255;

/// A value: its type, and its bytes, numbers little-endian.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Variant<'a> {
    kind: &'a [u8],
    data: &'a [u8],
}

/// How a type is laid out in memory: its alignment, its size where all its values have one, and the bytes its own name takes.
#[derive(Debug, Clone, Copy)]
struct Shape {
    align: usize,
    fixed: Option<usize>,
    name: usize,
}

impl<'a> Variant<'a> {
    /// A value of a type, as `(ssasta{sv})`.
    pub(crate) const fn new(kind: &'a [u8], data: &'a [u8]) -> Self {
        Self { kind, data }
    }

    /// A value that brings its type with it: its bytes, a zero, and the type (`v`).
    pub(crate) fn boxed(data: &'a [u8]) -> Option<Self> {
        let at = data.iter().rposition(|byte| *byte == 0)?;
        let kind = data.get(at + 1..).filter(|kind| kind.len() <= TYPE)?;
        Some(Self { kind, data: data.get(..at)? })
    }

    /// A string, an object path or a signature, without the zero that ends it.
    pub(crate) fn text(self) -> Option<&'a str> {
        let bytes = self.data.strip_suffix(&[0])?;
        matches!(self.kind, b"s" | b"o" | b"g").then(|| std::str::from_utf8(bytes).ok()).flatten()
    }

    /// A number without a sign, or the bits of one with a sign, of 8 bytes.
    pub(crate) fn word(self) -> Option<u64> {
        matches!(self.kind, b"t" | b"x")
            .then(|| Some(u64::from_le_bytes(self.data.try_into().ok()?)))
            .flatten()
    }

    /// What a value of type `v` holds.
    pub(crate) fn inner(self) -> Option<Self> {
        (self.kind == b"v").then(|| Self::boxed(self.data)).flatten()
    }

    /// As key files write it, down to the deepest type that has values; strings as they are, between quotes. A value of more than 1 MiB
    /// is not printed.
    pub(crate) fn printed(self) -> Option<String> {
        if self.data.len() > PRINTED { None } else { self.print(0) }
    }

    fn print(self, depth: u8) -> Option<String> {
        let signed = |bytes: usize| {
            let value = self.data.iter().rev().fold(0_u64, |sum, byte| sum << 8 | u64::from(*byte));
            let unused = 64 - 8 * bytes;
            (self.data.len() == bytes).then(|| (value << unused).cast_signed() >> unused)
        };
        let size = shape(self.kind, 0)?.fixed;
        let list = |open: char, close: char| -> Option<String> {
            if depth >= DEEPEST {
                return None;
            }
            let items: Option<Vec<String>> =
                self.items().into_iter().map(|one| one.print(depth + 1)).collect();
            Some(format!("{open}{}{close}", items?.join(", ")))
        };
        match self.kind.first()? {
            b'b' => Some((*self.data.first()? != 0).to_string()),
            b'y' | b'q' | b'u' | b't' | b'h' => {
                let value = self.data.iter().rev().fold(0_u64, |sum, byte| sum << 8 | u64::from(*byte));
                (size == Some(self.data.len())).then(|| value.to_string())
            }
            b'n' | b'i' | b'x' => signed(size?).map(|value| value.to_string()),
            b'd' => Some(f64::from_le_bytes(self.data.try_into().ok()?).to_string()),
            b's' | b'o' | b'g' => self.text().map(|text| format!("'{text}'")),
            b'a' => list('[', ']'),
            b'(' => list('(', ')'),
            _ => None,
        }
    }

    /// The members of a tuple, an entry of a dictionary, or an array, as far as they can be read.
    pub(crate) fn items(self) -> Vec<Self> {
        match self.kind.first() {
            Some(b'a') => self.elements().unwrap_or_default(),
            Some(b'(' | b'{') => self.members(),
            _ => Vec::new(),
        }
    }

    /// The bytes of an offset in a container of this size.
    const fn offset_size(&self) -> usize {
        match self.data.len() {
            0..=0xff => 1,
            0x100..=0xffff => 2,
            0x1_0000..=0xffff_ffff => 4,
            _ => 8,
        }
    }

    /// The offset that ends at a place of the container.
    fn offset(&self, end: usize) -> Option<usize> {
        let bytes = self.data.get(end.checked_sub(self.offset_size())?..end)?;
        let value = bytes.iter().rev().fold(0_u64, |sum, byte| sum << 8 | u64::from(*byte));
        usize::try_from(value).ok().filter(|offset| *offset <= self.data.len())
    }

    fn elements(self) -> Option<Vec<Self>> {
        let kind = self.kind.get(1..)?;
        let shape = shape(kind, 0)?;
        if self.data.is_empty() {
            return None;
        }
        if let Some(size) = shape.fixed {
            let data = self.data.chunks_exact(size.max(1)).take(MEMBERS);
            return Some(data.map(|data| Self { kind, data }).collect());
        }
        let length = self.offset_size();
        let table = self.offset(self.data.len())?;
        let mut start = 0_usize;
        let mut elements = Vec::new();
        for end in (table..self.data.len()).step_by(length).take(MEMBERS) {
            let end = self.offset(end.checked_add(length)?)?;
            let from = start.next_multiple_of(shape.align);
            let Some(data) = self.data.get(from..end) else { break };
            elements.push(Self { kind, data });
            start = end;
        }
        Some(elements)
    }

    fn members(self) -> Vec<Self> {
        let mut members = Vec::new();
        let mut kinds = self.kind.get(1..self.kind.len().saturating_sub(1)).unwrap_or_default();
        let (mut start, mut frame) = (0_usize, self.data.len());
        while let Some(shape) = shape(kinds, 0) {
            let (kind, rest) = kinds.split_at(shape.name);
            start = start.next_multiple_of(shape.align);
            let end = match shape.fixed {
                Some(size) => start.checked_add(size),
                None if rest.is_empty() => Some(frame),
                None => {
                    let end = self.offset(frame);
                    frame = frame.saturating_sub(self.offset_size());
                    end
                }
            };
            let Some(data) = end.and_then(|end| self.data.get(start..end)) else { break };
            members.push(Self { kind, data });
            (start, kinds) = (end.unwrap_or(start), rest);
        }
        members
    }
}

/// The shape of the first type of a list of types.
fn shape(kinds: &[u8], depth: u8) -> Option<Shape> {
    let basic = |size: usize| Some(Shape { align: size, fixed: Some(size), name: 1 });
    match *kinds.first()? {
        b'b' | b'y' => basic(1),
        b'n' | b'q' => basic(2),
        b'i' | b'u' | b'h' => basic(4),
        b'x' | b't' | b'd' => basic(8),
        b's' | b'o' | b'g' => Some(Shape { align: 1, fixed: None, name: 1 }),
        b'v' => Some(Shape { align: 8, fixed: None, name: 1 }),
        _ if depth >= DEEPEST => None,
        b'a' | b'm' => {
            let of = shape(kinds.get(1..)?, depth + 1)?;
            Some(Shape { align: of.align, fixed: None, name: of.name.checked_add(1)? })
        }
        open @ (b'(' | b'{') => {
            let close = if open == b'(' { b')' } else { b'}' };
            let (mut align, mut size, mut name) = (1, Some(0_usize), 1);
            while *kinds.get(name)? != close {
                let member = shape(kinds.get(name..)?, depth + 1)?;
                align = align.max(member.align);
                size =
                    size.zip(member.fixed).map(|(size, fixed)| size.next_multiple_of(member.align) + fixed);
                name += member.name;
            }
            // A tuple without members takes one byte.
            let fixed = size.map(|size| size.next_multiple_of(align).max(1));
            Some(Shape { align, fixed, name: name + 1 })
        }
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// The examples that the specification ends with.
    #[test]
    fn examples_of_the_specification() {
        let texts = |variant: Variant<'_>| -> Vec<String> {
            variant.items().into_iter().filter_map(|item| item.text().map(Into::into)).collect()
        };
        assert_eq!(Variant::new(b"s", b"hello world\0").text(), Some("hello world"));
        let list = b"i\0can\0has\0strings?\0\x02\x06\x0a\x13";
        assert_eq!(texts(Variant::new(b"as", list)), ["i", "can", "has", "strings?"]);
        let structure = Variant::new(b"(si)", b"foo\0\xff\xff\xff\xff\x04").items();
        assert_eq!((structure[0].text(), structure[1].data), (Some("foo"), &b"\xff\xff\xff\xff"[..]));
        let entry = Variant::new(b"{si}", b"a key\0\0\0\x02\x02\0\0\x06").items();
        assert_eq!((entry[0].text(), entry[1].data), (Some("a key"), &b"\x02\x02\0\0"[..]));
        let pairs = b"hi\0\0\xfe\xff\0\0\x03\0\0\0bye\0\xff\xff\0\0\x04\x09\x15";
        let pairs = Variant::new(b"a(si)", pairs).items();
        assert_eq!(
            pairs.iter().map(|pair| pair.items()[0].text()).collect::<Vec<_>>(),
            [Some("hi"), Some("bye")]
        );
        assert_eq!(Variant::new(b"v", b"hi\0\0s").inner().and_then(Variant::text), Some("hi"));
        let numbers = Variant::new(b"ai", b"\x04\0\0\0\x02\x01\0\0").items();
        assert_eq!(numbers.len(), 2);
    }

    proptest! {
        #[test]
        fn any_bytes_of_any_type_end(kind in "[abnsvmxt(){}]{0,24}", data in prop::collection::vec(any::<u8>(), 0..200)) {
            let mut open = vec![Variant::new(kind.as_bytes(), &data)];
            for _ in 0..200 {
                let Some(next) = open.pop() else { break };
                let _ = (next.text(), next.word());
                open.extend(next.items());
                open.extend(next.inner());
            }
        }
    }
}
