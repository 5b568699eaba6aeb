//! LVM2: a physical volume whose metadata, in text, say where its logical volumes are: in one piece, in several, or striped.

use crate::ReadAt;
use crate::inodes::{Run, by_runs};
use crate::num::{le32, le64};
use std::collections::BTreeMap;
use std::io::{self, ErrorKind};
use std::sync::Arc;

const SECTOR: u64 = 512;
/// Bytes of the text of the metadata.
const TEXT_LIMIT: u64 = 16 << 20;
/// Sections that are inside one another.
const DEPTH: usize = 16;
/// Logical volumes, and pieces of one.
const VOLUMES: usize = 256;
const SEGMENTS: usize = 10_000;
/// Bytes of the head of an area of metadata, behind which the text goes on where it came to the end.
const AREA_HEAD: u64 = 512;

fn damaged(why: &str) -> io::Error {
    io::Error::new(ErrorKind::InvalidData, format!("damaged LVM: {why}"))
}

/// The place of the label, in one of the first four sectors.
fn label(head: &[u8]) -> Option<usize> {
    [0_usize, 512, 1024, 1536].into_iter().find(|at| {
        let label = head.get(*at..).unwrap_or_default();
        label.starts_with(b"LABELONE") && label.get(24..32) == Some(b"LVM2 001")
    })
}

/// Whether so begins a physical volume.
pub(crate) fn begins(head: &[u8]) -> bool {
    label(head).is_some()
}

/// The logical volumes of a physical one that are on it as a whole, by their names `vg/lv`.
///
/// # Errors
/// When it is damaged; where none is on it as a whole, because of what.
pub(crate) fn open(device: &Arc<dyn ReadAt>) -> io::Result<Vec<(String, Arc<dyn ReadAt>)>> {
    let head = device.exactly(0, 4096).map_err(|_| damaged("it is cut off"))?;
    let at = label(&head).ok_or_else(|| damaged("it has no label"))?;
    let header = at.saturating_add(le32(&head, at.saturating_add(20)) as usize);
    let id = head.get(header..header.saturating_add(32)).ok_or_else(|| damaged("its header is cut off"))?;
    let id = String::from_utf8_lossy(id).into_owned();
    let text = text_of(device.as_ref(), &head, header.saturating_add(40))?;
    let root = Section::parse(&text)?;
    let (group, group_name) = root
        .sections
        .iter()
        .find(|(_, section)| section.sections.contains_key("physical_volumes"))
        .map(|(name, section)| (section, name.clone()))
        .ok_or_else(|| damaged("its metadata name no group"))?;
    let extent = group.number("extent_size").saturating_mul(SECTOR);
    if extent == 0 || extent > 1 << 40 {
        return Err(damaged("its extents have a size that none may have"));
    }
    let none = Section::default();
    let of = |name: &str| group.sections.get(name).unwrap_or(&none);
    let own = of("physical_volumes").sections.iter().find(|(_, one)| one.text("id").replace('-', "") == id);
    let (own, begin) = own
        .map(|(name, one)| (name.clone(), one.number("pe_start").saturating_mul(SECTOR)))
        .ok_or_else(|| damaged("its group does not know it"))?;
    let (mut found, mut said) = (Vec::new(), Vec::new());
    for (name, volume) in of("logical_volumes").sections.iter().take(VOLUMES) {
        let is_visible = volume.list("status").iter().any(|word| word == "VISIBLE");
        if !is_visible {
            continue;
        }
        match pieces(volume, &own, (begin, extent)) {
            Ok(pieces) => {
                let length = pieces.last().map_or(0, |last| last.begin.saturating_add(last.length));
                let bytes = Logical { device: Arc::clone(device), pieces, length };
                found.push((format!("{group_name}/{name}"), Arc::new(bytes) as Arc<dyn ReadAt>));
            }
            Err(why) => said.push(format!("`{group_name}/{name}` {why}")),
        }
    }
    if found.is_empty() {
        let why = if said.is_empty() { "has no logical volumes".to_owned() } else { said.join("; ") };
        return Err(io::Error::new(ErrorKind::Unsupported, format!("is a physical volume of LVM: {why}")));
    }
    Ok(found)
}

