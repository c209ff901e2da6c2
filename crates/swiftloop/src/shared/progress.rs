//! How far something is: a bar on a terminal's stderr only, gone at the end.

use indicatif::{ProgressBar, ProgressStyle};

/// A bar of this template, up to `total`.
pub fn bar(template: &str, total: u64) -> ProgressBar {
    let bar = ProgressBar::new(total);
    ProgressStyle::with_template(template).map_or_else(|_| bar.clone(), |style| bar.clone().with_style(style))
}
