//! The store on a real MariaDB and a real disk.

mod backups;
mod choices;
mod database_server;
mod file_store;
mod housekeeping;
mod jobs;
mod orders;
mod removed;
mod support;
