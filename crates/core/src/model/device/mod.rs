//! Devices that compute networks, where the runtime has plug-ins for them: found, tried, and used with the reference in reserve.
//!
//! A plug-in is a library that the runtime loads beside its own (`libonnxruntime_providers_*.so`). Each is tried in a process of its own, as a
//! driver that crashes takes its process along; this one loads only that of the device which is chosen.

mod choice;
mod kept;
mod plugin;
mod survey;
mod trial;

pub use choice::Devices;
pub use plugin::{PLUGINS_VARIABLE, plugins};
pub use survey::{Found, Survey};
pub(crate) use survey::{TRY_COMMAND, try_plugin};
