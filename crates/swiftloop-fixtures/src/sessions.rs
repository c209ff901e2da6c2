//! Generated rigs and sessions of any size, for benches and for measuring whole processes: made-up, reproducible
//! from a seed, and as mixed as real ones (busses, sends, bursts, copies, look-ahead, instruments).

use std::fmt::Write;

#[derive(Debug, Clone, Copy)]
pub struct Size {
    pub tracks: usize,
    pub processors: usize,
    /// Interfaces, two drivers each.
    pub interfaces: usize,
    pub phases: usize,
    /// About how many remedies may apply in each phase; the rest of the session offers none.
    pub remedies: usize,
}

/// A rig with `size.interfaces` interfaces.
#[must_use]
pub fn rig(size: Size) -> String {
    let mut text = String::from(
        "format = \"swiftloop.rig/1\"\nname = \"generated\"\n[machine]\nclass = \"desktop\"\npower = \"balanced\"\ncores = 8\n\
         memory_gb = 64\ndisk_mb_per_s = 900\ndisk_free_gb = 500\n",
    );
    for i in 0..size.interfaces {
        let _ = write!(
            text,
            "[[interface]]\nid = \"i{i}\"\nconnection = \"{}\"\ndirect = \"plain\"\nchannels = {{ inputs = 16, outputs = 16 }}\n\
             [[interface.driver]]\nmodel = \"asio\"\nrates_hz = [48000]\nbuffers = {{ powers = [32, 2048] }}\n\
             [[interface.driver]]\nmodel = \"wasapi-exclusive\"\nrates_hz = [48000]\nbuffers = {{ ms = [3, 5, 10, 20] }}\n",
            ["thunderbolt", "usb2", "pcie", "usb3"][i % 4]
        );
    }
    text
}

/// A session of `size`: total work grows with the tracks, so large ones are lighter per track.
#[must_use]
pub fn session(size: Size) -> String {
    let mut random = fastrand::Rng::with_seed(size.tracks as u64);
    let mut draw = |n: u64| random.u64(0..n.max(1));
    let mut text = String::from(
        "format = \"swiftloop.session/1\"\nname = \"generated\"\ndeliver = { rate_hz = 48000 }\n\
         engine = { renders_ahead = true, roll_frames = [1024], can_use_32_bit = true }\n",
    );
    let per_frame = 62_000.0 / (size.tracks * size.processors).max(1) as f64;
    let mut left = size.remedies;
    let mut keep = Vec::new();
    for t in 0..size.tracks {
        let source = if t < 3 {
            "live"
        } else if t % 9 == 0 {
            "instrument"
        } else {
            "disk"
        };
        let _ = write!(
            text,
            "[[track]]\nid = \"t{t}\"\nsource = \"{source}\"\nto = \"b{}\"\nprocessor = [\n",
            t % 8
        );
        let offers = left > 0 && draw(size.tracks as u64) < 2 * size.remedies as u64;
        for p in 0..size.processors {
            let ns = per_frame * (0.2 + draw(160) as f64 / 100.0);
            let (latency, internal) = (
                if draw(12) == 0 { 32 + draw(1500) } else { 0 },
                if draw(25) == 0 { 512 << draw(2) } else { 0 },
            );
            let mut more = String::new();
            if internal > 0 {
                let _ = write!(more, ", internal_block = {internal}");
            }
            if offers && draw(2) == 0 {
                more.push_str(", oversampling = 2");
            }
            let _ = writeln!(
                text,
                "  {{ id = \"p{t}-{p}\", latency_frames = {latency}, cost = {{ per_call_ns = 200, per_frame_ns = {ns:.3} }}{more} }},"
            );
            if offers {
                left = left.saturating_sub(1);
            } else {
                keep.push(format!("\"p{t}-{p}\""));
            }
        }
        text.push_str("]\n");
    }
    for b in 0..8 {
        let _ =
            writeln!(text, "[[bus]]\nid = \"b{b}\"\nprocessor = [{{ id = \"bus{b}\", cost = \"medium\" }}]");
    }
    text.push_str("[main]\nprocessor = [{ id = \"look\", latency_frames = 480, cost = \"heavy\" }, { id = \"meter\", kind = \"analyser\", cost = \"medium\" }]\n");
    for (i, plays) in ["voice", "plucked", "keys"].iter().enumerate() {
        let _ = writeln!(
            text,
            "[[performer]]\nid = \"who{i}\"\nplays = \"{plays}\"\nlistens = \"headphones\"\nhears = [\"t{i}\"]\nlimit_ms = {}",
            12 + i * 4
        );
    }
    let kinds = ["writing", "tracking", "overdub", "editing", "mixing", "mastering"];
    for n in 0..size.phases {
        let who = if n % 6 < 3 { "[\"who0\", \"who1\", \"who2\"]" } else { "[]" };
        let _ = writeln!(
            text,
            "[[phase]]\nid = \"phase{n}\"\nkind = \"{}\"\nperformers = {who}\nkeep = [{}]",
            kinds[n % kinds.len()],
            keep.join(", ")
        );
    }
    text
}

/// A rig of 32 GB, and a session with 45 GB of samples: 25 instruments from 1.5 GB up, 35 audio tracks, three phases.
#[must_use]
pub fn short_of_memory() -> (String, String) {
    let rig = "format = \"swiftloop.rig/1\"\n\
               machine = { cores = 8, memory_gb = 32, disk_mb_per_s = 900, disk_free_gb = 400, power = \"performance\" }\n\
               [[interface]]\nid = \"box\"\nconnection = \"pcie\"\ndirect = \"plain\"\n\
               [[interface.driver]]\nmodel = \"asio\"\nrates_hz = [48000]\nbuffers = { powers = [32, 2048] }\n";
    let mut session = String::from("format = \"swiftloop.session/1\"\ndeliver = { rate_hz = 48000 }\n");
    for i in 0..25 {
        let memory = 1.5 + 0.025 * f64::from(i);
        let _ = write!(
            session,
            "[[track]]\nid = \"inst{i}\"\nsource = \"instrument\"\nmemory_gb = {memory}\n\
             processor = [{{ id = \"s{i}\", kind = \"instrument\", cost = \"medium\" }}]\n"
        );
    }
    for i in 0..35 {
        let _ = write!(
            session,
            "[[track]]\nid = \"a{i}\"\nsource = \"disk\"\nprocessor = [{{ id = \"e{i}\", cost = \"light\" }}]\n"
        );
    }
    session.push_str(
        "[[track]]\nid = \"v\"\nsource = \"live\"\n\
         [[performer]]\nid = \"ada\"\nplays = \"voice\"\nlistens = \"headphones\"\nhears = [\"v\"]\n\
         [[phase]]\nkind = \"writing\"\nperformers = [\"ada\"]\n[[phase]]\nkind = \"overdub\"\nperformers = [\"ada\"]\n\
         [[phase]]\nkind = \"mixing\"\n",
    );
    (rig.to_owned(), session)
}
