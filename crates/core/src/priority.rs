//! Computing gives way to whatever else the machine does, above all to the browser that shows what is computed.

use std::cell::Cell;

/// By how much nicer a thread becomes that computes (`nice(2)`): beside a program that wants all of a core it keeps a tenth of it.
#[cfg(target_os = "linux")]
const NICER: i32 = 10;

/// The calling thread gives way from now on; it cannot be taken back, and saying it again changes nothing.
///
/// Only on Linux, where niceness is that of a thread, which those that it starts take over.
pub fn give_way() {
    thread_local!(static GIVES_WAY: Cell<bool> = const { Cell::new(false) });
    if GIVES_WAY.replace(true) {
        return;
    }
    #[cfg(target_os = "linux")]
    // Where it is not allowed everything computes as before.
    let _ = rustix::process::nice(NICER);
}

#[cfg(all(test, target_os = "linux"))]
mod tests {
    use super::*;

    #[test]
    fn one_thread_gives_way_once_and_no_other_with_it() {
        let niceness = || rustix::process::getpriority_process(None).unwrap();
        let before = niceness();
        let after = std::thread::spawn(move || {
            give_way();
            give_way();
            niceness()
        });
        assert_eq!(after.join().unwrap(), (before + NICER).min(19));
        assert_eq!(niceness(), before);
    }
}
