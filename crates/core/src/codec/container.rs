//! The directories of a TIFF, walked and bounded before any decoder sees the file.
//!
//! Camera raw files are TIFFs for the most part. Decoders follow the chain of directories wherever it leads and set memory
//! aside for as many values as an entry announces; here the chain must end, and what is announced must fit into the file.

use std::collections::HashSet;
use std::io::{self, Read, Seek, SeekFrom};

use super::error::CodecError;

/// The most directories of one file: pages, previews, and those of the camera's settings.
const MOST_DIRECTORIES: usize = 4096;

/// Tags whose values are offsets of further directories: SubIFDs, Exif, GPS, interoperability (TIFF/EP, EXIF 2.32).
const LEADING_ON: [u16; 4] = [0x014A, 0x8769, 0x8825, 0xA005];

const PHOTOMETRIC: u16 = 0x0106;
const DNG_VERSION: u16 = 0xC612;

/// Values of PhotometricInterpretation that say raw: one colour a pixel, or linear (DNG specification 1.7, chapter 4).
const RAW_PHOTOMETRIC: [u64; 2] = [32_803, 34_892];

/// What the directories tell.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct TiffFacts {
    /// Whether a directory describes what a sensor saw.
    pub holds_raw: bool,
    /// Whether it calls itself a DNG.
    pub is_dng: bool,
}

/// Walks a TIFF of `length` bytes, classic or BigTIFF, or a camera's variant of it with another number in its head.
///
/// Nothing for a file that is no TIFF. Offsets that lead out of the file end their chain: decoders refuse or ignore those.
///
/// # Errors
/// [`CodecError::Damaged`] when the chain of directories returns to itself or has no sensible end, or when an entry announces
/// more bytes than the file has.
pub(super) fn check(file: &mut (impl Read + Seek), length: u64) -> Result<Option<TiffFacts>, CodecError> {
    file.rewind()?;
    let Some(layout) = Layout::of(file)? else { return Ok(None) };
    let mut walk = Walk { file, layout, length, seen: HashSet::new(), facts: TiffFacts::default() };
    let first = walk.layout.first;
    walk.chain(first)?;
    Ok(Some(walk.facts))
}

/// How numbers stand in the file.
#[derive(Clone, Copy, Debug)]
struct Layout {
    little: bool,
    big_tiff: bool,
    /// Where the first directory lies.
    first: u64,
}

impl Layout {
    fn of(file: &mut impl Read) -> io::Result<Option<Self>> {
        let mut head = [0; 16];
        let mut filled = 0;
        while filled < head.len() {
            match file.read(&mut head[filled..])? {
                0 => break,
                count => filled += count,
            }
        }
        let little = match &head[..2] {
            b"II" => true,
            b"MM" => false,
            _ => return Ok(None),
        };
        let layout = Self { little, big_tiff: false, first: 0 };
        // A picture of one's own kind may begin with the same two letters: cameras' variants have other numbers than 42.
        if filled < 8 {
            return Ok(None);
        }
        let big_tiff = layout.number(&head[2..4]) == 43;
        let first = if big_tiff { layout.number(&head[8..16]) } else { layout.number(&head[4..8]) };
        Ok(Some(Self { big_tiff, first, ..layout }))
    }

    fn number(self, bytes: &[u8]) -> u64 {
        let add = |sum: u64, byte: &u8| sum << 8 | u64::from(*byte);
        if self.little { bytes.iter().rev().fold(0, add) } else { bytes.iter().fold(0, add) }
    }

    fn bytes_of_count(self) -> usize {
        if self.big_tiff { 8 } else { 2 }
    }

    fn bytes_of_offset(self) -> usize {
        if self.big_tiff { 8 } else { 4 }
    }

    fn bytes_of_entry(self) -> usize {
        if self.big_tiff { 20 } else { 12 }
    }
}

/// An entry of a directory.
struct Entry {
    tag: u16,
    kind: u16,
    count: u64,
    /// The value itself where it is short enough, else its offset.
    inline: Vec<u8>,
}

struct Walk<'a, F> {
    file: &'a mut F,
    layout: Layout,
    length: u64,
    seen: HashSet<u64>,
    facts: TiffFacts,
}

