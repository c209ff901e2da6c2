//! What foreign code may reach: nothing but its own files, the system's libraries, and an empty room to write into. Libraries that
//! will be loaded come in; a process that can neither read what is this user's, nor write, nor speak to anybody, nor touch
//! another program goes out, as far as this kernel grants it. Three fences, each of its own: namespaces (programs and network that
//! are not there), Landlock (files), and a list of calls that sound never needs (seccomp). What was not granted is told.

use landlock::{
    ABI, Access, AccessFs, AccessNet, Ruleset, RulesetAttr, RulesetCreatedAttr, RulesetStatus, Scope,
    path_beneath_rules,
};
use rustix::thread::UnshareFlags;
use seccompiler::{
    BpfProgram, SeccompAction, SeccompCmpArgLen, SeccompCmpOp, SeccompCondition, SeccompFilter, SeccompRule,
};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// Names the folder that it may write into; made for it, and gone after it.
pub(super) const ROOM: &str = "SWIFTLOOP_ROOM";

/// Names the home of whoever weighs, while another one stands in its place.
pub(super) const OWN_HOME: &str = "SWIFTLOOP_HOME";

/// What a process was shut off from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, serde::Serialize)]
pub struct Sandbox {
    /// Other programs are not there for it, or cannot be touched.
    pub programs: bool,
    /// There is no network in its world, or none that it can speak to.
    pub network: bool,
    /// It reads its own files and the system's, and writes into its room only.
    pub files: bool,
    /// Calls that sound never needs are refused.
    pub calls: bool,
}

impl Sandbox {
    /// The fences that could not be put up, in words.
    #[must_use]
    pub fn missing(self) -> Vec<&'static str> {
        let all = [
            (self.programs, "other programs"),
            (self.network, "the network"),
            (self.files, "files"),
            (self.calls, "calls of the system"),
        ];
        all.into_iter().filter(|(held, _)| !held).map(|(_, word)| word).collect()
    }
}

/// Worlds of their own for the children of this process, which has no other thread: programs that all end with the first of them,
/// no network, no shared memory of others. Which of programs and network were granted.
pub(super) fn worlds() -> (bool, bool) {
    let all = UnshareFlags::NEWPID | UnshareFlags::NEWNET | UnshareFlags::NEWIPC;
    // SAFETY: nothing of this process depends on the namespaces of its children.
    let unshare = |flags| unsafe { rustix::thread::unshare_unsafe(flags) }.is_ok();
    if unshare(all) {
        return (true, true);
    }
    let (user, group) = (rustix::process::getuid().as_raw(), rustix::process::getgid().as_raw());
    // Whoever is not the superuser may have such worlds as the user of one; nobody else exists there.
    if unshare(UnshareFlags::NEWUSER | all) {
        let _ = std::fs::write("/proc/self/setgroups", "deny");
        let _ = std::fs::write("/proc/self/uid_map", format!("{user} {user} 1"));
        let _ = std::fs::write("/proc/self/gid_map", format!("{group} {group} 1"));
        return (true, true);
    }
    (unshare(UnshareFlags::NEWPID), unshare(UnshareFlags::NEWNET))
}

/// Shuts this thread in, and all that it starts, for good. Nothing foreign has run in it yet.
pub(super) fn shut_in(libraries: &[&Path]) -> (bool, bool) {
    let held = files(libraries).is_some_and(|status| status != RulesetStatus::NotEnforced);
    (held, calls().is_some())
}

/// Where libraries, what belongs to them and what describes the machine lie.
const SYSTEM: [&str; 17] = [
    "/usr",
    "/lib",
    "/lib32",
    "/lib64",
    "/bin",
    "/opt",
    "/nix/store",
    "/gnu/store",
    "/etc/ld.so.cache",
    "/etc/ld.so.preload",
    "/etc/fonts",
    "/etc/localtime",
    "/proc/cpuinfo",
    "/proc/meminfo",
    "/proc/stat",
    "/proc/self",
    "/sys/devices/system",
];
const DEVICES: [&str; 4] = ["/dev/null", "/dev/zero", "/dev/urandom", "/dev/random"];

