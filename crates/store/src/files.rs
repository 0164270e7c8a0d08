//! The file store: originals by content, thumbnails, results.
//!
//! Keys, not paths: nothing that comes from outside is ever part of a path. What is written appears whole
//! or not at all.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use dettaglio_core::hash::ContentHash;
use object_store::buffered::BufWriter;
use object_store::local::LocalFileSystem;
use object_store::path::Path as Key;
use object_store::{ObjectStore, ObjectStoreExt, PutPayload};
use tempfile::TempDir;
use tokio::io::AsyncWriteExt;

use crate::StoreError;

/// Files of one installation.
#[derive(Clone, Debug)]
pub struct FileStore {
    store: Arc<LocalFileSystem>,
    root: PathBuf,
    /// For uploads and results that are not whole yet; emptied when the program ends.
    work: Arc<TempDir>,
}

impl FileStore {
    /// A store in a folder, which is made if it is not there.
    pub fn open(folder: &Path) -> Result<Self, StoreError> {
        let root = folder.join("files");
        std::fs::create_dir_all(&root)?;
        let work = folder.join("work");
        std::fs::create_dir_all(&work)?;
        let work = tempfile::Builder::new().prefix("run-").tempdir_in(work)?;
        let store = LocalFileSystem::new_with_prefix(&root)?.with_automatic_cleanup(true);
        Ok(Self { store: Arc::new(store), root, work: Arc::new(work) })
    }

    /// A folder for files in the making, on the same disk.
    pub fn work(&self) -> &Path {
        self.work.path()
    }

    /// The folder of a person's own models.
    pub fn models(&self) -> PathBuf {
        self.root.join("models")
    }

    /// Bytes that are free on the disk of the store.
    pub fn free_bytes(&self) -> Option<u64> {
        rustix::fs::statvfs(&self.root).ok().map(|disk| disk.f_bavail * disk.f_frsize)
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

    /// Where the result of a job is.
    pub fn result_key(job: u64, extension: &str) -> String {
        format!("enlargements/{job}.{extension}")
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
        let store: Arc<dyn ObjectStore> = self.store.clone();
        let mut writer = BufWriter::new(store, Key::from(key));
        let bytes = tokio::io::copy(&mut file, &mut writer).await?;
        writer.shutdown().await?;
        Ok(bytes)
    }

    /// A small file as bytes.
    pub async fn get(&self, key: &str) -> Result<Vec<u8>, StoreError> {
        Ok(self.store.get(&Key::from(key)).await?.bytes().await?.to_vec())
    }

    /// A path at which the file under a key can be read.
    pub fn path(&self, key: &str) -> Result<PathBuf, StoreError> {
        Ok(self.store.path_to_filesystem(&Key::from(key))?)
    }

    /// Whether files can be written: for the health report.
    pub async fn check(&self) -> Result<(), StoreError> {
        self.put("health", b"ok".to_vec()).await?;
        Ok(self.store.delete(&Key::from("health")).await?)
    }
}
