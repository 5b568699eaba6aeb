//! Files that are compressed as a whole: gzip, xz, zstd, bzip2, lz4 frame.

use crate::{LIMITS, ReadAt, Spool, shielded};
use ruzstd::decoding::{FrameDecoder, StreamingDecoder};
use std::io::{self, Read};
use std::sync::Arc;

/// Content up to this size is unpacked whatever the size of its file: 64 MiB.
const SMALL: u64 = 64 << 20;
/// Bytes that are unpacked before memory for more is asked for: 1 MiB.
const PIECE: u64 = 1 << 20;

/// How a file is compressed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Compression {
    Gzip,
    Xz,
    Zstd,
    Bzip2,
    Lz4,
}

impl Compression {
    /// By the first bytes of a file.
    pub(crate) fn of(head: &[u8]) -> Option<Self> {
        match head {
            [0x1f, 0x8b, ..] => Some(Self::Gzip),
            [0xfd, b'7', b'z', b'X', b'Z', 0, ..] => Some(Self::Xz),
            [0x28, 0xb5, 0x2f, 0xfd, ..] => Some(Self::Zstd),
            [b'B', b'Z', b'h', b'1'..=b'9', ..] => Some(Self::Bzip2),
            [0x04, 0x22, 0x4d, 0x18, ..] => Some(Self::Lz4),
            _ => None,
        }
    }

    /// What unpacks a stream.
    fn decoder<'a>(self, packed: impl Read + 'a) -> Box<dyn Read + 'a> {
        match self {
            Self::Gzip => Box::new(flate2::read::MultiGzDecoder::new(packed)),
            Self::Xz => Box::new(liblzma::read::XzDecoder::new_multi_decoder(packed)),
            Self::Bzip2 => Box::new(bzip2::read::MultiBzDecoder::new(packed)),
            Self::Lz4 | Self::Zstd => Box::new(Frames::of(packed)),
        }
    }

    /// Unpacks a whole file to a temporary one. A file that breaks off gives what stood before, and what is wrong.
    pub(crate) fn spool(self, bytes: &Arc<dyn ReadAt>) -> io::Result<(Arc<dyn ReadAt>, Option<String>)> {
        let length = bytes.len();
        let packed = io::BufReader::with_capacity(1 << 18, Stream::of(Arc::clone(bytes)));
        let mut reader = self.decoder(packed);
        let most = length.saturating_mul(LIMITS.unpacked_ratio).max(SMALL);
        let mut spool = Spool::new()?;
        let mut buffer = vec![0; 1 << 18];
        let damage = loop {
            match reader.read(&mut buffer) {
                Ok(0) => break None,
                Ok(read) => {
                    spool.add(&buffer[..read])?;
                    if spool.written() > most {
                        return Err(io::Error::other(format!(
                            "contains more than {most} bytes, which is too much for its size"
                        )));
                    }
                }
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(error) if !spool.is_empty() => break Some(error.to_string()),
                Err(error) => return Err(error),
            }
        };
        Ok((Arc::new(spool.finish()?), damage))
    }
}

/// Frames of zstd (RFC 8878) or LZ4 that follow one another: what they hold is one content, and frames that a decoder has to skip are
/// skipped.
struct Frames<R: Read> {
    at: Option<At<R>>,
}

/// Where in its frames a stream is.
#[allow(clippy::large_enum_variant, reason = "there is one of them a file")]
enum At<R: Read> {
    Between(Begun<R>),
    Zstd(StreamingDecoder<Begun<R>, FrameDecoder>),
    Lz4(lz4_flex::frame::FrameDecoder<Begun<R>>),
}

impl<R: Read> Frames<R> {
    fn of(inner: R) -> Self {
        Self { at: Some(At::Between(Begun { magic: Vec::new(), has_ended: false, inner })) }
    }
}