fn files(libraries: &[&Path]) -> Option<RulesetStatus> {
    // What a kernel does not know of it, it leaves out.
    let abi = ABI::V6;
    let own = libraries.iter().flat_map(|l| around(l));
    let searched = std::env::var_os("LD_LIBRARY_PATH").unwrap_or_default();
    let searched = std::env::split_paths(&searched).filter(|p| p.is_absolute());
    let read: Vec<PathBuf> = SYSTEM.iter().map(PathBuf::from).chain(own).chain(searched).collect();
    let room = std::env::var_os(ROOM).map(PathBuf::from);
    let ruleset = Ruleset::default()
        .handle_access(AccessFs::from_all(abi))
        .and_then(|r| r.handle_access(AccessNet::from_all(abi)))
        .and_then(|r| r.scope(Scope::from_all(abi)))
        .and_then(Ruleset::create)
        .and_then(|r| r.add_rules(path_beneath_rules(read, AccessFs::from_read(abi))))
        .and_then(|r| r.add_rules(path_beneath_rules(DEVICES, AccessFs::ReadFile | AccessFs::WriteFile)))
        .and_then(|r| r.add_rules(path_beneath_rules(room, AccessFs::from_all(abi))))
        .ok()?;
    Some(ruleset.restrict_self().ok()?.ruleset)
}

/// What belongs to a library: its bundle, or the file with what lies beside it. Not a whole home because one lies in it.
fn around(library: &Path) -> Vec<PathBuf> {
    let real = library.canonicalize().unwrap_or_else(|_| library.to_path_buf());
    let mut all = vec![real.clone()];
    let home = std::env::var_os(OWN_HOME).or_else(|| std::env::var_os("HOME")).map(PathBuf::from);
    let holds_a_home = |folder: &Path| {
        home.as_deref().is_some_and(|h| h.starts_with(folder)) || folder.components().count() < 3
    };
    all.extend(real.parent().filter(|p| real.is_file() && !holds_a_home(p)).map(Path::to_path_buf));
    all
}

/// Calls that reach other programs, the network or the system as a whole.
const REFUSED: &[libc::c_long] = &[
    libc::SYS_socket,
    libc::SYS_socketpair,
    libc::SYS_connect,
    libc::SYS_bind,
    libc::SYS_listen,
    libc::SYS_accept4,
    libc::SYS_ptrace,
    libc::SYS_process_vm_readv,
    libc::SYS_process_vm_writev,
    libc::SYS_tkill,
    libc::SYS_pidfd_open,
    libc::SYS_pidfd_getfd,
    libc::SYS_pidfd_send_signal,
    libc::SYS_kcmp,
    libc::SYS_execve,
    libc::SYS_execveat,
    libc::SYS_mount,
    libc::SYS_umount2,
    libc::SYS_pivot_root,
    libc::SYS_chroot,
    libc::SYS_unshare,
    libc::SYS_setns,
    libc::SYS_bpf,
    libc::SYS_perf_event_open,
    libc::SYS_userfaultfd,
    libc::SYS_io_uring_setup,
    libc::SYS_init_module,
    libc::SYS_finit_module,
    libc::SYS_delete_module,
    libc::SYS_kexec_load,
    libc::SYS_reboot,
    libc::SYS_swapon,
    libc::SYS_swapoff,
    libc::SYS_settimeofday,
    libc::SYS_clock_settime,
    libc::SYS_adjtimex,
    libc::SYS_clock_adjtime,
    libc::SYS_sethostname,
    libc::SYS_setdomainname,
    libc::SYS_add_key,
    libc::SYS_request_key,
    libc::SYS_keyctl,
    libc::SYS_open_by_handle_at,
    libc::SYS_quotactl,
    libc::SYS_acct,
    libc::SYS_setpgid,
    libc::SYS_setsid,
];
/// Signals, which a process may send to itself (that is how one aborts), and to nobody else; not to its group either.
const TO_ITSELF: [libc::c_long; 4] =
    [libc::SYS_kill, libc::SYS_tgkill, libc::SYS_rt_sigqueueinfo, libc::SYS_rt_tgsigqueueinfo];

fn calls() -> Option<()> {
    let me = u64::from(rustix::process::getpid().as_raw_nonzero().get().unsigned_abs());
    let other = || {
        let not_me = SeccompCondition::new(0, SeccompCmpArgLen::Dword, SeccompCmpOp::Ne, me).ok()?;
        SeccompRule::new(vec![not_me]).ok()
    };
    let mut rules: BTreeMap<i64, Vec<SeccompRule>> = REFUSED.iter().map(|call| (*call, Vec::new())).collect();
    for call in TO_ITSELF {
        rules.insert(call, vec![other()?]);
    }
    let refused = SeccompAction::Errno(libc::EPERM.unsigned_abs());
    let machine = std::env::consts::ARCH.try_into().ok()?;
    let filter = SeccompFilter::new(rules, SeccompAction::Allow, refused, machine).ok()?;
    let program: BpfProgram = filter.try_into().ok()?;
    seccompiler::apply_filter(&program).ok()
}