impl<F: Read + Seek> Walk<'_, F> {
    /// Follows a chain of directories, and those that they lead to, to the end.
    fn chain(&mut self, first: u64) -> Result<(), CodecError> {
        let mut waiting = vec![(first, HashSet::new())];
        while let Some((start, above)) = waiting.pop() {
            let mut at = start;
            // In a chain, and below one, each directory comes once. Two chains may meet: some cameras name a directory twice.
            let mut chain = above;
            while at != 0 && at < self.length {
                if !chain.insert(at) {
                    return Err(damaged("its list of directories leads in a circle"));
                }
                if !self.seen.insert(at) {
                    break;
                }
                if self.seen.len() > MOST_DIRECTORIES {
                    return Err(damaged("it has more directories than any picture needs"));
                }
                let mut below = Vec::new();
                at = self.directory(at, &mut below)?;
                waiting.extend(below.into_iter().map(|start| (start, chain.clone())));
                if waiting.len() > MOST_DIRECTORIES {
                    return Err(damaged("it has more directories than any picture needs"));
                }
            }
        }
        Ok(())
    }

    /// Checks one directory; answers where the next one lies, 0 for none, and adds those that it leads to.
    fn directory(&mut self, at: u64, below: &mut Vec<u64>) -> Result<u64, CodecError> {
        let layout = self.layout;
        let Some(count) = self.read(at, layout.bytes_of_count())? else { return Ok(0) };
        let count = layout.number(&count);
        let size = layout.bytes_of_entry() as u64;
        let Some(bytes) = count.checked_mul(size).filter(|bytes| *bytes <= self.length) else {
            return Err(damaged("a directory announces more entries than the file has room for"));
        };
        let entries_at = at + layout.bytes_of_count() as u64;
        let Some(entries) = self.read(entries_at, bytes as usize)? else { return Ok(0) };
        for entry in entries.chunks_exact(size as usize) {
            self.entry(&self.parsed(entry), below)?;
        }
        let next = self.read(entries_at + bytes, layout.bytes_of_offset())?;
        Ok(next.map_or(0, |next| layout.number(&next)))
    }

    fn parsed(&self, entry: &[u8]) -> Entry {
        let offset = self.layout.bytes_of_offset();
        let number = |from: usize, to: usize| self.layout.number(&entry[from..to]);
        Entry {
            tag: number(0, 2) as u16,
            kind: number(2, 4) as u16,
            count: number(4, 4 + offset),
            inline: entry[4 + offset..4 + 2 * offset].to_vec(),
        }
    }

    fn entry(&mut self, entry: &Entry, below: &mut Vec<u64>) -> Result<(), CodecError> {
        // A type that is not known is passed over by every reader.
        let Some(each) = bytes_of_type(entry.kind) else { return Ok(()) };
        if entry.count.checked_mul(each).is_none_or(|bytes| bytes > self.length) {
            return Err(damaged("an entry announces more values than the file has room for"));
        }
        match entry.tag {
            DNG_VERSION => self.facts.is_dng = true,
            PHOTOMETRIC => self.facts.holds_raw |= self.values(entry)?.iter().any(|v| RAW_PHOTOMETRIC.contains(v)),
            tag if LEADING_ON.contains(&tag) => below.extend(self.values(entry)?),
            _ => {}
        }
        Ok(())
    }

    /// The whole numbers of an entry; none where they lie outside of the file.
    fn values(&mut self, entry: &Entry) -> Result<Vec<u64>, CodecError> {
        let each = bytes_of_type(entry.kind).unwrap_or(1);
        let bytes = (entry.count.min(MOST_DIRECTORIES as u64) * each) as usize;
        let held = if bytes <= entry.inline.len() {
            Some(entry.inline[..bytes].to_vec())
        } else {
            self.read(self.layout.number(&entry.inline), bytes)?
        };
        Ok(held.unwrap_or_default().chunks_exact(each as usize).map(|value| self.layout.number(value)).collect())
    }

    /// So many bytes from a place; nothing where the file ends before.
    fn read(&mut self, at: u64, bytes: usize) -> io::Result<Option<Vec<u8>>> {
        if at.checked_add(bytes as u64).is_none_or(|end| end > self.length) {
            return Ok(None);
        }
        let mut read = vec![0; bytes];
        self.file.seek(SeekFrom::Start(at))?;
        self.file.read_exact(&mut read)?;
        Ok(Some(read))
    }
}