impl<R: Read> Read for Frames<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        // After an error there is nowhere to go on from.
        while let Some(at) = self.at.take().filter(|_| !buffer.is_empty()) {
            let next = match at {
                At::Between(begun) => match begun.next()? {
                    None => return Ok(0),
                    Some(next) => next,
                },
                At::Zstd(mut frame) => match frame.read(buffer)? {
                    0 => At::Between(frame.into_inner()),
                    read => {
                        self.at = Some(At::Zstd(frame));
                        return Ok(read);
                    }
                },
                At::Lz4(mut frame) => match frame.read(buffer)? {
                    // A whole frame says where it ends; the decoder takes the end of its input for one as well.
                    0 if frame.get_ref().has_ended => return Err(io::ErrorKind::UnexpectedEof.into()),
                    0 => At::Between(frame.into_inner()),
                    read => {
                        self.at = Some(At::Lz4(frame));
                        return Ok(read);
                    }
                },
            };
            self.at = Some(next);
        }
        Ok(0)
    }
}

/// A stream, and the bytes of it that were read to see how its next frame begins.
struct Begun<R> {
    magic: Vec<u8>,
    /// Whether more was asked for within a frame than is there.
    has_ended: bool,
    inner: R,
}

impl<R: Read> Begun<R> {
    /// The next frame; `None` behind the last one.
    fn next(mut self) -> io::Result<Option<At<R>>> {
        self.inner.by_ref().take(4).read_to_end(&mut self.magic)?;
        Ok(Some(match *self.magic {
            [] => return Ok(None),
            // Frames that only their writer understands: their length, and so many bytes.
            [0x50..=0x5f, 0x2a, 0x4d, 0x18] => {
                let mut length = [0; 4];
                self.inner.read_exact(&mut length)?;
                let length = u64::from(u32::from_le_bytes(length));
                if io::copy(&mut self.inner.by_ref().take(length), &mut io::sink())? < length {
                    return Err(io::ErrorKind::UnexpectedEof.into());
                }
                self.magic.clear();
                At::Between(self)
            }
            [0x04, 0x22, 0x4d, 0x18] => At::Lz4(lz4_flex::frame::FrameDecoder::new(self)),
            _ => At::Zstd(StreamingDecoder::new(self).map_err(|error| io::Error::other(error.to_string()))?),
        }))
    }
}

impl<R: Read> Read for Begun<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.magic.is_empty() {
            let read = self.inner.read(buffer)?;
            self.has_ended |= read == 0 && !buffer.is_empty();
            return Ok(read);
        }
        let there = self.magic.len().min(buffer.len());
        buffer[..there].copy_from_slice(&self.magic[..there]);
        self.magic.drain(..there);
        Ok(there)
    }
}

/// Bytes from their start on.
pub struct Stream {
    bytes: Arc<dyn ReadAt>,
    at: u64,
}

impl Stream {
    /// Reads bytes from their start on.
    pub fn of(bytes: Arc<dyn ReadAt>) -> Self {
        Self { bytes, at: 0 }
    }
}

impl Read for Stream {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.bytes.read_at(self.at, buffer)?;
        self.at = self.at.saturating_add(read as u64);
        Ok(read)
    }
}

/// Unpacks a whole file by what its first bytes say it is compressed with: gzip, xz, zstd, bzip2, lz4 frame. A file that is not
/// packed comes back as it is.
///
/// # Errors
/// When the packed data is damaged, or holds more than `limit` bytes.
pub fn unpack_file(bytes: Vec<u8>, limit: u64) -> io::Result<Vec<u8>> {
    shielded(|| unpack(bytes, limit)).unwrap_or_else(|why| Err(io::Error::other(why)))
}

/// Unpacks a stream as [`unpack_file`] does a file, piece by piece; it ends with an error where it holds more than `limit` bytes.
///
/// # Errors
/// When its first bytes can't be read.
pub fn unpacking<'a>(mut packed: impl io::BufRead + 'a, limit: u64) -> io::Result<Box<dyn Read + 'a>> {
    let compression = Compression::of(packed.fill_buf()?);
    let inner: Box<dyn Read + 'a> = match compression {
        Some(compression) => compression.decoder(packed),
        None => Box::new(packed),
    };
    Ok(Box::new(Limited { inner, left: limit }))
}

/// A stream that may hold only so much.
struct Limited<R> {
    inner: R,
    left: u64,
}

impl<R: Read> Read for Limited<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = shielded(|| self.inner.read(buffer)).unwrap_or_else(|why| Err(io::Error::other(why)))?;
        self.left = self
            .left
            .checked_sub(read as u64)
            .ok_or_else(|| io::Error::other("contains more than is read of one file"))?;
        Ok(read)
    }
}

