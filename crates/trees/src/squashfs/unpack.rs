use super::damaged;
use std::io::{self, ErrorKind, Read};

/// How the blocks of an image are packed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Packing {
    Gzip,
    Xz,
    Lz4,
    Lzo,
    Zstd,
}

impl Packing {
    /// From the number in the image's first block.
    pub(super) fn new(number: u16) -> io::Result<Self> {
        let name = match number {
            1 => return Ok(Self::Gzip),
            4 => return Ok(Self::Xz),
            5 => return Ok(Self::Lz4),
            6 => return Ok(Self::Zstd),
            3 => return Ok(Self::Lzo),
            2 => "lzma",
            _ => return Err(damaged("it is packed in a way that there is not")),
        };
        let why = format!("is a SquashFS packed with {name}, which is not read");
        Err(io::Error::new(ErrorKind::Unsupported, why))
    }

    /// Unpacks a block; one that holds more than `limit` bytes is an error, not an allocation.
    pub(super) fn unpack(self, packed: &[u8], limit: usize) -> io::Result<Vec<u8>> {
        match self {
            Self::Gzip => read(flate2::read::ZlibDecoder::new(packed), limit),
            Self::Xz => read(liblzma::read::XzDecoder::new(packed), limit),
            Self::Zstd => {
                let frame = ruzstd::decoding::StreamingDecoder::new(packed)
                    .map_err(|error| io::Error::new(ErrorKind::InvalidData, error.to_string()))?;
                read(frame, limit)
            }
            Self::Lzo => {
                let mut unpacked = vec![0; limit];
                let length = lzokay::decompress::decompress(packed, &mut unpacked)
                    .map_err(|error| io::Error::new(ErrorKind::InvalidData, format!("{error:?}")))?;
                unpacked.truncate(length);
                Ok(unpacked)
            }
            Self::Lz4 => {
                let mut unpacked = vec![0; limit];
                let length = lz4_flex::block::decompress_into(packed, &mut unpacked)
                    .map_err(|error| io::Error::new(ErrorKind::InvalidData, error))?;
                unpacked.truncate(length);
                Ok(unpacked)
            }
        }
    }
}

fn read(packed: impl Read, limit: usize) -> io::Result<Vec<u8>> {
    let mut unpacked = Vec::with_capacity(limit.min(256 << 10));
    packed.take((limit as u64).saturating_add(1)).read_to_end(&mut unpacked)?;
    if unpacked.len() > limit {
        return Err(damaged("a block contains too much"));
    }
    Ok(unpacked)
}
