//! Numbers in bytes. What is behind the end reads as 0: whoever must know asks for the bytes first.

fn bytes<const N: usize>(from: &[u8], at: usize) -> [u8; N] {
    let piece = at.checked_add(N).and_then(|end| from.get(at..end));
    piece.and_then(|piece| piece.try_into().ok()).unwrap_or([0; N])
}

/// 16 bits, the lowest byte first.
pub fn le16(from: &[u8], at: usize) -> u16 {
    u16::from_le_bytes(bytes(from, at))
}

/// 32 bits, the lowest byte first.
pub fn le32(from: &[u8], at: usize) -> u32 {
    u32::from_le_bytes(bytes(from, at))
}

/// 64 bits, the lowest byte first.
pub fn le64(from: &[u8], at: usize) -> u64 {
    u64::from_le_bytes(bytes(from, at))
}

/// 16 bits, the highest byte first.
pub fn be16(from: &[u8], at: usize) -> u16 {
    u16::from_be_bytes(bytes(from, at))
}

/// 32 bits, the highest byte first.
pub fn be32(from: &[u8], at: usize) -> u32 {
    u32::from_be_bytes(bytes(from, at))
}

/// 64 bits, the highest byte first.
pub fn be64(from: &[u8], at: usize) -> u64 {
    u64::from_be_bytes(bytes(from, at))
}

/// A UUID in its usual form.
pub(crate) fn uuid_text(bytes: &[u8]) -> String {
    let mut text = String::new();
    for (at, byte) in bytes.iter().enumerate() {
        if matches!(at, 4 | 6 | 8 | 10) {
            text.push('-');
        }
        text.push_str(&format!("{byte:02x}"));
    }
    text
}
