//! Words of the command line that name something: a row of a table, or one of the ids in a file. A word that names
//! nothing is answered with the nearest that does.

use crate::shared::failure::Failure;
use crate::shared::words::refusals::{nothing_called, what_there_is};
use swiftloop_core::tables::{Connection, DriverModel, Listener};
use swiftloop_files::tables;

/// The driver model called `word`.
pub fn driver_model(word: &str) -> Result<&'static DriverModel, Failure> {
    let all = &tables().driver;
    tables().driver_model(word).ok_or_else(|| unknown("driver model", word, &ids(all, |d| &d.id)))
}

/// The kind of connection called `word`.
pub fn connection(word: &str) -> Result<&'static Connection, Failure> {
    let all = &tables().connection;
    tables().connection(word).ok_or_else(|| unknown("connection", word, &ids(all, |c| &c.id)))
}

/// The way to play called `word`.
pub fn listener(word: &str) -> Result<&'static Listener, Failure> {
    let all = &tables().listener;
    tables().listener(word).ok_or_else(|| unknown("way to play", word, &ids(all, |l| &l.id)))
}

pub fn ids<T>(all: &'static [T], id: impl Fn(&'static T) -> &'static String) -> Vec<&'static str> {
    all.iter().map(|row| id(row).as_str()).collect()
}

/// A usage failure for an id that does not exist, with the nearest that does.
pub fn unknown(kind: &str, id: &str, known: &[&str]) -> Failure {
    Failure::usage(nothing_called(kind, id), what_there_is(id, known))
}

/// The one that was asked for, or the only one there is.
pub fn pick(kind: &str, asked: Option<&str>, known: &[&str]) -> Result<usize, Failure> {
    match asked {
        Some(id) => known.iter().position(|k| *k == id).ok_or_else(|| unknown(kind, id, known)),
        None if known.len() == 1 => Ok(0),
        None => Err(Failure::usage(
            format!("which {kind}?"),
            format!("add --{kind} with one of: {}", known.join(", ")),
        )),
    }
}
