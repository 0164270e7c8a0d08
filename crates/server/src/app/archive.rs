//! Zip archives that come in: the pictures in them, as if each had been sent by itself.

use std::fs::File;
use std::io::{Read, Write};
use std::path::Path;

use dettaglio_domain::hash::{ContentHash, Hasher};
use dettaglio_domain::limits::Limits;
use dettaglio_domain::naming;
use dettaglio_domain::naming::Unlike;
use tempfile::NamedTempFile;
use zip::ZipArchive;

use crate::problem::Problem;

/// The most files of one archive.
const MOST_FILES: usize = 2000;

/// All files of an archive together may take so many times what one file may.
const MOST_TIMES: u64 = 8;

/// A file out of an archive: its name, and itself or why it is refused.
pub type Unpacked = (String, Result<(NamedTempFile, ContentHash), Problem>);

/// Whether a file is a zip archive, by its first bytes.
pub fn is_archive(path: &Path) -> bool {
    let mut head = [0; 4];
    File::open(path).and_then(|mut file| file.read_exact(&mut head)).is_ok() && &head == b"PK\x03\x04"
}

/// An archive that is unpacked a file at a time, so that only one of them lies on the disk.
///
/// Folders and hidden files are passed over, names lose their folders and are unlike each other, and whatever is unpacked counts,
/// also of a file that is refused: entries may share their bytes, and say what they like of their length.
pub struct Unpacking {
    archive: ZipArchive<File>,
    next: usize,
    /// Bytes that may still be unpacked.
    room: u64,
    most_of_one: u64,
    names: Unlike,
}

impl Unpacking {
    /// Reads an archive's list of files.
    pub fn open(path: &Path, limits: &Limits) -> Result<Self, Problem> {
        let archive = ZipArchive::new(File::open(path).map_err(Problem::internal)?).map_err(damaged)?;
        if archive.len() > MOST_FILES {
            let detail = format!("the archive holds {} files; at most {MOST_FILES} are taken at once", archive.len());
            return Err(Problem::refused("archive.too-many", detail).field("files"));
        }
        let (room, most_of_one) = (limits.file_bytes.saturating_mul(MOST_TIMES), limits.file_bytes);
        Ok(Self { archive, next: 0, room, most_of_one, names: Unlike::default() })
    }

    /// Unpacks the next file into `work`; nothing after the last.
    pub fn next_into(&mut self, work: &Path) -> Option<Unpacked> {
        while self.next < self.archive.len() {
            self.next += 1;
            let mut entry = match self.archive.by_index(self.next - 1) {
                Ok(entry) => entry,
                Err(error) => return Some((format!("file {} of the archive", self.next), Err(damaged(error)))),
            };
            let path = entry.name().map(|name| name.into_owned()).unwrap_or_default();
            let name = path.replace('\\', "/").rsplit('/').next().unwrap_or_default().to_owned();
            if entry.is_dir() || name.is_empty() || name.starts_with('.') || path.starts_with("__MACOSX") {
                continue;
            }
            let outcome = copied(&mut entry, work, self.most_of_one.min(self.room), &mut self.room);
            return Some((self.names.take(naming::plain(&name)), outcome));
        }
        None
    }
}

fn damaged(error: zip::result::ZipError) -> Problem {
    Problem::refused("file.damaged", format!("the archive cannot be read: {error}. Pack it anew")).field("files")
}

