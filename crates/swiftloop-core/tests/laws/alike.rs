//! Alike tracks in one table.

use crate::common::{EXACT_RIG, described, rig, session, tables};
use swiftloop_core::contradiction::{Contradiction, SessionContradiction, Thing};
use swiftloop_core::session::Session;

/// Alike tracks in one table are the same as each in a table of its own.
#[test]
fn alike_tracks_are_those_that_one_would_write_out() {
    let rig = rig(EXACT_RIG);
    let head = "format = \"swiftloop.session/1\"\n";
    let tail = "[[performer]]\nid = \"ada\"\nplays = \"keys\"\nhears = [\"s-*\"]\n[[phase]]\nkind = \"tracking\"\nperformers = [\"ada\"]\nkeep = [\"s-*\"]\n";
    let short = session(
        &format!(
            "{head}[[track]]\nid = \"s-*\"\nname = \"Strings\"\ncount = 3\nsource = \"instrument\"\nmemory_gb = 2\nprocessor = [{{ id = \"x\", kind = \"instrument\" }}, {{}}]\n{tail}"
        ),
        &rig,
    );
    let each: String = (1..=3)
        .map(|n| format!("[[track]]\nid = \"s-{n}\"\nname = \"Strings {n}\"\nsource = \"instrument\"\nmemory_gb = 2\nprocessor = [{{ id = \"x-{n}\", kind = \"instrument\" }}, {{ id = \"s-{n}-2\" }}]\n"))
        .collect();
    let long =
        session(&format!("{head}{each}{}", tail.replace("\"s-*\"", "\"s-1\", \"s-2\", \"s-3\"")), &rig);
    assert_eq!(format!("{:?}", short.tracks), format!("{:?}", long.tracks));
    assert_eq!(short.performers[0].hears, long.performers[0].hears);
    assert_eq!(short.phases[0].keep, long.phases[0].keep);
}

/// A few lines cannot ask for more tracks than there is memory for.
#[test]
fn more_tracks_than_any_session_has_are_refused() {
    let track = |i: usize| format!("[[track]]\nid = \"t{i}-*\"\ncount = 2000\n");
    let text = |n: usize| {
        format!(
            "format = \"swiftloop.session/1\"\n{}[[phase]]\nkind = \"mixing\"\n",
            (0..n).map(track).collect::<String>()
        )
    };
    let read = |n| Session::checked(described(&text(n)), tables());
    assert_eq!(read(10).expect("20000 tracks").tracks.len(), 20_000);
    assert_eq!(
        read(11).expect_err("too many").why,
        SessionContradiction::TooManyTracks { most: 20_000 }.into()
    );
}

/// The names that could have been meant come in the order of the alphabet, whatever the order of the file.
#[test]
fn a_name_that_is_not_there_is_answered_in_order() {
    let track = |id: char| format!("[[track]]\nid = \"{id}\"\n");
    let tracks: String = "hbgcafde".chars().map(track).collect();
    let text = format!(
        "format = \"swiftloop.session/1\"\n{tracks}[[phase]]\nkind = \"mixing\"\nkeep = [\"oars\"]\n"
    );
    let why = Session::checked(described(&text), tables()).expect_err("no oars").why;
    let Contradiction::Missing { thing: Thing::Keepable, known, .. } = why else { panic!("{why:?}") };
    assert_eq!(known.concat(), "abcdefgh");
}
