//! Zip archives that come in: the pictures in them, as if each had been sent by itself.

use std::fs::File;
use std::io::{Read, Write};
use std::path::Path;

use dettaglio_core::hash::{ContentHash, Hasher};
use dettaglio_core::limits::Limits;
use dettaglio_core::naming;
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

/// Unpacks an archive into `work`: folders and hidden files are passed over, names lose their folders, and no file counts
/// for more bytes than the limit, whatever the archive says of it.
pub fn unpack(path: &Path, work: &Path, limits: &Limits) -> Result<Vec<Unpacked>, Problem> {
    let damaged = |error: zip::result::ZipError| {
        Problem::refused("file.damaged", format!("the archive cannot be read: {error}. Pack it anew")).field("files")
    };
    let mut archive = ZipArchive::new(File::open(path).map_err(Problem::internal)?).map_err(damaged)?;
    if archive.len() > MOST_FILES {
        let detail = format!("the archive holds {} files; at most {MOST_FILES} are taken at once", archive.len());
        return Err(Problem::refused("archive.too-many", detail).field("files"));
    }
    let mut room = limits.file_bytes.saturating_mul(MOST_TIMES);
    let mut files = Vec::new();
    for i in 0..archive.len() {
        let mut entry = match archive.by_index(i) {
            Ok(entry) => entry,
            Err(error) => {
                files.push((format!("file {} of the archive", i + 1), Err(damaged(error))));
                continue;
            }
        };
        let path = entry.name().map(|name| name.into_owned()).unwrap_or_default();
        let name = path.replace('\\', "/").rsplit('/').next().unwrap_or_default().to_owned();
        if entry.is_dir() || name.is_empty() || name.starts_with('.') || path.starts_with("__MACOSX") {
            continue;
        }
        let most = limits.file_bytes.min(room);
        let outcome = copied(&mut entry, work, most);
        if let Ok((_, _, bytes)) = &outcome {
            room -= bytes;
        }
        files.push((naming::plain(&name), outcome.map(|(file, hash, _)| (file, hash))));
    }
    Ok(files)
}

fn copied(entry: &mut impl Read, work: &Path, most: u64) -> Result<(NamedTempFile, ContentHash, u64), Problem> {
    let mut file = NamedTempFile::new_in(work).map_err(Problem::full)?;
    let (mut hasher, mut bytes) = (Hasher::new(), 0);
    let mut piece = vec![0; 1 << 17];
    loop {
        let count = entry.read(&mut piece).map_err(|error| {
            Problem::refused("file.damaged", format!("it cannot be unpacked: {error}")).field("files")
        })?;
        if count == 0 {
            return Ok((file, hasher.finish(), bytes));
        }
        bytes += count as u64;
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
