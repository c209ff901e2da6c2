//! Input that is wrong, and whoever does not answer.

use super::Running;
use crate::common::Folder;
use std::net::UdpSocket;

#[test]
fn whoever_does_not_answer_gets_a_greeting_and_no_more() {
    let folder = Folder::empty();
    let silent = UdpSocket::bind("127.0.0.1:0").unwrap();
    let address = silent.local_addr().unwrap().to_string();
    let answer = folder.run(&["link", "measure", &address, "--seconds", "5"]);
    assert_eq!(answer.code, 3);
    assert!(answer.err.contains("does not answer") && answer.err.contains("link reflect"), "{}", answer.err);
    silent.set_nonblocking(true).unwrap();
    let mut buffer = [0; 2048];
    let (mut packets, mut bytes) = (0, 0);
    while let Ok(length) = silent.recv(&mut buffer) {
        packets += 1;
        bytes += length;
    }
    assert!(packets <= 5 && bytes <= 5 * 44, "{packets} packets, {bytes} bytes");
    // Nobody at all: the system says so.
    drop(silent);
    let nobody = folder.run(&["link", "measure", &address, "--seconds", "5"]);
    assert_eq!(nobody.code, 3);
    assert!(nobody.err.contains("nobody listens there"), "{}", nobody.err);
}

/// One who answers, but not as the standard says.
#[test]
fn answers_that_are_none_are_not_taken_for_any() {
    for kind in 0..4 {
        let folder = Folder::empty();
        let odd = UdpSocket::bind("127.0.0.1:0").unwrap();
        let address = odd.local_addr().unwrap().to_string();
        let other = UdpSocket::bind("127.0.0.1:0").unwrap();
        odd.set_read_timeout(Some(std::time::Duration::from_millis(100))).unwrap();
        let stop = std::sync::Arc::new(std::sync::atomic::AtomicBool::new(false));
        let ended = std::sync::Arc::clone(&stop);
        let thread = std::thread::spawn(move || {
            let mut buffer = [0u8; 2048];
            while !ended.load(std::sync::atomic::Ordering::Relaxed) {
                let Ok((length, from)) = odd.recv_from(&mut buffer) else { continue };
                let _ = match kind {
                    // Too short, noise, the packet itself sent back with a number that was never asked.
                    0 => odd.send_to(&buffer[..10], from),
                    1 => odd.send_to(&[0xff; 300], from),
                    2 => {
                        buffer[24..28].copy_from_slice(&9_999_999u32.to_be_bytes());
                        odd.send_to(&buffer[..length], from)
                    }
                    // From another port.
                    _ => other.send_to(&buffer[..length], from),
                };
            }
        });
        let answer = folder.run(&["link", "measure", &address, "--seconds", "3"]);
        assert_eq!(answer.code, 3, "{kind}: {}", answer.out);
        let said = ["does not answer", "not as it should"].iter().any(|w| answer.err.contains(w));
        assert!(said, "{kind}: {}", answer.err);
        stop.store(true, std::sync::atomic::Ordering::Relaxed);
        thread.join().unwrap();
    }
}

#[test]
fn silly_words_are_answered_with_what_would_do() {
    let folder = Folder::empty();
    folder.write("empty", "");
    for (args, said) in [
        (&["link", "measure", "no-such-host.invalid"][..], "leads to no address"),
        (&["link", "measure", "127.0.0.1:99999"], "leads to no address"),
        (&["link", "measure", "127.0.0.1:9", "--seconds", "0"], "0.1 to 86400"),
        (&["link", "measure", "127.0.0.1:9", "--packet", "2.5"], "such as 2.5ms"),
        (&["link", "measure", "127.0.0.1:9", "--packet=-4"], "such as 2.5ms"),
        (&["link", "measure", "127.0.0.1:9", "--packet", "8", "--rate", "192000"], "packets a second"),
        (&["link", "measure", "127.0.0.1:9", "--depth", "20"], "96kbit/s"),
        (&["link", "measure", "127.0.0.1:9", "--dscp", "64"], "64"),
        (&["link", "measure", "127.0.0.1:9", "--key-file", "empty"], "no key"),
        (&["link", "measure", "127.0.0.1:9", "--key-file", "nowhere"], "cannot read"),
        (&["link", "measure", "127.0.0.1:9", "--with-load", "1e9"], "from 10 to 20000"),
        (&["link", "measure", "127.0.0.1:9", "--packets-per-second", "1e6"], "from 1 to 4000"),
        (&["link", "reflect", "--listen", "nonsense"], "no address to listen on"),
        (&["link", "reflect", "--seconds", "NaN"], "such as 60"),
        (&["link", "plan"], "--distance"),
        (&["link", "plan", "nowhere.json"], "no such file"),
        (&["link", "plan", "empty"], "no JSON"),
        (&["link", "plan", "--distance", "410", "--line", "glas"], "glass"),
        (&["link", "plan", "--distance", "410", "--playing", "drumz"], "drums"),
        (&["link", "plan", "--distance", "1e9"], "from 0 to 30000"),
        (&["link", "plan", "--distance", "410", "--svg", "x.svg"], "nothing to draw"),
        (&["link", "plan", "--distance", "410", "--tempo", "1"], "from 20 to 400"),
    ] {
        let answer = folder.run(args);
        assert_eq!(answer.code, 2, "{args:?}: {}{}", answer.out, answer.err);
        assert!(answer.err.contains(said), "{args:?}: {}", answer.err);
        assert!(answer.out.is_empty(), "{args:?}");
    }
    assert_eq!(folder.files(), ["empty"]);
}

