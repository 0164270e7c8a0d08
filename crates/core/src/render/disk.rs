//! Computed tiles on disk: they outlast the program, and processes that share the folder share them.
//!
//! A view that was computed yesterday is there at once, and a run that was cut short goes on from the tiles that it had.
//! It is a cache all the same: what cannot be written or read, or was damaged, is computed again.

use std::fs::{File, FileTimes};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::SystemTime;

use dettaglio_domain::geometry::Size;

use super::cache::{Tile, TileKey};

const MAGIC: &[u8; 4] = b"DTL1";

/// Magic, width, height, checksum.
const HEAD: usize = 16;

const ENDING: &str = "tile";

/// After so much of the limit was written, the folder is looked through.
const SWEEP_SHARE: u64 = 16;

/// A folder of tiles that takes so many bytes at most, a sixteenth more for a moment.
#[derive(Debug)]
pub struct DiskTiles {
    folder: PathBuf,
    limit: u64,
    /// Bytes written since the folder was last looked through.
    written: AtomicU64,
    count: AtomicU64,
}

impl DiskTiles {
    /// The tiles of a folder, which is made if it is not there; no more than `limit` bytes of them are kept.
    pub fn open(folder: &Path, limit: u64) -> std::io::Result<Self> {
        std::fs::create_dir_all(folder)?;
        let tiles = Self { folder: folder.to_owned(), limit, written: AtomicU64::new(0), count: AtomicU64::new(0) };
        tiles.sweep(limit);
        Ok(tiles)
    }

    /// The most bytes that it keeps.
    pub fn limit(&self) -> u64 {
        self.limit
    }

    /// Bytes that it holds.
    pub fn bytes(&self) -> u64 {
        self.files().map(|(_, bytes, _)| bytes).sum()
    }

    /// Throws all tiles away.
    pub fn clear(&self) {
        self.sweep(0);
    }

    /// The tile, if it is there and whole.
    pub fn get(&self, key: &TileKey) -> Option<Tile> {
        let mut file = File::open(self.path(key)).ok()?;
        let mut bytes = Vec::new();
        file.read_to_end(&mut bytes).ok()?;
        let tile = decoded(&bytes)?;
        // Used just now: it is among the last to go. Where the time cannot be set, it goes sooner.
        let _ = file.set_times(FileTimes::new().set_modified(SystemTime::now()));
        Some(tile)
    }

    /// Keeps a tile; a full disk is no error, as nothing depends on it.
    pub fn put(&self, key: &TileKey, tile: &Tile) {
        let path = self.path(key);
        if path.exists() {
            return;
        }
        let bytes = encoded(tile);
        let number = self.count.fetch_add(1, Ordering::Relaxed);
        let part = self.folder.join(format!(".{}-{number}.part", std::process::id()));
        let kept = path
            .parent()
            .map_or(Ok(()), std::fs::create_dir_all)
            .and_then(|()| File::create(&part)?.write_all(&bytes))
            .and_then(|()| std::fs::rename(&part, &path));
        if kept.is_err() {
            let _ = std::fs::remove_file(&part);
            return;
        }
        let written = self.written.fetch_add(bytes.len() as u64, Ordering::Relaxed) + bytes.len() as u64;
        if written > self.limit / SWEEP_SHARE {
            self.written.store(0, Ordering::Relaxed);
            self.sweep(self.limit);
        }
    }

    fn path(&self, key: &TileKey) -> PathBuf {
        let content = key.content.to_string();
        self.folder.join(&content[..2]).join(format!("{content}-{}-{}.{ENDING}", key.column, key.row))
    }

    /// Removes the tiles not used longest until the others are within `limit`, and what a killed program left unfinished.
    fn sweep(&self, limit: u64) {
        let hour_ago = SystemTime::now() - std::time::Duration::from_secs(3600);
        let mut files: Vec<_> = self.files().collect();
        let mut held: u64 = files.iter().map(|(_, bytes, _)| bytes).sum();
        files.sort_by_key(|(_, _, used)| *used);
        for (path, bytes, used) in files {
            let unfinished = path.extension().is_none_or(|e| e != ENDING) && used < hour_ago;
            if (held > limit || unfinished) && std::fs::remove_file(&path).is_ok() {
                held -= bytes;
            }
        }
    }

