//! The kernel's own recorder: where it is reached, and an instance of it that is ours alone. Whatever we
//! set up is a folder of its own within it, so nothing of anybody else's is touched, and removing the folder removes all.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

/// Where the kernel offers it.
const USUAL: &str = "/sys/kernel/tracing";
/// Says that it was mounted by us, and so is ours to take away: gone with the computer's next start.
const MOUNTED: &str = "/run/swiftloop-tracefs";
/// What our instances are called, before the number of the process.
const OURS: &str = "swiftloop-";

/// Why nothing can be recorded.
#[derive(Debug, thiserror::Error)]
pub enum RecordError {
    /// The kernel has none.
    #[error("this kernel offers no trace (no {USUAL})")]
    NoKernel,
    /// Not for this user.
    #[error("only root may look into the kernel ({0})")]
    NotAllowed(String),
    /// It has no events of the kind that everything begins with.
    #[error("this kernel does not tell of its scheduler (no event {0})")]
    NoEvents(&'static str),
    /// The clock that ours can be compared with is missing.
    #[error("this kernel's trace has no clock `mono`")]
    NoClock,
    #[error("the kernel's trace: {path}: {source}")]
    Io {
        /// What was read or written.
        path: PathBuf,
        source: io::Error,
    },
}

#[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
pub(super) fn io_error(path: &Path) -> impl FnOnce(io::Error) -> RecordError + '_ {
    move |source| match source.kind() {
        io::ErrorKind::PermissionDenied => RecordError::NotAllowed(path.display().to_string()),
        _ => RecordError::Io { path: path.to_path_buf(), source },
    }
}

/// The root of the kernel's recorder; mounted where it was not.
pub(super) fn root() -> Result<PathBuf, RecordError> {
    if let Some(there) = mounted() {
        fs::read_dir(there.join("instances")).map_err(io_error(&there.join("instances")))?;
        return Ok(there);
    }
    let place = Path::new(USUAL);
    if !place.is_dir() {
        return Err(RecordError::NoKernel);
    }
    match mount(place) {
        Ok(()) => {
            let _ = fs::write(MOUNTED, USUAL);
            Ok(place.to_path_buf())
        }
        // Another recording that began at the same moment was first.
        Err(e) => mounted().ok_or_else(|| io_error(place)(e)),
    }
}

/// Where it is mounted already.
fn mounted() -> Option<PathBuf> {
    let mounts = fs::read_to_string("/proc/self/mounts").ok()?;
    mounts.lines().find_map(|line| {
        let mut words = line.split(' ');
        let (_, place, kind) = (words.next()?, words.next()?, words.next()?);
        (kind == "tracefs").then(|| PathBuf::from(place))
    })
}

fn mount(place: &Path) -> io::Result<()> {
    use std::os::unix::ffi::OsStrExt;
    let path = std::ffi::CString::new(place.as_os_str().as_bytes())?;
    let name = c"tracefs";
    // SAFETY: all texts end with a zero and outlive the call; no data goes with it.
    let done = unsafe { libc::mount(name.as_ptr(), path.as_ptr(), name.as_ptr(), 0, std::ptr::null()) };
    if done == 0 { Ok(()) } else { Err(io::Error::last_os_error()) }
}

/// A new instance of our own; those that died with their process are cleared away first.
pub(super) fn instance() -> Result<PathBuf, RecordError> {
    let mut instances = root()?.join("instances");
    for old in ours(&instances) {
        if !alive(&old) {
            take_away(&old);
        }
    }
    let me = std::process::id();
    for attempt in 0..64 {
        let place = instances.join(format!("{OURS}{me}-{attempt}"));
        match fs::create_dir(&place) {
            Ok(()) => return Ok(place),
            Err(e) if e.kind() == io::ErrorKind::AlreadyExists => {}
            // Another recording ended in this moment and took its mount away.
            Err(e) if e.kind() == io::ErrorKind::NotFound => instances = root()?.join("instances"),
            Err(e) => return Err(io_error(&place)(e)),
        }
    }
    Err(RecordError::NotAllowed(instances.display().to_string()))
}

fn ours(instances: &Path) -> Vec<PathBuf> {
    let all = fs::read_dir(instances).into_iter().flatten().flatten().map(|e| e.path());
    all.filter(|p| p.file_name().is_some_and(|n| n.to_string_lossy().starts_with(OURS))).collect()
}

/// Whether the process lives that an instance belongs to.
fn alive(instance: &Path) -> bool {
    let name = instance.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    let pid = name.strip_prefix(OURS).and_then(|n| n.split('-').next()?.parse::<u32>().ok());
    pid.is_none_or(|pid| Path::new(&format!("/proc/{pid}")).exists())
}

/// Removes an instance; not one of anybody else's.
fn take_away(instance: &Path) {
    if !instance.file_name().is_some_and(|n| n.to_string_lossy().starts_with(OURS)) {
        return;
    }
    let _ = fs::write(instance.join("tracing_on"), "0");
    let _ = fs::write(instance.join("events/enable"), "0");
    for _ in 0..40 {
        match fs::remove_dir(instance) {
            Ok(()) => break,
            Err(e) if e.kind() == io::ErrorKind::NotFound => break,
            // Somebody still reads it.
            Err(_) => std::thread::sleep(std::time::Duration::from_millis(50)),
        }
    }
}

/// Removes an instance, and the mount when it was ours and nobody else records.
pub fn remove(instance: &Path) {
    take_away(instance);
    let last = instance.parent().is_some_and(|p| ours(p).is_empty());
    if last && Path::new(MOUNTED).exists() {
        unmount();
        let _ = fs::remove_file(MOUNTED);
    }
}

fn unmount() {
    let Ok(path) = std::ffi::CString::new(USUAL) else { return };
    // SAFETY: the text ends with a zero and outlives the call. Refused while somebody else uses it, which is right.
    unsafe { libc::umount(path.as_ptr()) };
}
