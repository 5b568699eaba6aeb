use crate::{Bytes, LIMITS, Spool};
use std::io::{self, Read};
use std::sync::Arc;

/// Content up to this size is unpacked whatever the size of its file: 64 MiB.
const SMALL: u64 = 64 << 20;

/// How a file is packed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Packed {
    Gzip,
    Xz,
    Zstd,
    Bzip2,
    Lz4,
}

impl Packed {
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

    /// Unpacks a whole file to a temporary one. A file that breaks off gives what stood before, and what is wrong.
    pub(crate) fn spool(self, bytes: &Arc<dyn Bytes>) -> io::Result<(Arc<dyn Bytes>, Option<String>)> {
        let length = bytes.len();
        let packed = io::BufReader::with_capacity(1 << 18, Stream::of(Arc::clone(bytes)));
        let mut reader: Box<dyn Read> = match self {
            Self::Gzip => Box::new(flate2::read::MultiGzDecoder::new(packed)),
            Self::Xz => Box::new(liblzma::read::XzDecoder::new_multi_decoder(packed)),
            Self::Bzip2 => Box::new(bzip2::read::MultiBzDecoder::new(packed)),
            Self::Lz4 => Box::new(lz4_flex::frame::FrameDecoder::new(packed)),
            Self::Zstd => Box::new(
                ruzstd::decoding::StreamingDecoder::new(packed)
                    .map_err(|error| io::Error::other(error.to_string()))?,
            ),
        };
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

/// Bytes from their start on.
pub struct Stream {
    bytes: Arc<dyn Bytes>,
    at: u64,
}

impl Stream {
    /// Reads bytes from their start on.
    pub fn of(bytes: Arc<dyn Bytes>) -> Self {
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
