//! `link reflect`: answer test packets until told to stop.

use super::line::{PORT, key};
use crate::link::options::LinkReflectOptions;
use crate::link::reflect_text::{ReflectLine, Reflected, json, show};
use crate::shared::failure::Failure;
use crate::shared::output::answer;
use crate::shared::signals::stopped_by_signals;
use std::io::ErrorKind;
use std::net::{SocketAddr, ToSocketAddrs};
use std::process::ExitCode;
use std::time::Duration;
use swiftloop_host::link::{LinkError, RunningReflector, reflect};
use swiftloop_measure::link::reflector::{Reflector, SequenceMemory};

pub fn run(options: &LinkReflectOptions) -> Result<ExitCode, Failure> {
    let memory = if options.stateless { SequenceMemory::Stateless } else { SequenceMemory::Stateful };
    let key = key(&options.secret)?;
    let signed = key.is_some();
    let at = address(&options.listen)?;
    let reflector = || Reflector::new(memory, key.clone(), options.at_most);
    let mut listening = match RunningReflector::on(at, reflector()) {
        // A system without IP version 6 listens on version 4 alone.
        Err(LinkError::CannotListen(at, _)) if at.ip().is_unspecified() && at.is_ipv6() => {
            RunningReflector::on(SocketAddr::from(([0, 0, 0, 0], at.port())), reflector())
        }
        other => other,
    }
    .map_err(refused)?;
    let at = listening.address()?;
    let stop = stopped_by_signals()?;
    let mut live = ReflectLine::begin(at, options.seconds);
    let lasts = options.seconds.map(Duration::from_secs_f64);
    let tally = reflect(&mut listening, lasts, &stop, |tally, senders| live.show(tally, senders));
    drop(live);
    let reflected = Reflected { at, tally, signed, stateful: !options.stateless };
    answer(&options.shown, |_| show(&reflected), || json(&reflected))?;
    Ok(ExitCode::SUCCESS)
}

fn address(text: &str) -> Result<SocketAddr, Failure> {
    let wrong = || {
        Failure::usage(
            format!("`{text}` is no address to listen on"),
            "write --listen 0.0.0.0:8620, or [::]:8620 for IP version 6 as well",
        )
    };
    let whole = text.parse::<SocketAddr>().ok();
    let with_port = || format!("{text}:{PORT}").parse::<SocketAddr>().ok();
    let named = || text.to_socket_addrs().ok().and_then(|mut all| all.next());
    whole.or_else(with_port).or_else(named).ok_or_else(wrong)
}

#[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
fn refused(e: LinkError) -> Failure {
    match &e {
        LinkError::CannotListen(at, why) => match why.kind() {
            ErrorKind::PermissionDenied => Failure::machine(
                format!("this user may not listen on port {}", at.port()),
                "listen on one above 1023: --listen [::]:8620, and let the other side name it: HOST:8620",
            ),
            ErrorKind::AddrInUse => Failure::machine(
                format!("port {} is taken: another program listens there", at.port()),
                "end that one, or listen on another: --listen [::]:8621",
            ),
            _ => Failure::machine(e.to_string(), "name an address of this computer: --listen 0.0.0.0:8620"),
        },
        _ => Failure::machine(e.to_string(), "name an address of this computer: --listen 0.0.0.0:8620"),
    }
}
