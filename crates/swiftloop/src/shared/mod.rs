//! What several features need: how a page is laid out and said ([`page`], [`words`], [`answer`]), how a chart is drawn, the files of
//! a project, errors and the way out, and what is started and put back on this computer. Nothing in here knows a feature.

pub mod answer;
pub mod build_info;
pub mod catalogue;
pub mod chart;
pub mod environment;
pub mod failure;
pub mod in_effect;
pub mod lookup;
pub mod metrics;
pub mod noting;
pub mod options;
pub mod output;
pub mod page;
#[cfg(target_os = "linux")]
pub mod processors;
pub mod progress;
pub mod project;
#[cfg(target_os = "linux")]
pub mod recorder;
pub mod recordings;
pub mod server;
pub mod signals;
pub mod watchdog;
pub mod words;