/// The text of the newest metadata: areas of metadata are named behind those of the data.
fn text_of(device: &dyn ReadAt, head: &[u8], first: usize) -> io::Result<String> {
    let mut at = first;
    let mut lists = 0_u8;
    while lists < 2 && at.saturating_add(16) <= head.len() {
        let (begin, size) = (le64(head, at), le64(head, at.saturating_add(8)));
        at = at.saturating_add(16);
        if begin == 0 {
            lists = lists.saturating_add(1);
            continue;
        }
        if lists == 0 {
            continue;
        }
        let Ok(area) = device.exactly(begin, 512) else { continue };
        if area.get(4..20) != Some(b" LVM2 x[5A%r0N*>") {
            continue;
        }
        let (offset, length) = (le64(&area, 40), le64(&area, 48));
        if length == 0 || length > TEXT_LIMIT || offset < AREA_HEAD || offset > size {
            continue;
        }
        let before = length.min(size.saturating_sub(offset));
        let mut text =
            device.exactly(begin.saturating_add(offset), usize::try_from(before).unwrap_or(usize::MAX))?;
        let rest = length.saturating_sub(before);
        text.extend(
            device.exactly(begin.saturating_add(AREA_HEAD), usize::try_from(rest).unwrap_or(usize::MAX))?,
        );
        return Ok(String::from_utf8_lossy(&text).into_owned());
    }
    Err(damaged("it has no metadata"))
}

/// A run of a logical volume: striped over so many places, or all at one.
#[derive(Debug)]
struct Piece {
    begin: u64,
    length: u64,
    stripe: u64,
    places: Vec<u64>,
}

impl Run for Piece {
    fn place(&self) -> (u64, u64) {
        (self.begin, self.length)
    }
}

/// The pieces of a logical volume, in their order; an error says what it is made of that is not read.
fn pieces(volume: &Section, own: &str, (begin, extent): (u64, u64)) -> Result<Vec<Piece>, String> {
    let mut found = Vec::new();
    for segment in volume
        .sections
        .iter()
        .filter(|(name, _)| name.starts_with("segment"))
        .map(|(_, one)| one)
        .take(SEGMENTS)
    {
        let sort = segment.text("type");
        if sort != "striped" && sort != "linear" {
            return Err(format!("is of the kind {sort}, which is not read"));
        }
        let mut places = Vec::new();
        for pair in segment.list("stripes").chunks(2) {
            let [name, first] = pair else { continue };
            if name != own {
                return Err("lies on several disks".to_owned());
            }
            places
                .push(begin.saturating_add(first.parse::<u64>().unwrap_or_default().saturating_mul(extent)));
        }
        let stripe = segment.number("stripe_size").saturating_mul(SECTOR);
        if places.is_empty() || places.len() > 128 || (places.len() > 1 && stripe == 0) {
            return Err("has a piece that lies nowhere".to_owned());
        }
        found.push(Piece {
            begin: segment.number("start_extent").saturating_mul(extent),
            length: segment.number("extent_count").saturating_mul(extent),
            stripe,
            places,
        });
    }
    found.sort_by_key(|piece| piece.begin);
    Ok(found)
}

/// A logical volume.
struct Logical {
    device: Arc<dyn ReadAt>,
    pieces: Vec<Piece>,
    length: u64,
}

impl ReadAt for Logical {
    fn len(&self) -> u64 {
        self.length
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        by_runs(&self.pieces, (offset, self.length), buffer, |piece, at, out| {
            let (mut at, mut rest) = (at, out);
            while !rest.is_empty() {
                let count = piece.places.len() as u64;
                // Of one place all is one stripe.
                let (number, inside, left) = if count < 2 {
                    (0, at, u64::MAX)
                } else {
                    let stripe = at.checked_div(piece.stripe).unwrap_or_default();
                    let within = at.checked_rem(piece.stripe).unwrap_or_default();
                    let row = stripe.checked_div(count).unwrap_or_default();
                    (
                        stripe.checked_rem(count).unwrap_or_default(),
                        row.saturating_mul(piece.stripe).saturating_add(within),
                        piece.stripe.saturating_sub(within),
                    )
                };
                let begin = piece
                    .places
                    .get(usize::try_from(number).unwrap_or_default())
                    .copied()
                    .unwrap_or_default();
                let most = usize::try_from(left).unwrap_or(usize::MAX).min(rest.len());
                let (out, after) = rest.split_at_mut(most);
                let read = self.device.read_at(begin.saturating_add(inside), out)?;
                if read < out.len() {
                    return Err(ErrorKind::UnexpectedEof.into());
                }
                at = at.saturating_add(most as u64);
                rest = after;
            }
            Ok(())
        })
    }
}

/// A section of the metadata: `name { key = value }`, where a value is a number, a text in quotes, or a list of either.
#[derive(Debug, Default)]
struct Section {
    values: BTreeMap<String, Vec<String>>,
    sections: BTreeMap<String, Section>,
}

