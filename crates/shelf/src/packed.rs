//! Tallies that are compressed with zstd (RFC 8878), told by their first bytes.

use crate::ShelfError;
use crate::codec::TALLY_LIMIT;
use crate::files::open_file;
use ruzstd::decoding::StreamingDecoder;
use ruzstd::encoding::{CompressionLevel, compress_to_vec};
use std::fs::File;
use std::io::{self, Read, Seek};
use std::path::Path;

/// How a frame of zstd begins.
const MAGIC: [u8; 4] = [0x28, 0xb5, 0x2f, 0xfd];

/// Compresses the bytes of a tally.
pub fn pack(bytes: &[u8]) -> Vec<u8> {
    compress_to_vec(bytes, CompressionLevel::Fastest)
}

/// The content of a tally's file, unpacked where it is packed: at most `limit` bytes, and an error for more.
pub(crate) fn content(file: &File, limit: u64) -> io::Result<Box<dyn Read + '_>> {
    let mut begin = Vec::new();
    let mut whole = file;
    whole.take(MAGIC.len() as u64).read_to_end(&mut begin)?;
    whole.rewind()?;
    if begin != MAGIC {
        return Ok(Box::new(Limited { inner: file, left: limit }));
    }
    let packed = io::BufReader::with_capacity(64 << 10, file);
    let inner = StreamingDecoder::new(packed).map_err(|error| io::Error::other(error.to_string()))?;
    Ok(Box::new(Limited { inner, left: limit }))
}

/// The bytes of a tally as they are, unpacked where they are packed; `path` names it in errors.
///
/// # Errors
/// When they are damaged, or hold more than a tally may.
pub fn unpack_tally(path: &Path, bytes: Vec<u8>) -> Result<Vec<u8>, ShelfError> {
    if !bytes.starts_with(&MAGIC) {
        return Ok(bytes);
    }
    let mut unpacked = Vec::new();
    StreamingDecoder::new(bytes.as_slice())
        .map_err(|error| io::Error::other(error.to_string()))
        .and_then(|inner| Limited { inner, left: TALLY_LIMIT }.read_to_end(&mut unpacked))
        .map_err(|error| ShelfError::io(path, error))?;
    Ok(unpacked)
}

/// A reader that refuses to give more than it may.
struct Limited<R> {
    inner: R,
    left: u64,
}

impl<R: Read> Read for Limited<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.inner.read(buffer)?;
        self.left = self
            .left
            .checked_sub(read as u64)
            .ok_or_else(|| io::Error::new(io::ErrorKind::FileTooLarge, "contains more than a tally may"))?;
        Ok(read)
    }
}

/// Whether a file is meant to be a tally: JSON, compressed or not, that begins with its schema number.
pub fn is_tally(path: &Path) -> bool {
    let mut begin = Vec::new();
    let read = open_file(path)
        .and_then(|file| content(&file, u64::MAX).and_then(|text| text.take(256).read_to_end(&mut begin)));
    let named = |begin: &[u8]| {
        let begin = String::from_utf8_lossy(begin);
        ["\"schema_version\"", "\"tally\""].iter().any(|key| begin.contains(key))
    };
    // What can't be read, or is JSON of nobody's, is told apart by who reads it whole; a frame that breaks off is told by its name.
    match read {
        Ok(_) => named(&begin),
        Err(_) => named(&begin) || !path.exists() || path.to_string_lossy().ends_with(crate::PACKED_ENDING),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::io::Write;

    fn unpacked(bytes: &[u8], limit: u64) -> io::Result<Vec<u8>> {
        let mut file = tempfile::tempfile()?;
        file.write_all(bytes)?;
        file.rewind()?;
        let mut read = Vec::new();
        content(&file, limit)?.read_to_end(&mut read)?;
        Ok(read)
    }

    #[test]
    fn a_frame_that_grows_beyond_the_limit_is_refused() {
        let packed = pack(&vec![b' '; 1 << 20]);
        assert!(packed.len() < 4 << 10);
        assert_eq!(unpacked(&packed, 1 << 20).unwrap().len(), 1 << 20);
        assert_eq!(unpacked(&packed, (1 << 20) - 1).unwrap_err().kind(), io::ErrorKind::FileTooLarge);
    }

    proptest! {
        #[test]
        fn what_is_packed_is_read_as_it_was(text in "(\"[a-z]{0,9}\", ){0,200}") {
            prop_assert_eq!(unpacked(&pack(text.as_bytes()), 1 << 20).unwrap(), text.as_bytes());
            prop_assert_eq!(unpacked(text.as_bytes(), 1 << 20).unwrap(), text.as_bytes());
        }

        #[test]
        fn a_damaged_frame_is_an_error_or_another_text(text in "(reed|tide|[a-z]{3}){1,99}", at in any::<prop::sample::Index>(), byte: u8, cut in any::<prop::sample::Index>()) {
            let mut packed = pack(text.as_bytes());
            let at = 4 + at.index(packed.len() - 4);
            packed[at] = byte;
            _ = unpacked(&packed, 1 << 20);
            packed.truncate(4 + cut.index(packed.len() - 4));
            _ = unpacked(&packed, 1 << 20);
        }
    }
}
