//! The segments of a JPEG file before its pixels (ITU-T T.81 Annex B).

use std::io::{self, BufRead};

/// Places of a table in the order in which a file lists them.
pub(crate) const ZIGZAG: [usize; 64] = [
    0, 1, 8, 16, 9, 2, 3, 10, 17, 24, 32, 25, 18, 11, 4, 5, 12, 19, 26, 33, 40, 48, 41, 34, 27, 20, 13, 6, 7, 14, 21,
    28, 35, 42, 49, 56, 57, 50, 43, 36, 29, 22, 15, 23, 30, 37, 44, 51, 58, 59, 52, 45, 38, 31, 39, 46, 53, 60, 61, 54,
    47, 55, 62, 63,
];

/// The most that one segment holds after its length.
pub(crate) const SEGMENT_BYTES: usize = 65_533;

/// What is read of them.
#[derive(Debug, Default)]
pub struct Segments {
    /// The first quantisation table, row by row.
    pub quantisation: Option<[f32; 64]>,
    /// Channels: 1 for grey, 3 for colour, 4 for printing inks.
    pub channels: u8,
    /// How many of them are in the first scan.
    pub in_first_scan: u8,
    /// The contents of APP13 segments, where IPTC records are.
    pub app13: Vec<Vec<u8>>,
}

/// Reads up to the start of the pixels.
pub fn read(mut file: impl BufRead) -> io::Result<Segments> {
    let mut found = Segments::default();
    loop {
        file.skip_until(0xFF)?;
        let mut marker = [0xFF];
        while marker[0] == 0xFF {
            file.read_exact(&mut marker)?;
        }
        match marker[0] {
            // Nothing follows the start of a picture, a restart or a stuffed byte.
            0x00 | 0x01 | 0xD0..=0xD8 => continue,
            0xD9 => return Ok(found),
            _ => {}
        }
        let mut length = [0; 2];
        file.read_exact(&mut length)?;
        let mut segment = vec![0; usize::from(u16::from_be_bytes(length)).saturating_sub(2)];
        file.read_exact(&mut segment)?;
        match marker[0] {
            0xDB if found.quantisation.is_none() => found.quantisation = first_table(&segment),
            0xDA => {
                found.in_first_scan = *segment.first().unwrap_or(&0);
                return Ok(found);
            }
            0xED => found.app13.push(segment),
            // All kinds of frame header; C4, C8 and CC are something else.
            0xC0..=0xCF if ![0xC4, 0xC8, 0xCC].contains(&marker[0]) => found.channels = *segment.get(5).unwrap_or(&0),
            _ => {}
        }
    }
}

fn first_table(segment: &[u8]) -> Option<[f32; 64]> {
    let (kind, values) = segment.split_first()?;
    let wide = kind >> 4 != 0;
    let mut table = [0.0; 64];
    for (i, place) in ZIGZAG.into_iter().enumerate() {
        table[place] = if wide {
            f32::from(u16::from_be_bytes([*values.get(2 * i)?, *values.get(2 * i + 1)?]))
        } else {
            f32::from(*values.get(i)?)
        };
    }
    Some(table)
}
