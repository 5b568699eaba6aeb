//! XML as a package database keeps it: elements one after another, each with the texts that are in it. Nothing is built
//! in memory, entities beyond the five of XML itself are not resolved, and nesting has an end.

use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use std::io::BufRead;
use tally_core::model::Text;
use tally_trees::shielded;

/// Elements that may be inside one another.
const DEPTH_LIMIT: usize = 64;

/// A step through a document. Paths name the elements from the root down to the one that is meant.
#[derive(Debug)]
pub(crate) enum Step<'a> {
    /// An element begins.
    Open { path: &'a [Text], attributes: &'a [(Text, Text)] },
    /// An element ends; the text that stood in it since the last step.
    Close { path: &'a [Text], text: &'a str },
}

/// Why a document was not read to its end: the line, and what is wrong there.
#[derive(Debug, PartialEq, Eq)]
pub(crate) struct XmlError {
    pub(crate) line: u32,
    pub(crate) why: String,
}

/// Goes through a document and calls `visit` at every step; what comes before an error was visited.
pub(crate) fn walk(bytes: &[u8], visit: impl FnMut(Step<'_>)) -> Result<(), XmlError> {
    walk_stream(bytes, visit).map_err(|(at, why)| {
        let before = &bytes[..usize::try_from(at).unwrap_or(usize::MAX).min(bytes.len())];
        let line = before.iter().filter(|byte| **byte == b'\n').count() + 1;
        XmlError { line: u32::try_from(line).unwrap_or(u32::MAX), why }
    })
}

/// The same of a document that is too long to be held; where it ends too early, at which byte, and why.
pub(crate) fn walk_stream(from: impl BufRead, mut visit: impl FnMut(Step<'_>)) -> Result<(), (u64, String)> {
    shielded(|| steps(from, &mut visit)).unwrap_or_else(|why| Err((0, why)))
}

fn steps(from: impl BufRead, visit: &mut dyn FnMut(Step<'_>)) -> Result<(), (u64, String)> {
    let mut reader = Reader::from_reader(from);
    let mut path: Vec<Text> = Vec::new();
    let mut inside = String::new();
    let mut buffer = Vec::new();
    let fail = |at: u64, why: String| Err((at, why));
    loop {
        buffer.clear();
        let event = match reader.read_event_into(&mut buffer) {
            Ok(event) => event,
            Err(error) => return fail(reader.error_position(), error.to_string()),
        };
        match event {
            Event::Start(tag) => {
                if path.len() == DEPTH_LIMIT {
                    return fail(
                        reader.buffer_position(),
                        format!("nests deeper than {DEPTH_LIMIT} elements"),
                    );
                }
                path.push(tag.name().as_ref().into());
                visit(Step::Open { path: &path, attributes: &attributes(&tag) });
                inside.clear();
            }
            Event::Empty(tag) => {
                path.push(tag.name().as_ref().into());
                visit(Step::Open { path: &path, attributes: &attributes(&tag) });
                visit(Step::Close { path: &path, text: "" });
                path.pop();
                inside.clear();
            }
            Event::End(_) => {
                visit(Step::Close { path: &path, text: inside.trim() });
                path.pop();
                inside.clear();
            }
            Event::Text(text) => inside.push_str(&text),
            Event::CData(text) => inside.push_str(&text),
            Event::GeneralRef(name) => match name.resolve_char_ref() {
                Ok(Some(character)) => inside.push(character),
                _ => inside.push_str(quick_xml::escape::resolve_xml_entity(&name).unwrap_or_default()),
            },
            Event::Eof if path.is_empty() => return Ok(()),
            Event::Eof => return fail(u64::MAX, "is cut off".to_owned()),
            _ => {}
        }
    }
}

/// The attributes of a tag, by what is between its angle brackets: `release version="1.2" date="2026-01-02"`.
pub(crate) fn attributes_of(tag: &[u8]) -> Vec<(Text, Text)> {
    let tag = String::from_utf8_lossy(tag);
    let content = tag.trim_end_matches('/');
    let name = content.find(|one: char| one.is_ascii_whitespace()).unwrap_or(content.len());
    shielded(|| attributes(&BytesStart::from_content(content, name))).unwrap_or_default()
}

fn attributes(tag: &BytesStart<'_>) -> Vec<(Text, Text)> {
    let good = tag.attributes().flatten();
    // An entity that is not known stays as it is written.
    let plain = |value: &str| quick_xml::escape::unescape(value).map_or_else(|_| value.into(), Text::from);
    good.map(|attribute| (attribute.key.as_ref().into(), plain(attribute.value.as_ref()))).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn texts(document: &str) -> (Vec<String>, Option<XmlError>) {
        let mut texts = Vec::new();
        let end = walk(document.as_bytes(), |step| {
            if let Step::Close { path, text } = step
                && !text.is_empty()
            {
                texts.push(format!("{}={text}", path.join("/")));
            }
        });
        (texts, end.err())
    }

    #[test]
    fn texts_with_their_paths() {
        let (said, end) = texts("<a><b>x &amp; &#121;</b><c q='1'/><d><![CDATA[<z>]]></d></a>");
        assert_eq!(said, ["a/b=x & y", "a/d=<z>"]);
        assert_eq!(end, None);
    }

    #[test]
    fn attributes_stand_without_their_entities() {
        let mut found = Vec::new();
        _ = walk(b"<a n='&lt;Alt&gt; &amp; &#x41;' m='&none;'/>", |step| {
            if let Step::Open { attributes, .. } = step {
                found.extend(attributes.iter().map(|(_, value)| value.to_string()));
            }
        });
        assert_eq!(found, ["<Alt> & A", "&none;"]);
    }

    proptest! {
        #[test]
        fn a_tag_by_itself_has_the_attributes_that_it_has_in_a_document(
            attributes in prop::collection::btree_map("[a-z][a-z:_-]{0,8}", "[ -~äß€]{0,12}", 0..6),
            is_empty in any::<bool>(),
        ) {
            let escape = |value: &str| quick_xml::escape::escape(value).into_owned();
            let written = attributes.iter().map(|(name, value)| format!(" {name}=\"{}\"", escape(value)));
            let inside = format!("release{}{}", written.collect::<String>(), if is_empty { "/" } else { "" });
            let document = format!("<{inside}>{}", if is_empty { "" } else { "</release>" });
            let mut found = Vec::new();
            walk(document.as_bytes(), |step| {
                if let Step::Open { attributes, .. } = step {
                    found = attributes.to_vec();
                }
            })
            .unwrap();
            prop_assert_eq!(found.len(), attributes.len());
            prop_assert_eq!(attributes_of(inside.as_bytes()), found);
        }

        #[test]
        fn what_is_no_tag_has_no_panic(bytes in prop::collection::vec(any::<u8>(), 0..60)) {
            attributes_of(&bytes);
        }
    }

    #[test]
    fn what_is_cut_deep_or_a_bomb_ends_in_an_error_or_in_nothing() {
        let (said, end) = texts("<a>\n<b>x</b>\n<c>");
        assert_eq!((said.len(), end.map(|end| end.line)), (1, Some(3)));
        let deep = "<a>".repeat(100_000);
        assert!(texts(&deep).1.is_some_and(|end| end.why.contains("nests deeper")));
        let bomb = "<!DOCTYPE a [<!ENTITY b \"bbbb\"><!ENTITY c \"&b;&b;\">]><a>&c;</a>";
        assert_eq!(texts(bomb).0, Vec::<String>::new());
    }

    proptest! {
        #[test]
        fn any_bytes_will_do(bytes in prop::collection::vec(any::<u8>(), 0..200), markup in "[<>a-c/&;= '\"!\\[\\]-]{0,60}") {
            _ = walk(&bytes, |_| {});
            _ = walk(markup.as_bytes(), |_| {});
        }
    }
}
