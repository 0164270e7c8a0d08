//! The file store: originals by content, thumbnails, results.
//!
//! Keys, not paths: nothing that comes from outside is ever part of a path. What is written appears whole
//! or not at all.

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

use dettaglio_domain::hash::ContentHash;
use dettaglio_domain::id::JobId;
use dettaglio_domain::trace::DrawingFile;
use futures::{StreamExt, TryStreamExt};
use object_store::aws::AmazonS3Builder;
use object_store::buffered::BufWriter;
use object_store::local::LocalFileSystem;
use object_store::path::Path as Key;
use object_store::prefix::PrefixStore;
use object_store::{ObjectStore, ObjectStoreExt, PutPayload};
use tempfile::{NamedTempFile, TempDir};
use tokio::io::AsyncWriteExt;

use crate::StoreError;

/// Files of one installation.
#[derive(Clone, Debug)]
pub struct FileStore {
    store: Arc<dyn ObjectStore>,
    place: Place,
    folder: PathBuf,
    /// For uploads and results that are not whole yet; emptied when the program ends.
    work: Arc<TempDir>,
}

/// Where the files are.
#[derive(Clone, Debug)]
enum Place {
    /// In a folder, which several machines may share.
    Folder(Arc<LocalFileSystem>),
    /// Elsewhere; what is read is copied into a folder first.
    Elsewhere { copies: PathBuf },
}

impl FileStore {
    /// A store in a folder, which is made if it is not there.
    pub fn open(folder: &Path) -> Result<Self, StoreError> {
        let root = folder.join("files");
        std::fs::create_dir_all(&root)?;
        let store = Arc::new(LocalFileSystem::new_with_prefix(&root)?.with_automatic_cleanup(true));
        Self::at(store.clone(), Place::Folder(store), folder)
    }

    /// A store in a bucket, "s3://bucket/prefix"; copies of what is read stay in a folder.
    ///
    /// Where the bucket is and who may use it is said by the environment: AWS_ENDPOINT, AWS_REGION, AWS_ACCESS_KEY_ID,
    /// AWS_SECRET_ACCESS_KEY, AWS_ALLOW_HTTP.
    pub fn open_bucket(address: &str, folder: &Path) -> Result<Self, StoreError> {
        let bucket = AmazonS3Builder::from_env().with_url(address).build()?;
        let prefix = address.splitn(4, '/').nth(3).unwrap_or_default();
        Self::elsewhere(Arc::new(PrefixStore::new(bucket, prefix)), folder)
    }

    /// A store anywhere else; copies of what is read stay in a folder.
    pub fn elsewhere(store: Arc<dyn ObjectStore>, folder: &Path) -> Result<Self, StoreError> {
        let copies = folder.join("copies");
        std::fs::create_dir_all(&copies)?;
        Self::at(store, Place::Elsewhere { copies }, folder)
    }

    fn at(store: Arc<dyn ObjectStore>, place: Place, folder: &Path) -> Result<Self, StoreError> {
        let work = folder.join("work");
        for own in [&work, &folder.join("files"), &folder.join("tiles")] {
            private(own)?;
        }
        sweep(&work);
        let work = tempfile::Builder::new().prefix(&format!("{RUN}{}-", std::process::id())).tempdir_in(work)?;
        Ok(Self { store, place, folder: folder.to_owned(), work: Arc::new(work) })
    }

    /// A folder for files in the making, on the same disk as a store in a folder.
    pub fn work(&self) -> &Path {
        self.work.path()
    }

    /// The folder of a person's own models.
    pub fn models(&self) -> PathBuf {
        self.folder.join("files").join("models")
    }

    /// The folder of tiles that outlast the program.
    pub fn tiles(&self) -> PathBuf {
        self.folder.join("tiles")
    }

    /// Bytes that are free on the disk of the store's folder.
    pub fn free_bytes(&self) -> Option<u64> {
        rustix::fs::statvfs(&self.folder).ok().map(|disk| disk.f_bavail * disk.f_frsize)
    }

    /// Where an original with this content is.
    pub fn original_key(hash: ContentHash) -> String {
        let name = hash.to_string();
        format!("originals/{}/{name}", &name[..2])
    }

