//! The messages of the API, open to the fuzz targets.

use dettaglio_domain::intent::Intent;
use dettaglio_domain::recipe::Steps;
use serde::de::DeserializeOwned;

/// Reads some bytes as each kind of message.
pub fn message(bytes: &[u8]) {
    fn read<T: DeserializeOwned>(bytes: &[u8]) {
        let _ = serde_json::from_slice::<T>(bytes);
    }
    let kinds = [
        read::<crate::app::batch::Batch>,
        read::<super::house::Application>,
        read::<super::house::NewHouseTreatment>,
        read::<super::jobs::Hold>,
        read::<super::jobs::Instruction>,
        read::<super::jobs::JobRequest>,
        read::<super::orders::Shelve>,
        read::<super::rehearsal::RehearsalRequest>,
        read::<super::results::Opinion>,
        read::<super::session::SignIn>,
        read::<super::shared::NewLink>,
        read::<Intent>,
        read::<Steps>,
    ];
    kinds.iter().for_each(|read| read(bytes));
}
