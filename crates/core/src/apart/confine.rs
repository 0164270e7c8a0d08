//! What a helper's process may not do: open files, write, reach a network, start programs, take more memory than it was given.
//!
//! System calls are refused by a filter of the kernel (seccomp, on Linux for x86-64, AArch64 and RISC-V); elsewhere, or where a
//! kernel has none, the limits on resources stand alone.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{Read, Seek};

use libc::*;
use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};
use seccompiler::{BpfProgram, SeccompAction, SeccompFilter, apply_filter_all_threads};

/// Names the runtime's library, which a helper may need: the one thing of the environment that it is given.
pub(crate) const LIBRARY_VARIABLE: &str = "DETTAGLIO_ONNXRUNTIME";

/// Files that may be open at once: those that a runtime holds, the connection, and one that is read.
const OPEN_FILES: u64 = 64;

/// System calls that a helper has no business with. Threads, memory and the connection remain.
#[rustfmt::skip]
const REFUSED: &[c_long] = &[
    SYS_openat, SYS_openat2, SYS_socket, SYS_socketpair, SYS_connect, SYS_bind, SYS_listen, SYS_accept, SYS_accept4,
    SYS_execve, SYS_execveat, SYS_ptrace, SYS_process_vm_readv, SYS_process_vm_writev, SYS_kill, SYS_pidfd_open,
    SYS_pidfd_getfd, SYS_pidfd_send_signal, SYS_unlinkat, SYS_renameat2, SYS_mkdirat, SYS_mknodat, SYS_linkat, SYS_symlinkat,
    SYS_fchmod, SYS_fchmodat, SYS_fchown, SYS_fchownat, SYS_truncate, SYS_ftruncate, SYS_fallocate, SYS_utimensat, SYS_setxattr,
    SYS_fsetxattr, SYS_lsetxattr, SYS_mount, SYS_umount2, SYS_pivot_root, SYS_chroot, SYS_unshare, SYS_setns, SYS_bpf,
    SYS_perf_event_open, SYS_userfaultfd, SYS_io_uring_setup, SYS_keyctl, SYS_add_key, SYS_request_key, SYS_memfd_create,
    SYS_shmget, SYS_mq_open, SYS_inotify_init1, SYS_setuid, SYS_setgid, SYS_setresuid, SYS_setresgid, SYS_name_to_handle_at,
    SYS_open_by_handle_at,
];

/// The older forms of some of them.
#[cfg(target_arch = "x86_64")]
#[rustfmt::skip]
const REFUSED_OLDER: &[c_long] = &[
    SYS_open, SYS_creat, SYS_fork, SYS_vfork, SYS_unlink, SYS_rename, SYS_renameat, SYS_mkdir, SYS_rmdir, SYS_link, SYS_symlink,
    SYS_mknod, SYS_chmod, SYS_chown, SYS_lchown, SYS_utime, SYS_utimes, SYS_inotify_init,
];

#[cfg(not(target_arch = "x86_64"))]
const REFUSED_OLDER: &[c_long] = &[];

/// A process that is confined for the rest of its life.
pub(crate) struct Confined {
    /// Where the kernel tells how much memory is in use: opened while files could be opened.
    status: Option<File>,
}

impl Confined {
    /// To be said once all that must be opened is open; `seconds` of computing are allowed in the whole life of the process.
    pub(crate) fn new(seconds: u64) -> Self {
        let status = File::open("/proc/self/status").ok();
        limit(Resource::Core, 0);
        limit(Resource::Fsize, 0);
        limit(Resource::Cpu, seconds);
        limit(Resource::Nofile, OPEN_FILES);
        // The threads that decoders compute with are started now, as they look around in the system when they start.
        rayon::broadcast(|_| ());
        if let Some(filter) = filter() {
            let _ = apply_filter_all_threads(&filter);
        }
        Self { status }
    }

    /// Bytes of address space in use; 0 where the system does not tell.
    pub(crate) fn memory_in_use(&mut self) -> u64 {
        let mut text = String::new();
        let read = self.status.as_mut().map(|file| file.rewind().and_then(|()| file.read_to_string(&mut text)));
        if !matches!(read, Some(Ok(_))) {
            return 0;
        }
        let size = text.lines().find_map(|line| line.strip_prefix("VmSize:"));
        size.and_then(|line| line.split_whitespace().next()?.parse::<u64>().ok()).map_or(0, |kilobytes| kilobytes << 10)
    }
}

fn filter() -> Option<BpfProgram> {
    let rules: BTreeMap<i64, Vec<_>> = REFUSED.iter().chain(REFUSED_OLDER).map(|call| (*call, Vec::new())).collect();
    let architecture = std::env::consts::ARCH.try_into().ok()?;
    let filter = SeccompFilter::new(rules, SeccompAction::Allow, SeccompAction::Errno(EPERM as u32), architecture);
    filter.ok()?.try_into().ok()
}

/// Allows so many bytes of address space from now on.
pub(crate) fn allow_memory(bytes: u64) {
    let most = getrlimit(Resource::As).maximum;
    let bytes = most.map_or(bytes, |most| bytes.min(most));
    let _ = setrlimit(Resource::As, Rlimit { current: Some(bytes), maximum: most });
}

fn limit(resource: Resource, most: u64) {
    let _ = setrlimit(resource, Rlimit { current: Some(most), maximum: Some(most) });
}

#[cfg(all(test, target_os = "linux"))]
mod tests {
    use std::io::ErrorKind::PermissionDenied;
    use std::net::{TcpListener, TcpStream};
    use std::process::Command;

    use super::*;

    #[test]
    fn what_is_filtered_opens_nothing_reaches_nothing_and_starts_nothing() {
        let filter = filter().expect("this machine's architecture has a filter");
        // The filter is a thread's own: the other tests go on as before.
        let tried = std::thread::spawn(move || {
            seccompiler::apply_filter(&filter).expect("the kernel takes filters");
            [
                File::open("/etc/hostname").map(drop),
                File::create("/tmp/dettaglio-confined").map(drop),
                std::fs::remove_file("/tmp/dettaglio-no-such-file"),
                TcpListener::bind("127.0.0.1:0").map(drop),
                TcpStream::connect("127.0.0.1:9").map(drop),
                Command::new("true").spawn().map(drop),
            ]
            .map(|outcome| outcome.expect_err("refused").kind())
        });
        assert_eq!(tried.join().unwrap(), [PermissionDenied; 6]);
    }
}