    /// Where the thumbnail of an original is.
    pub fn thumbnail_key(hash: ContentHash) -> String {
        let name = hash.to_string();
        format!("thumbnails/{}/{name}.png", &name[..2])
    }

    /// Where the result of a job is. Each attempt has a place of its own: one that lost its lease cannot reach the other's file.
    pub fn result_key(job: JobId, attempt: u32, extension: &str) -> String {
        format!("enlargements/{job}-{attempt}.{extension}")
    }

    /// Where the drawing is that the result under `result_key` was made of.
    pub fn drawing_key(result_key: &str, file: DrawingFile) -> String {
        format!("{result_key}.{}", file.extension())
    }

    /// Where a model's example is: of this file, on this picture, before or after.
    pub fn example_key(model: ContentHash, picture: ContentHash, side: &str) -> String {
        format!("examples/{model}-{}-{side}.png", &picture.to_string()[..16])
    }

    /// Whether there is something under a key.
    pub async fn has(&self, key: &str) -> Result<bool, StoreError> {
        match self.store.head(&Key::from(key)).await {
            Ok(_) => Ok(true),
            Err(object_store::Error::NotFound { .. }) => Ok(false),
            Err(e) => Err(e.into()),
        }
    }

    /// Keeps bytes under a key.
    pub async fn put(&self, key: &str, bytes: Vec<u8>) -> Result<(), StoreError> {
        self.store.put(&Key::from(key), PutPayload::from(bytes)).await?;
        Ok(())
    }

    /// Keeps a copy of a file under a key, piece by piece.
    pub async fn put_file(&self, key: &str, path: &Path) -> Result<u64, StoreError> {
        let mut file = tokio::fs::File::open(path).await?;
        let mut writer = BufWriter::new(Arc::clone(&self.store), Key::from(key));
        match tokio::io::copy(&mut file, &mut writer).await {
            Ok(bytes) => {
                writer.shutdown().await?;
                Ok(bytes)
            }
            Err(error) => {
                // Parts that were sent already are taken back; where that fails too, the store's own rules see to them.
                let _ = writer.abort().await;
                Err(error.into())
            }
        }
    }

    /// Removes what is under a key, if anything is; of a store elsewhere, also the copy that was fetched.
    pub async fn delete(&self, key: &str) -> Result<(), StoreError> {
        if let Place::Elsewhere { copies } = &self.place {
            match tokio::fs::remove_file(copies.join(copy_name(key))).await {
                Err(error) if error.kind() != std::io::ErrorKind::NotFound => return Err(error.into()),
                _ => {}
            }
        }
        match self.store.delete(&Key::from(key)).await {
            Ok(()) | Err(object_store::Error::NotFound { .. }) => Ok(()),
            Err(e) => Err(e.into()),
        }
    }

    /// A small file as bytes.
    pub async fn get(&self, key: &str) -> Result<Vec<u8>, StoreError> {
        Ok(self.store.get(&Key::from(key)).await?.bytes().await?.to_vec())
    }

    /// A path at which the file under a key can be read; of a store elsewhere, a copy is fetched first.
    pub async fn local(&self, key: &str) -> Result<PathBuf, StoreError> {
        let copies = match &self.place {
            Place::Folder(folder) => return Ok(folder.path_to_filesystem(&Key::from(key))?),
            Place::Elsewhere { copies } => copies,
        };
        let path = copies.join(copy_name(key));
        if tokio::fs::try_exists(&path).await? {
            return Ok(path);
        }
        let part = NamedTempFile::new_in(copies)?;
        let mut out = tokio::fs::File::from_std(part.reopen()?);
        let mut pieces = self.store.get(&Key::from(key)).await?.into_stream();
        while let Some(piece) = pieces.next().await {
            out.write_all(&piece?).await?;
        }
        out.sync_all().await?;
        part.persist(&path).map_err(|e| e.error)?;
        Ok(path)
    }

    /// The keys under a prefix.
    pub async fn keys(&self, prefix: &str) -> Result<Vec<String>, StoreError> {
        let found = self.store.list(Some(&Key::from(prefix))).map_ok(|meta| meta.location.to_string());
        Ok(found.try_collect().await?)
    }