impl Section {
    fn parse(text: &str) -> io::Result<Self> {
        let mut open: Vec<(String, Self)> = vec![(String::new(), Self::default())];
        let mut words = Words(text).peekable();
        let mut name = String::new();
        while let Some(word) = words.next() {
            match word {
                "{" if open.len() < DEPTH => open.push((std::mem::take(&mut name), Self::default())),
                "{" => return Err(damaged("its metadata nest too deeply")),
                "}" => {
                    let Some((name, done)) = open.pop() else { break };
                    match open.last_mut() {
                        Some((_, above)) => {
                            above.sections.insert(name, done);
                        }
                        None => return Err(damaged("its metadata close more than they open")),
                    }
                }
                "=" => {
                    let mut values = Vec::new();
                    match words.next() {
                        Some("[") => values.extend(
                            words
                                .by_ref()
                                .take_while(|word| *word != "]")
                                .filter(|word| *word != ",")
                                .map(plain),
                        ),
                        Some(value) => values.push(plain(value)),
                        None => {}
                    }
                    if let Some((_, here)) = open.last_mut() {
                        here.values.insert(std::mem::take(&mut name), values);
                    }
                }
                word => name = word.to_owned(),
            }
        }
        open.truncate(1);
        Ok(open.pop().map(|(_, root)| root).unwrap_or_default())
    }

    fn list(&self, key: &str) -> &[String] {
        self.values.get(key).map(Vec::as_slice).unwrap_or_default()
    }

    fn text(&self, key: &str) -> &str {
        self.list(key).first().map(String::as_str).unwrap_or_default()
    }

    fn number(&self, key: &str) -> u64 {
        self.text(key).parse().unwrap_or_default()
    }
}

fn plain(word: &str) -> String {
    word.trim_matches('"').to_owned()
}

/// Words of the metadata: signs, texts with their quotes, all else; without comments.
struct Words<'t>(&'t str);

impl<'t> Iterator for Words<'t> {
    type Item = &'t str;

    fn next(&mut self) -> Option<&'t str> {
        loop {
            self.0 = self.0.trim_start_matches(|c: char| c.is_whitespace() || c == '\0');
            match self.0.strip_prefix('#') {
                Some(comment) => self.0 = comment.split_once('\n').map_or("", |(_, rest)| rest),
                None => break,
            }
        }
        let first = self.0.chars().next()?;
        let end = match first {
            '"' => self.0[1..].find('"').map_or(self.0.len(), |at| at.saturating_add(2)),
            '{' | '}' | '[' | ']' | '=' | ',' => 1,
            _ => {
                self.0.find(|c: char| c.is_whitespace() || "{}[]=,#\"\0".contains(c)).unwrap_or(self.0.len())
            }
        };
        let (word, rest) = self.0.split_at(end);
        self.0 = rest;
        Some(word)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const METADATA: &str = "marsh {\nid = \"abc\" # a comment { \nextent_size = 8\nphysical_volumes {\npv0 {\nid = \"ab-cd\"\npe_start = 16\n}\n}\n\
        logical_volumes {\nroot {\nstatus = [\"READ\", \"VISIBLE\"]\nsegment1 {\nstart_extent = 0\nextent_count = 2\ntype = \"striped\"\n\
        stripe_count = 2\nstripe_size = 4\nstripes = [\n\"pv0\", 0,\n\"pv0\", 4\n]\n}\nsegment2 {\nstart_extent = 2\nextent_count = 1\ntype = \"striped\"\n\
        stripes = [\"pv0\", 9]\n}\n}\nthin {\nstatus = [\"VISIBLE\"]\nsegment1 {\ntype = \"thin\"\n}\n}\n}\n}\n";

    #[test]
    fn stripes_and_pieces_are_where_the_metadata_have_them() {
        let root = Section::parse(METADATA).unwrap();
        let volumes = &root.sections["marsh"].sections["logical_volumes"].sections;
        let place = (16 * 512, 8 * 512);
        let pieces = pieces(&volumes["root"], "pv0", place).unwrap();
        let device: Arc<[u8]> = (0..100 * 512).map(|at: usize| (at / 512) as u8).collect();
        let length = 3 * 8 * 512;
        let logical = Logical { device: Arc::new(device), pieces, length };
        let all = (&logical as &dyn ReadAt).exactly(0, 3 * 8 * 512).unwrap();
        let sectors: Vec<u8> = all.chunks(512).map(|sector| sector[0]).collect();
        assert_eq!(sectors[..8], [16, 17, 18, 19, 48, 49, 50, 51]);
        assert_eq!(sectors[8..16], [20, 21, 22, 23, 52, 53, 54, 55]);
        assert_eq!(sectors[16..], [88, 89, 90, 91, 92, 93, 94, 95]);
        assert!(super::pieces(&volumes["thin"], "pv0", place).unwrap_err().contains("thin"));
        assert!(super::pieces(&volumes["root"], "pv1", place).unwrap_err().contains("several disks"));
    }

    proptest! {
        #[test]
        fn any_text_is_metadata(text in "[a{}=\\[\\],#\" \n1]{0,80}") {
            _ = Section::parse(&text);
        }
    }
}
