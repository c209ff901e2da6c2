//! A line that is uneven on purpose, for tests: it forwards datagrams between whoever measures and a reflector, and delays, loses,
//! doubles and slows them down as asked, by a seed. What it truly did to each packet goes into a log, against which what is
//! measured is judged: not against what was asked, since a program on an ordinary computer is late itself.
//!
//! `uneven_line LISTEN TO KEY=VALUE…`, with the keys of [`Asked`]; the same for both ways, or with `_back` for the way back.

mod asked;
mod way;

use asked::Asked;
use std::io::Write;
use std::net::{SocketAddr, UdpSocket};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};
use way::{Clock, Way};

/// Who sent, and the socket towards the reflector that is theirs.
type Known = (SocketAddr, Arc<UdpSocket>);

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let mut words = std::env::args().skip(1);
    let (listen, to) = (words.next().ok_or("LISTEN")?, words.next().ok_or("TO")?);
    let asked = Asked::read(words)?;
    let near = Arc::new(UdpSocket::bind(listen.parse::<SocketAddr>()?)?);
    let any = if to.starts_with('[') { "[::]:0" } else { "0.0.0.0:0" };
    // Each sender gets a socket of its own towards the reflector, as a router would give it.
    let stop = Arc::new(AtomicBool::new(false));
    let log = Arc::new(Mutex::new(Vec::new()));
    let begun = Instant::now();
    let clock = Clock { begun, ppm: asked.ppm };
    let back: Mutex<Vec<Known>> = Mutex::default();
    let forth = Arc::new(Way::new(asked.forth, asked.seed, "forth", Arc::clone(&log)));
    let home = Arc::new(Way::new(asked.back, asked.seed ^ 0x5eed, "back", Arc::clone(&log)));
    let mut threads =
        vec![forth.deliver(Arc::clone(&stop), None), home.deliver(Arc::clone(&stop), Some(clock))];
    near.set_read_timeout(Some(Duration::from_millis(50)))?;
    println!("ready");
    std::io::stdout().flush()?;
    let mut buffer = [0u8; 2048];
    way::ahead_of_all();
    while begun.elapsed() < asked.lasts {
        let Ok((length, from)) = near.recv_from(&mut buffer) else { continue };
        let at = Instant::now();
        let mut known = back.lock().map_err(|_| "a thread fell over")?;
        let socket = match known.iter().find(|(who, _)| *who == from) {
            Some((_, socket)) => Arc::clone(socket),
            None => {
                let socket = Arc::new(UdpSocket::bind(any.parse::<SocketAddr>()?)?);
                socket.connect(to.parse::<SocketAddr>()?)?;
                socket.set_read_timeout(Some(Duration::from_millis(50)))?;
                known.push((from, Arc::clone(&socket)));
                let (answers, near) = (Arc::clone(&socket), Arc::clone(&near));
                let (home, stop) = (Arc::clone(&home), Arc::clone(&stop));
                threads.push(std::thread::spawn(move || {
                    way::ahead_of_all();
                    let mut buffer = [0u8; 2048];
                    while !stop.load(Ordering::Relaxed) {
                        if let Ok(length) = answers.recv(&mut buffer) {
                            home.take(
                                &buffer[..length],
                                Instant::now(),
                                way::To::Address(Arc::clone(&near), from),
                            );
                        }
                    }
                }));
                socket
            }
        };
        drop(known);
        forth.take(&buffer[..length], at, way::To::Connected(socket));
    }
    stop.store(true, Ordering::Relaxed);
    forth.wake();
    home.wake();
    for thread in threads {
        let _ = thread.join();
    }
    if let Some(path) = &asked.log {
        let lines = log.lock().map_err(|_| "a thread fell over")?;
        let mut file = std::io::BufWriter::new(std::fs::File::create(path)?);
        writeln!(file, "way,session,sequence,delay_us")?;
        for line in lines.iter() {
            writeln!(file, "{line}")?;
        }
    }
    Ok(())
}