    /// Moves what is under a key to another, where anything is.
    pub async fn rename(&self, key: &str, to: &str) -> Result<(), StoreError> {
        match self.store.rename(&Key::from(key), &Key::from(to)).await {
            Ok(()) | Err(object_store::Error::NotFound { .. }) => Ok(()),
            Err(e) => Err(e.into()),
        }
    }

    /// Whether files can be written: for the health report.
    pub async fn check(&self) -> Result<(), StoreError> {
        // Each by a name of its own: several may be asked at once, by several programs.
        static ASKED: AtomicU64 = AtomicU64::new(0);
        let name = format!("health-{}-{}", std::process::id(), ASKED.fetch_add(1, Ordering::Relaxed));
        self.put(&name, b"ok".to_vec()).await?;
        Ok(self.store.delete(&Key::from(name)).await?)
    }
}

/// What the local copy of a key elsewhere is called.
fn copy_name(key: &str) -> String {
    key.replace('/', "-")
}

const RUN: &str = "run-";

/// A folder that other users of the machine do not look into.
fn private(folder: &Path) -> std::io::Result<()> {
    use std::os::unix::fs::PermissionsExt;
    std::fs::create_dir_all(folder)?;
    std::fs::set_permissions(folder, std::fs::Permissions::from_mode(0o700))
}

/// Removes the work of programs that were killed.
fn sweep(work: &Path) {
    for entry in std::fs::read_dir(work).into_iter().flatten().flatten() {
        let name = entry.file_name();
        let process = name.to_str().and_then(|n| n.strip_prefix(RUN)).and_then(|n| n.split('-').next());
        if process.is_some_and(|id| !Path::new("/proc").join(id).exists()) {
            let _ = std::fs::remove_dir_all(entry.path());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use object_store::memory::InMemory;
    use rstest::rstest;

    fn in_folder(folder: &Path) -> FileStore {
        FileStore::open(folder).unwrap()
    }

    fn in_memory(folder: &Path) -> FileStore {
        FileStore::elsewhere(Arc::new(InMemory::new()), folder).unwrap()
    }

    #[rstest]
    #[case(in_folder)]
    #[case(in_memory)]
    #[tokio::test]
    async fn what_was_kept_can_be_read_wherever_the_store_is(#[case] open: fn(&Path) -> FileStore) {
        let folder = tempfile::tempdir().unwrap();
        let store = open(folder.path());
        let source = folder.path().join("vases.tif");
        let bytes: Vec<u8> = (0..200_000_u32).map(|i| (i * 7 % 251) as u8).collect();
        std::fs::write(&source, &bytes).unwrap();
        let key = FileStore::result_key(JobId::from(7), 2, "tif");
        assert!(!store.has(&key).await.unwrap());
        assert_eq!(store.put_file(&key, &source).await.unwrap(), 200_000);
        assert_eq!(std::fs::read(store.local(&key).await.unwrap()).unwrap(), bytes);
        assert_eq!(std::fs::read(store.local(&key).await.unwrap()).unwrap(), bytes, "a second time");
        assert_eq!(store.keys("enlargements").await.unwrap(), std::slice::from_ref(&key));
        store.rename(&key, "leaving").await.unwrap();
        store.rename(&key, "leaving").await.unwrap();
        assert!(!store.has(&key).await.unwrap(), "moved; what is not there is not moved");
        store.rename("leaving", &key).await.unwrap();
        assert_eq!(store.get(&key).await.unwrap(), bytes);
        store.delete(&key).await.unwrap();
        store.delete(&key).await.unwrap();
        assert!(!store.has(&key).await.unwrap());
        assert!(!store.local(&key).await.is_ok_and(|path| path.exists()), "no copy stays behind");
        assert!(
            store.local("enlargements/8-1.tif").await.is_err() || !store.has("enlargements/8-1.tif").await.unwrap()
        );
    }

    #[test]
    fn work_of_a_killed_program_is_swept_out() {
        let folder = tempfile::tempdir().unwrap();
        let left = folder.path().join("work").join("run-999999999-x");
        std::fs::create_dir_all(left.join("inner")).unwrap();
        let store = FileStore::open(folder.path()).unwrap();
        assert!(!left.exists());
        let second = FileStore::open(folder.path()).unwrap();
        assert!(store.work().exists() && second.work().exists(), "one that runs is left alone");
    }
}
