//! `link reflect`: where it listens, what it does meanwhile, what it did.

use crate::shared::output::aside;
use crate::shared::page::{answer, command, counted, wrapped};
use crate::shared::words::figures::clock;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use serde_json::{Value, json as object};
use std::io::IsTerminal;
use std::net::SocketAddr;
use swiftloop_measure::link::reflector::ReflectorTally;

/// What a reflector did.
pub struct Reflected {
    pub at: SocketAddr,
    pub tally: ReflectorTally,
    pub signed: bool,
    pub stateful: bool,
}

/// A line on stderr while it listens.
pub struct ReflectLine {
    bar: ProgressBar,
}

impl ReflectLine {
    /// It listens from now on.
    pub fn begin(at: SocketAddr, seconds: Option<f64>) -> Self {
        let until = seconds
            .map_or("until Ctrl-C".into(), |s| format!("for {}", crate::shared::page::paint(&clock(s))));
        aside(&format!(
            "listening on {at}, {until}. The other side:  swiftloop link measure THIS-COMPUTER:{}",
            at.port()
        ));
        let target = if std::io::stderr().is_terminal() {
            ProgressDrawTarget::stderr_with_hz(4)
        } else {
            ProgressDrawTarget::hidden()
        };
        let bar = ProgressBar::with_draw_target(None, target);
        let style = ProgressStyle::with_template("{msg}");
        bar.set_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()));
        Self { bar }
    }

    pub fn show(&mut self, tally: &ReflectorTally, senders: usize) {
        self.bar.set_message(format!(
            "{} answered for {}; not answered: {} refused, {} with a wrong signature, {} over the limit",
            tally.answered,
            if senders == 1 { "1 sender".into() } else { format!("{senders} senders") },
            tally.refused,
            tally.forged,
            tally.over_limit
        ));
        self.bar.tick();
    }
}

impl Drop for ReflectLine {
    fn drop(&mut self) {
        self.bar.finish_and_clear();
    }
}

pub fn show(r: &Reflected) -> String {
    let t = r.tally;
    let mut text = answer(&if t.answered == 0 {
        format!("Nobody measured: no packet on port {} was answered.", r.at.port())
    } else {
        format!("Answered {}.", counted(t.answered as usize, "packet", "packets"))
    });
    text.push('\n');
    for (n, what) in [
        (t.refused, "that were no test packets of the standard (RFC 8762)"),
        (t.forged, "with a signature that does not fit: both sides need the same key file"),
        (t.over_limit, "beyond what is answered in a second: --at-most lets more through"),
    ] {
        if n > 0 {
            let packets = counted(n as usize, "packet", "packets");
            text.push_str(&wrapped("  ", &format!("Not answered: {packets} {what}.")));
        }
    }
    if t.answered == 0 {
        text.push_str(&wrapped(
            "",
            &format!(
                "Let the router pass UDP port {} on to this computer, tell the other side its address, and let them measure:",
                r.at.port()
            ),
        ));
        text.push_str(&command(&format!(
            "swiftloop link measure THIS-COMPUTER:{} --save link.json",
            r.at.port()
        )));
    } else {
        text.push_str(&wrapped(
            "",
            "What was found stands at the other side; ask for the file that they kept with --save:",
        ));
        text.push_str(&command("swiftloop link plan link.json"));
    }
    text
}

pub fn json(r: &Reflected) -> Value {
    object!({
        "format": "swiftloop.link-reflect/1",
        "listened_on": r.at.to_string(),
        "signed": r.signed,
        "stateful": r.stateful,
        "answered": r.tally.answered,
        "refused": r.tally.refused,
        "wrong_signature": r.tally.forged,
        "over_limit": r.tally.over_limit,
    })
}