#[test]
fn a_port_that_is_taken_is_named_with_another() {
    let taken = UdpSocket::bind("127.0.0.1:0").unwrap();
    let address = taken.local_addr().unwrap().to_string();
    let answer = Folder::empty().run(&["link", "reflect", "--listen", &address, "--seconds", "1"]);
    assert_eq!(answer.code, 3);
    assert!(answer.err.contains("taken") && answer.err.contains("--listen"), "{}", answer.err);
}

/// A measurement that says what cannot be is refused, whatever was done to it; and nothing falls over.
#[test]
fn kept_measurements_that_were_spoiled_are_refused() {
    let folder = Folder::with_demo();
    let whole = folder.read("loft-link.json");
    let spoiled = [
        whole.replacen("swiftloop.link-measure/1", "swiftloop.link-measure/9", 1),
        whole.replacen("\"receive_buffer\":[", "\"receive_buffer\":[],\"more\":[", 1),
        whole.replacen("\"seconds\":", "\"seconds\":-", 1),
        whole.replacen("\"every_ms\":", "\"every_ms\":1e9,\"x\":", 1),
        whole.replacen("\"typical\":", "\"typical\":-1e300,\"y\":", 1),
        whole[..whole.len() / 2].to_string(),
        String::from("[]"),
    ];
    for (n, text) in spoiled.iter().enumerate() {
        folder.write("loft-link.json", text);
        let alone = folder.run(&["link", "plan", "loft-link.json"]);
        assert_eq!(alone.code, 2, "{n}: {}", alone.out);
        let named = folder.run(&["plan", "rig.toml", "session.toml", "--phase", "remote"]);
        assert_eq!(named.code, 2, "{n}");
        assert!(
            named.err.contains("rig.toml:") && named.err.contains("loft-link.json"),
            "{n}: {}",
            named.err
        );
    }
    let head = "# swiftloop.link-packets/1 every_ms=2.5 bytes=492 line_kbit_s=1500 v6=false counts=yes strays=0 host=x\n";
    let columns = "packet,sent_ns,there_ns,left_ns,back_ns,counted\n";
    for rows in [
        "0,1,2,3\n",
        "1,5,,,,\n",
        "0,zero,,,,\n",
        "0,9,,,,\n1,5,,,,\n",
        "0,5,6,7,x,0\n",
        "0,99999999999999999999,,,,\n",
    ] {
        folder.write("packets.csv", format!("{head}{columns}{rows}"));
        let answer = folder.run(&["link", "plan", "packets.csv"]);
        assert!(
            answer.code == 2 || (answer.code <= 1 && rows.starts_with("0,1,2,3")),
            "{rows}: {}",
            answer.out
        );
    }
    folder.write("packets.csv", head.replace("every_ms=2.5", "every_ms=0"));
    assert_eq!(folder.run(&["link", "plan", "packets.csv"]).code, 2);
}

/// A reflector under a flood answers as often as it says and not once more, and goes on answering.
#[test]
fn a_flood_is_not_answered_beyond_the_limit() {
    let reflector = Running::reflector(&["--at-most", "200"]);
    let socket = UdpSocket::bind("127.0.0.1:0").unwrap();
    socket.connect(&reflector.address).unwrap();
    socket.set_nonblocking(true).unwrap();
    let mut packet = [0u8; 1000];
    packet[12..14].copy_from_slice(&0x4001u16.to_be_bytes());
    let (mut sent, mut answered, mut bytes) = (0u64, 0u64, 0u64);
    let begun = std::time::Instant::now();
    let mut buffer = [0u8; 2048];
    while begun.elapsed().as_secs_f64() < 2.0 {
        for _ in 0..50 {
            sent += u64::from(socket.send(&packet).is_ok());
        }
        while let Ok(length) = socket.recv(&mut buffer) {
            answered += 1;
            bytes += length as u64;
        }
        std::thread::sleep(std::time::Duration::from_millis(1));
    }
    let lasted = begun.elapsed().as_secs_f64();
    assert!(sent > 2000 && answered > 50, "{sent} {answered}");
    // A tenth of a second's worth at once, and the rate after that.
    assert!(answered as f64 <= 20.0 + 200.0 * lasted + 5.0, "{answered} in {lasted} s");
    assert!(bytes <= answered * 1000);
}

#[cfg(unix)]
#[test]
fn broken_off_it_tells_what_there_is() {
    let (folder, reflector) = (Folder::empty(), Running::reflector(&[]));
    let mut command = std::process::Command::new(assert_cmd::cargo::cargo_bin("swiftloop"));
    command.args([
        "link",
        "measure",
        &reflector.address,
        "--seconds",
        "300",
        "--save",
        "link.json",
        "--json",
    ]);
    let child = command
        .current_dir(folder.root())
        .stdout(std::process::Stdio::piped())
        .stderr(std::process::Stdio::null())
        .spawn()
        .unwrap();
    std::thread::sleep(std::time::Duration::from_secs(6));
    let status = std::process::Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap();
    assert!(status.success());
    let output = child.wait_with_output().unwrap();
    assert!(output.status.code().is_some_and(|c| c <= 1), "{:?}", output.status);
    let found: serde_json::Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(found["interrupted"], true);
    assert!(found["received"].as_u64() > Some(10), "{found}");
    assert_eq!(folder.files(), ["link.json"]);
}
