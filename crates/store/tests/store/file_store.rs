//! Files by key: whole or not there.

use dettaglio_domain::hash::ContentHash;
use dettaglio_store::files::FileStore;

#[tokio::test]
async fn a_file_is_kept_under_its_content() {
    let folder = tempfile::tempdir().unwrap();
    let files = FileStore::open(folder.path()).unwrap();
    let content = vec![7_u8; 3 << 20];
    let source = files.work().join("incoming");
    std::fs::write(&source, &content).unwrap();
    let key = FileStore::original_key(ContentHash::of(&content));
    assert!(!files.has(&key).await.unwrap());
    assert_eq!(files.put_file(&key, &source).await.unwrap(), content.len() as u64);
    assert!(files.has(&key).await.unwrap());
    assert_eq!(files.get(&key).await.unwrap(), content);
    assert_eq!(std::fs::read(files.local(&key).await.unwrap()).unwrap(), content);
}

#[tokio::test]
async fn what_is_missing_is_an_error_and_the_store_is_healthy() {
    let folder = tempfile::tempdir().unwrap();
    let files = FileStore::open(folder.path()).unwrap();
    assert!(files.get("enlargements/1.tif").await.is_err());
    files.check().await.unwrap();
    assert!(files.free_bytes().unwrap() > 0);
}

#[test]
fn the_work_folder_goes_with_the_store() {
    let folder = tempfile::tempdir().unwrap();
    let files = FileStore::open(folder.path()).unwrap();
    let work = files.work().to_owned();
    std::fs::write(work.join("half a file"), b"x").unwrap();
    drop(files);
    assert!(!work.exists());
}
