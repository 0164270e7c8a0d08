//! For tests: a database server that all tests of a process share, with a fresh database folder for each process.

use std::sync::{Arc, Mutex, Weak};

use tempfile::TempDir;
use tokio::runtime::Runtime;

use crate::mariadb::MariaDb;

/// A running MariaDB; the last holder's drop stops it.
pub struct TestServer {
    runtime: Option<Runtime>,
    database: Option<MariaDb>,
    _folder: TempDir,
    url: String,
}

impl TestServer {
    /// The server that other tests use already, or a new one.
    ///
    /// # Panics
    /// When MariaDB is not installed or does not come up: a test cannot go on without it.
    pub fn shared() -> Arc<Self> {
        static SHARED: Mutex<Weak<TestServer>> = Mutex::new(Weak::new());
        let mut shared = SHARED.lock().unwrap_or_else(|e| e.into_inner());
        if let Some(server) = shared.upgrade() {
            return server;
        }
        // On a thread of its own: the caller may be inside a runtime, which must not block.
        let server = std::thread::spawn(|| {
            let folder = tempfile::tempdir().expect("a temporary folder");
            let runtime = Runtime::new().expect("a runtime");
            let database = runtime.block_on(MariaDb::start_for_tests(folder.path())).expect("MariaDB comes up");
            let url = database.url().to_owned();
            Arc::new(TestServer { runtime: Some(runtime), database: Some(database), _folder: folder, url })
        })
        .join()
        .expect("the database thread");
        *shared = Arc::downgrade(&server);
        server
    }

    /// The address of a database of this name, which the connecting user may create.
    pub fn url(&self) -> &str {
        &self.url
    }

    /// A new, empty database on the server, and its address.
    pub async fn fresh_database(&self) -> String {
        use sqlx::{Connection, Executor, MySqlConnection};
        static COUNT: std::sync::atomic::AtomicU32 = std::sync::atomic::AtomicU32::new(0);
        let name = format!("dettaglio_test_{}", COUNT.fetch_add(1, std::sync::atomic::Ordering::Relaxed));
        let mut connection = MySqlConnection::connect(&self.url).await.expect("a connection");
        connection.execute(format!("CREATE DATABASE {name}").as_str()).await.expect("a new database");
        crate::mariadb::with_database(&self.url, &name)
    }
}

impl Drop for TestServer {
    fn drop(&mut self) {
        let (runtime, database) = (self.runtime.take(), self.database.take());
        let stopped = std::thread::spawn(move || {
            if let (Some(runtime), Some(database)) = (runtime, database) {
                runtime.block_on(database.stop());
            }
        });
        let _ = stopped.join();
    }
}