/// Bytes of one value (TIFF 6.0, section 2; BigTIFF).
fn bytes_of_type(kind: u16) -> Option<u64> {
    Some(match kind {
        1 | 2 | 6 | 7 => 1,
        3 | 8 => 2,
        4 | 9 | 11 | 13 => 4,
        5 | 10 | 12 | 16 | 17 | 18 => 8,
        _ => return None,
    })
}

fn damaged(why: &str) -> CodecError {
    CodecError::Damaged(why.to_owned())
}

#[cfg(test)]
mod tests {
    use std::io::Cursor;

    use proptest::prelude::*;
    use rstest::rstest;

    use super::*;

    /// A TIFF of one directory with one entry, of 26 bytes: tag, type, count, value, and where the next directory is to be.
    fn small(tag: u16, kind: u16, count: u32, value: u32, next: u32) -> Vec<u8> {
        let mut file = b"II*\0\x08\0\0\0\x01\0".to_vec();
        file.extend(tag.to_le_bytes());
        file.extend(kind.to_le_bytes());
        [count, value, next].iter().for_each(|number| file.extend(number.to_le_bytes()));
        file
    }

    fn checked(bytes: &[u8]) -> Result<Option<TiffFacts>, CodecError> {
        check(&mut Cursor::new(bytes), bytes.len() as u64)
    }

    #[test]
    fn a_chain_that_returns_to_itself_is_damage() {
        let file = small(0x0100, 3, 1, 1, 8);
        assert_eq!(file.len(), 26);
        assert!(matches!(checked(&file), Err(CodecError::Damaged(why)) if why.contains("circle")));
    }

    #[test]
    fn a_directory_that_leads_down_to_itself_is_damage() {
        assert!(matches!(checked(&small(0x8769, 4, 1, 8, 0)), Err(CodecError::Damaged(why)) if why.contains("circle")));
    }

    #[rstest]
    #[case(5, u32::MAX)]
    #[case(12, 1 << 30)]
    #[case(1, 27)]
    fn an_entry_larger_than_the_file_is_damage(#[case] kind: u16, #[case] count: u32) {
        let file = small(0x011A, kind, count, 0, 0);
        assert!(matches!(checked(&file), Err(CodecError::Damaged(why)) if why.contains("room")), "{kind} {count}");
    }

    #[rstest]
    #[case(PHOTOMETRIC, 32_803, true, false)]
    #[case(PHOTOMETRIC, 2, false, false)]
    #[case(DNG_VERSION, 1, false, true)]
    fn what_a_directory_says_of_itself_is_told(
        #[case] tag: u16,
        #[case] value: u32,
        #[case] holds_raw: bool,
        #[case] is_dng: bool,
    ) {
        let told = checked(&small(tag, 3, 1, value, 0)).unwrap();
        assert_eq!(told, Some(TiffFacts { holds_raw, is_dng }));
    }

    #[test]
    fn a_directory_below_is_looked_at_and_one_named_twice_is_no_circle() {
        // The main directory leads to one at 26, and the chain goes on to the same.
        let mut file = small(0x014A, 4, 1, 26, 26);
        file.extend(&small(PHOTOMETRIC, 3, 1, 34_892, 0)[8..]);
        assert_eq!(checked(&file).unwrap(), Some(TiffFacts { holds_raw: true, is_dng: false }));
    }

    #[test]
    fn what_is_no_tiff_is_none() {
        for bytes in [&b""[..], b"II", b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR", b"Isola Brina"] {
            assert_eq!(checked(bytes).unwrap(), None);
        }
    }

    proptest! {
        #[test]
        fn any_bytes_come_to_an_end(tail in proptest::collection::vec(any::<u8>(), 0..400), big in any::<bool>()) {
            let head: &[u8] = if big { b"MM\0\x2b\0\x08\0\0\0\0\0\0\0\0\0\x10" } else { b"II*\0\x08\0\0\0" };
            let _ = checked(&[head, &tail].concat());
        }
    }
}