/// Unpacks an entry of at most `most` bytes; what was unpacked goes off `room`, whatever comes of it.
fn copied(
    entry: &mut impl Read,
    work: &Path,
    most: u64,
    room: &mut u64,
) -> Result<(NamedTempFile, ContentHash), Problem> {
    let mut file = NamedTempFile::new_in(work).map_err(Problem::full)?;
    let (mut hasher, mut bytes) = (Hasher::new(), 0);
    let mut piece = vec![0; 1 << 17];
    loop {
        let count = entry.read(&mut piece).map_err(|error| {
            Problem::refused("file.damaged", format!("it cannot be unpacked: {error}")).field("files")
        })?;
        if count == 0 {
            return Ok((file, hasher.finish()));
        }
        bytes += count as u64;
        *room = room.saturating_sub(count as u64);
        if bytes > most {
            let detail = format!("it unpacks to more than {} MB: send it by itself, or smaller", most / 1_000_000);
            return Err(Problem::refused("limit.file-bytes", detail).field("files"));
        }
        hasher.update(&piece[..count]);
        file.write_all(&piece[..count]).map_err(Problem::full)?;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use zip::ZipWriter;
    use zip::write::SimpleFileOptions;

    fn archive(files: &[(&str, Vec<u8>)]) -> NamedTempFile {
        let file = NamedTempFile::new().unwrap();
        let mut writer = ZipWriter::new(file.reopen().unwrap());
        for (name, bytes) in files {
            writer.start_file(*name, SimpleFileOptions::default()).unwrap();
            writer.write_all(bytes).unwrap();
        }
        writer.finish().unwrap();
        file
    }

    fn unpack(path: &Path, work: &Path, limits: &Limits) -> Result<Vec<Unpacked>, Problem> {
        let mut unpacking = Unpacking::open(path, limits)?;
        Ok(std::iter::from_fn(|| unpacking.next_into(work)).collect())
    }

    #[test]
    fn two_of_one_name_are_both_taken() {
        let packed = archive(&[("room 1/vases.jpg", vec![1; 10]), ("room 2/Vases.jpg", vec![2; 10])]);
        let work = tempfile::tempdir().unwrap();
        let files = unpack(packed.path(), work.path(), &Limits::default()).unwrap();
        let names: Vec<&str> = files.iter().map(|(name, _)| name.as_str()).collect();
        assert_eq!(names, ["vases.jpg", "Vases-2.jpg"]);
    }

    #[test]
    fn what_is_refused_counts_as_unpacked() {
        let bombs: Vec<(String, Vec<u8>)> = (0..20).map(|i| (format!("{i}.png"), vec![0; 1_000_001])).collect();
        let bombs: Vec<(&str, Vec<u8>)> = bombs.iter().map(|(name, bytes)| (name.as_str(), bytes.clone())).collect();
        let packed = archive(&bombs);
        let limits = Limits { file_bytes: 1_000_000, ..Limits::default() };
        let mut unpacking = Unpacking::open(packed.path(), &limits).unwrap();
        let work = tempfile::tempdir().unwrap();
        while let Some((_, outcome)) = unpacking.next_into(work.path()) {
            assert_eq!(outcome.unwrap_err().code, "limit.file-bytes");
        }
        assert_eq!(unpacking.room, 0, "after eight of twenty no more than a piece of each is unpacked");
    }

    #[test]
    fn pictures_lose_their_folders_and_nothing_leaves_the_work_folder() {
        let packed = archive(&[
            ("room 2/vases.jpg", vec![1; 10]),
            ("../../etc/passwd", vec![2; 10]),
            ("C:\\scans\\sign.tif", vec![3; 10]),
            ("room 2/.hidden", vec![4; 10]),
            ("__MACOSX/room 2/vases.jpg", vec![5; 10]),
        ]);
        let work = tempfile::tempdir().unwrap();
        assert!(is_archive(packed.path()));
        let files = unpack(packed.path(), work.path(), &Limits::default()).unwrap();
        let names: Vec<&str> = files.iter().map(|(name, _)| name.as_str()).collect();
        assert_eq!(names, ["vases.jpg", "passwd", "sign.tif"]);
        for (_, file) in &files {
            assert_eq!(file.as_ref().unwrap().0.path().parent(), Some(work.path()));
        }
        assert_eq!(files[0].1.as_ref().unwrap().1, ContentHash::of(&[1; 10]));
    }

    #[test]
    fn one_that_unpacks_to_too_much_is_refused_and_the_others_are_not() {
        let packed = archive(&[("bomb.png", vec![0; 5_000_000]), ("vases.png", vec![7; 100])]);
        assert!(packed.as_file().metadata().unwrap().len() < 20_000);
        let work = tempfile::tempdir().unwrap();
        let limits = Limits { file_bytes: 1_000_000, ..Limits::default() };
        let files = unpack(packed.path(), work.path(), &limits).unwrap();
        assert_eq!(files[0].1.as_ref().unwrap_err().code, "limit.file-bytes");
        assert!(files[1].1.is_ok());
    }

    #[test]
    fn a_damaged_archive_says_so() {
        let packed = archive(&[("vases.png", vec![7; 3000])]);
        let bytes = std::fs::read(packed.path()).unwrap();
        let work = tempfile::tempdir().unwrap();
        for length in [4, 40, bytes.len() / 2, bytes.len() - 3] {
            std::fs::write(packed.path(), &bytes[..length]).unwrap();
            let problem = unpack(packed.path(), work.path(), &Limits::default()).err();
            assert_eq!(problem.map(|p| p.code), Some("file.damaged"), "{length} bytes");
        }
    }
}
