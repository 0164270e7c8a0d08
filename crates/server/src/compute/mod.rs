//! Where pictures are computed: decoded originals at hand, who may compute when, and the workers.

pub mod ahead;
pub mod calibrate;
pub mod computing;
pub(crate) mod drawn;
pub mod rehearsals;
pub mod studio;
pub mod worker;
