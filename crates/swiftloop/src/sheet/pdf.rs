//! Printing a page to a PDF, through a browser that is installed here.

use crate::shared::environment::scratch;
use crate::shared::failure::Failure;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};
use swiftloop_files::{FileError, Overwrite, save};

/// Browsers that print without a window, by the names of their programs, and where some systems keep them.
const BROWSERS: [&str; 7] = [
    "chromium",
    "chromium-browser",
    "google-chrome",
    "microsoft-edge",
    "/Applications/Google Chrome.app/Contents/MacOS/Google Chrome",
    "C:\\Program Files (x86)\\Microsoft\\Edge\\Application\\msedge.exe",
    "C:\\Program Files\\Google\\Chrome\\Application\\chrome.exe",
];
/// One that is named by whoever has another.
const NAMED: &str = "SWIFTLOOP_BROWSER";
/// How long it may take.
const PATIENCE: Duration = Duration::from_secs(90);

/// Prints a page into a file, which is replaced.
pub fn print_to_pdf(html: &str, file: &Path) -> Result<(), Failure> {
    let folder = scratch()?;
    let (page, made) = (folder.path().join("sheet.html"), folder.path().join("sheet.pdf"));
    save(&page, html.as_bytes(), Overwrite::Allow)?;
    let named = std::env::var_os(NAMED).map(PathBuf::from);
    let all = named.into_iter().chain(BROWSERS.map(PathBuf::from));
    for browser in all {
        let mut program = Command::new(&browser);
        program.args([
            "--headless",
            "--disable-gpu",
            "--no-pdf-header-footer",
            "--no-first-run",
            "--disable-dev-shm-usage",
        ]);
        // What it keeps of itself goes with the folder.
        program.arg(format!("--user-data-dir={}", folder.path().join("kept").display()));
        #[cfg(target_os = "linux")]
        if swiftloop_host::tunables::is_root() {
            // It refuses to shut itself in as the superuser; the page is our own and fetches nothing.
            program.arg("--no-sandbox");
        }
        program.arg(format!("--print-to-pdf={}", made.display())).arg(format!("file://{}", page.display()));
        program.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
        match program.spawn() {
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => {}
            Err(e) => return Err(failed(&browser, &e.to_string())),
            Ok(child) => {
                ended(child, &browser)?;
                let bytes = std::fs::read(&made).map_err(|_| failed(&browser, "it made no PDF"))?;
                return save(file, &bytes, Overwrite::Allow).map_err(FileError::into);
            }
        }
    }
    Err(Failure::machine(
        "no browser that prints was found here",
        format!(
            "write the page with --out sheet.html and print it from any browser, or name one: {NAMED}=PROGRAM"
        ),
    ))
}

fn ended(mut child: std::process::Child, browser: &Path) -> Result<(), Failure> {
    let begun = Instant::now();
    loop {
        match child.try_wait()? {
            Some(status) if status.success() => return Ok(()),
            Some(status) => return Err(failed(browser, &status.to_string())),
            None if begun.elapsed() < PATIENCE => std::thread::sleep(Duration::from_millis(50)),
            None => {
                let _ = child.kill();
                let _ = child.wait();
                return Err(failed(browser, "it took longer than 90 seconds"));
            }
        }
    }
}

fn failed(browser: &Path, why: &str) -> Failure {
    Failure::machine(
        format!("{} did not print: {why}", browser.display()),
        "write the page with --out sheet.html and print it from any browser",
    )
}