    /// Every file with its bytes and when it was last used.
    fn files(&self) -> impl Iterator<Item = (PathBuf, u64, SystemTime)> {
        let inside = |folder: &Path| std::fs::read_dir(folder).into_iter().flatten().flatten();
        inside(&self.folder)
            .flat_map(move |entry| match entry.file_type() {
                Ok(kind) if kind.is_dir() => inside(&entry.path()).collect(),
                _ => vec![entry],
            })
            .filter_map(|entry| {
                let facts = entry.metadata().ok().filter(std::fs::Metadata::is_file)?;
                Some((entry.path(), facts.len(), facts.modified().ok()?))
            })
    }
}

fn encoded(tile: &Tile) -> Vec<u8> {
    let values: &[u8] = bytemuck::cast_slice(tile.values());
    let mut bytes = Vec::with_capacity(HEAD + values.len());
    bytes.extend_from_slice(MAGIC);
    bytes.extend_from_slice(&tile.size().width.to_ne_bytes());
    bytes.extend_from_slice(&tile.size().height.to_ne_bytes());
    bytes.extend_from_slice(&crc32fast::hash(values).to_ne_bytes());
    bytes.extend_from_slice(values);
    bytes
}

/// Nothing when the file is not whole: a power cut can leave a name with other bytes behind it.
fn decoded(bytes: &[u8]) -> Option<Tile> {
    let (head, values) = bytes.split_at_checked(HEAD)?;
    let word = |at: usize| head[at..at + 4].try_into().map(u32::from_ne_bytes).ok();
    let size = Size::new(word(4)?, word(8)?);
    let whole = &head[..4] == MAGIC
        && size.area().checked_mul(6) == Some(values.len() as u64)
        && word(12)? == crc32fast::hash(values);
    whole.then(|| {
        let values = values.chunks_exact(2).map(|pair| u16::from_ne_bytes([pair[0], pair[1]])).collect();
        Tile::from_values(size, values)
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::picture::Planes;
    use dettaglio_domain::hash::ContentHash;

    fn key(column: u32) -> TileKey {
        TileKey { content: ContentHash::of(b"vases"), column, row: 3 }
    }

    fn tile(size: Size) -> Tile {
        let count = 3 * size.area();
        let planes = Planes::from_values(size, (0..count).map(|i| i as f32 / count as f32).collect());
        Tile::cut(&planes, size.whole())
    }

    #[test]
    fn another_program_finds_the_same_pixels() {
        let folder = tempfile::tempdir().unwrap();
        let kept = tile(Size::new(5, 4));
        DiskTiles::open(folder.path(), 1 << 20).unwrap().put(&key(0), &kept);
        let again = DiskTiles::open(folder.path(), 1 << 20).unwrap();
        let found = again.get(&key(0)).expect("kept");
        assert_eq!((found.size(), found.values()), (kept.size(), kept.values()));
        assert!(again.get(&key(1)).is_none());
    }

    #[test]
    fn what_is_damaged_or_cut_short_counts_as_missing() {
        let folder = tempfile::tempdir().unwrap();
        let tiles = DiskTiles::open(folder.path(), 1 << 20).unwrap();
        tiles.put(&key(0), &tile(Size::new(8, 8)));
        let path = tiles.path(&key(0));
        let whole = std::fs::read(&path).unwrap();
        for length in [0, 3, HEAD, whole.len() - 1] {
            std::fs::write(&path, &whole[..length]).unwrap();
            assert!(tiles.get(&key(0)).is_none(), "{length} bytes of {}", whole.len());
        }
        let mut changed = whole.clone();
        changed[HEAD + 9] ^= 1;
        std::fs::write(&path, &changed).unwrap();
        assert!(tiles.get(&key(0)).is_none());
        let mut absurd = whole;
        absurd[4..12].copy_from_slice(&[255; 8]);
        std::fs::write(&path, &absurd).unwrap();
        assert!(tiles.get(&key(0)).is_none());
    }

    #[test]
    fn the_limit_holds_and_what_was_used_last_stays() {
        let folder = tempfile::tempdir().unwrap();
        let size = Size::new(16, 16);
        let bytes = (HEAD + 16 * 16 * 6) as u64;
        let tiles = DiskTiles::open(folder.path(), 4 * bytes).unwrap();
        for column in 0..12 {
            tiles.put(&key(column), &tile(size));
            // Times of files are told apart by milliseconds.
            std::thread::sleep(std::time::Duration::from_millis(4));
            assert!(tiles.get(&key(0)).is_some(), "used all the time");
        }
        assert!(tiles.bytes() <= 5 * bytes, "{} of {}", tiles.bytes(), 4 * bytes);
        assert!(tiles.get(&key(11)).is_some() && tiles.get(&key(2)).is_none());
        tiles.clear();
        assert_eq!(tiles.bytes(), 0);
    }
}