/// Packs bytes with zstd, fast.
pub fn pack(bytes: &[u8]) -> Vec<u8> {
    ruzstd::encoding::compress_to_vec(bytes, ruzstd::encoding::CompressionLevel::Fastest)
}

fn unpack(bytes: Vec<u8>, limit: u64) -> io::Result<Vec<u8>> {
    let Some(compression) = Compression::of(&bytes) else { return Ok(bytes) };
    let mut reader = compression.decoder(bytes.as_slice());
    let mut unpacked = Vec::new();
    loop {
        let piece = reader.by_ref().take(PIECE).read_to_end(&mut unpacked)?;
        if unpacked.len() as u64 > limit {
            return Err(io::Error::other(format!("contains more than {limit} bytes")));
        }
        if piece == 0 {
            return Ok(unpacked);
        }
        // An eighth more at a time: what is large is not asked for twice.
        if unpacked.capacity() == unpacked.len() {
            unpacked.reserve_exact((unpacked.len() / 8).max(PIECE as usize));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn packed_and_plain_files_come_back_alike() {
        // `printf 'tide tide tide\n'` through gzip, xz, lz4 and zstd.
        let gz: &[u8] = include_bytes!("../tests/fixtures/tide.gz");
        let xz: &[u8] = include_bytes!("../tests/fixtures/tide.xz");
        let lz4: &[u8] = include_bytes!("../tests/fixtures/tide.lz4");
        let zst: &[u8] = include_bytes!("../tests/fixtures/tide.zst");
        for packed in [gz, xz, lz4, zst, b"tide tide tide\n"] {
            assert_eq!(unpack_file(packed.to_vec(), 100).unwrap(), b"tide tide tide\n");
        }
        for packed in [gz, xz, lz4, zst] {
            assert!(unpack_file(packed.to_vec(), 5).is_err(), "a limit holds");
            assert!(unpack_file(packed[..packed.len() / 2].to_vec(), 100).is_err(), "a cut file is an error");
        }
    }

    #[test]
    fn frames_that_follow_one_another_are_one_content() {
        for (packed, of) in [
            (&include_bytes!("../tests/fixtures/tide.gz")[..], "gzip"),
            (include_bytes!("../tests/fixtures/tide.xz"), "xz"),
            (include_bytes!("../tests/fixtures/tide.lz4"), "lz4"),
            (include_bytes!("../tests/fixtures/tide.zst"), "zstd"),
        ] {
            let mut several = packed.repeat(3);
            let all = unpack_file(several.clone(), 1000).unwrap();
            assert_eq!(all, b"tide tide tide\n".repeat(3), "{of}");
            if matches!(of, "lz4" | "zstd") {
                several.extend([0x53, 0x2a, 0x4d, 0x18, 3, 0, 0, 0, 1, 2, 3]);
                several.extend(packed);
                assert_eq!(
                    unpack_file(several.clone(), 1000).unwrap(),
                    b"tide tide tide\n".repeat(4),
                    "{of}"
                );
            }
            several.truncate(several.len() - 6);
            assert!(unpack_file(several, 1000).is_err(), "a cut last frame is an error: {of}");
        }
    }

    #[test]
    fn streams_are_unpacked_piece_by_piece_and_end_at_the_limit() {
        let all = |packed: &[u8], limit| -> io::Result<Vec<u8>> {
            let mut content = Vec::new();
            unpacking(packed, limit)?.read_to_end(&mut content)?;
            Ok(content)
        };
        let tide = include_bytes!("../tests/fixtures/tide.xz");
        assert_eq!(all(tide, 100).unwrap(), b"tide tide tide\n");
        assert!(all(tide, 5).is_err(), "a limit holds");
        assert!(all(&tide[..tide.len() / 2], 100).is_err(), "a cut stream is an error");
        assert_eq!(all(b"plain", 5).unwrap(), b"plain", "what is not packed comes as it is");
        assert!(all(b"plain", 4).is_err());
        assert_eq!(all(b"", 0).unwrap(), b"");
    }

    #[test]
    fn what_is_packed_comes_back() {
        for content in
            [Vec::new(), b"tide".to_vec(), vec![7; 3 << 20], (0..=255).cycle().take(1 << 20).collect()]
        {
            let packed = pack(&content);
            assert_eq!(unpack_file(packed, 4 << 20).unwrap(), content);
        }
    }
}
