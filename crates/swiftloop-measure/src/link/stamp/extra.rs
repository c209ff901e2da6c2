//! What may follow a bare packet (RFC 8972): fields of type, length and value. We send padding only, and know nothing else:
//! a field that we do not know goes back with the mark "unrecognised", one that does not fit its room with "malformed".

/// Sender's mark, and the reflector's for what it does not know.
const UNRECOGNISED: u8 = 0x80;
/// The reflector's mark for what does not fit.
const MALFORMED: u8 = 0x40;
/// Flags, type, two bytes of length.
const HEAD: usize = 4;
/// The type of padding (RFC 8972, 4.1).
pub const EXTRA_PADDING: u8 = 1;

/// So many bytes of padding as one field; none where there is no room for its head.
#[must_use]
pub fn padding(length: usize) -> Vec<u8> {
    let Some(inside) = length.checked_sub(HEAD) else { return Vec::new() };
    let inside = inside.min(usize::from(u16::MAX));
    let mut field = vec![UNRECOGNISED, EXTRA_PADDING];
    field.extend((inside as u16).to_be_bytes());
    // Anything but zeros, which a line might squeeze.
    field.extend((0..inside).map(|i| (i as u8).wrapping_mul(151).wrapping_add(43)));
    field
}

/// What followed a probe, as it goes back: the same bytes with the marks as they should be.
#[must_use]
pub fn echoed_extras(extras: &[u8]) -> Vec<u8> {
    let mut out = extras.to_vec();
    let mut at = 0;
    while at + HEAD <= out.len() {
        let length = usize::from(u16::from_be_bytes([out[at + 2], out[at + 3]]));
        let end = at + HEAD + length;
        let is_known = out[at + 1] == EXTRA_PADDING;
        let fits = end <= out.len();
        out[at] &= !(UNRECOGNISED | MALFORMED);
        if !is_known {
            out[at] |= UNRECOGNISED;
        }
        if !fits {
            out[at] |= MALFORMED;
            break;
        }
        at = end;
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn known_unknown_and_malformed_fields_go_back_as_they_should() {
        let mut fields = padding(7);
        fields.extend([0x80, 9, 0, 2, 0xaa, 0xbb]);
        fields.extend([0x80, 1, 0, 200, 1]);
        let back = echoed_extras(&fields);
        assert_eq!(back.len(), fields.len());
        assert_eq!(back[..4], [0x00, 1, 0, 3]);
        assert_eq!(back[7..13], [0x80, 9, 0, 2, 0xaa, 0xbb]);
        assert_eq!(back[13..], [0x40, 1, 0, 200, 1]);
        // Bytes that are no field at all (padding of an older kind) go back as they came.
        assert_eq!(echoed_extras(&[7, 7, 7]), [7, 7, 7]);
        assert!(padding(3).is_empty() && padding(4) == [0x80, 1, 0, 0]);
    }
}
