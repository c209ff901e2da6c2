//! Far sides: the whole way by hand, every way to set a line beside all there are, and what distance forbids.

use crate::common::{context, rig, rigs, session};
use std::fmt::Write;
use swiftloop_core::loops::far::{far_loops, forbidden};
use swiftloop_core::loops::{Context, Electric, LegKind, LoopKind};
use swiftloop_core::plan::line::{arranged_on_the_line, link_settings, meeting_choices, present, set_by};
use swiftloop_core::plan::{PhaseProblem, plan};
use swiftloop_core::rig::{LinkSetting, Offered, Rig, Setting};
use swiftloop_core::session::Session;
use swiftloop_core::tables::RemedyKind;
use swiftloop_units::ids::PhaseId;
use swiftloop_units::workers::OneByOne;
use swiftloop_units::{Block, Hz};

const HZ: Hz = Hz::new(48_000);

fn made(fars: &str, phase: &str) -> (Rig, Session) {
    let rig = rig(&format!(
        "format = \"swiftloop.rig/1\"\nmachine = {{ cores = 4, power = \"performance\", memory_gb = 16, disk_mb_per_s = 400, \
         disk_free_gb = 100 }}\n[[interface]]\nid = \"box\"\nconnection = \"pcie\"\nsafety_in_frames = 0\nsafety_out_frames = 0\n\
         transport_in_frames = 0\ntransport_out_frames = 0\nconverter = [{{ rate_hz = 48000, in_frames = 24, out_frames = 48 }}]\n\
         driver = [{{ model = \"alsa\", rates_hz = [48000], buffers = {{ powers = [32, 512] }} }}]\n{fars}\n"
    ));
    let session = session(
        &format!(
            "format = \"swiftloop.session/1\"\n[[track]]\nid = \"voice\"\nsource = \"live\"\n[[performer]]\nid = \"ada\"\n\
             plays = \"voice\"\nmic_m = 0.343\nlimit_ms = 100\n[[phase]]\nkind = \"remote\"\nperformers = [\"ada\"]\n{phase}\n"
        ),
        &rig,
    );
    (rig, session)
}

fn setting(block: u32) -> Setting {
    Setting { interface: 0.into(), driver: 0.into(), rate: HZ, buffer: Offered::plain(Block::new(block)) }
}

fn delay(b: &Context<'_>, link: &LinkSetting, block: u32) -> f64 {
    let setting = setting(block);
    let loops = far_loops(b, &setting, b.session.phase(PhaseId::from(0)), &Electric::of(b, &setting), link);
    loops.iter().map(|l| l.total.typical().raw()).fold(0.0, f64::max)
}

#[test]
fn the_whole_way_is_the_sum_that_one_works_out_by_hand() {
    let (rig, session) = made(
        "[[far]]\nid = \"loft\"\ndistance_km = 400\nline = \"campus\"\npacket_frames = 192\nchannels = 1\nup_kbit_s = 10000\n\
         theirs = { driver = \"alsa\", connection = \"pcie\", buffer_frames = 96 }\n",
        "",
    );
    let b = context(&rig, &session);
    let phase = session.phase(PhaseId::from(0));
    let link = present(&b, phase, HZ);
    let own = setting(64);
    let loops = far_loops(&b, &own, phase, &Electric::of(&b, &own), &link);
    let l = &loops[0];
    assert_eq!((l.kind, loops.len()), (LoopKind::Together, 1));
    let leg = |kind| l.legs.iter().filter(|g| g.kind == kind).map(|g| g.span.typical().raw()).sum::<f64>();
    // 192 frames from blocks of 64, or of 96: 128 or 96 more frames to wait; and 192 samples of 16 bits with their heads at 10 Mbit/s.
    let sending = (192.0 * 2.0 + 20.0 + 20.0 + 38.0) * 8.0 / 10_000.0;
    let to_them = l.legs.iter().any(|g| g.kind == LegKind::FarOut);
    let waits = if to_them { 128.0 } else { 96.0 } / 48.0;
    assert!((leg(LegKind::Packet) - waits - sending).abs() < 1e-9, "{}", leg(LegKind::Packet));
    // 400 km at 200 km per ms, half as long again, and the line's access at both ends.
    let access = b.tables.line_kind("campus").unwrap();
    assert!(
        (leg(LegKind::Way) - (400.0 / 200.0 * 1.5 + 2.0 * access.access_ms.typical().raw())).abs() < 1e-9
    );
    assert_eq!(leg(LegKind::ReceiveBuffer), access.buffer_ms.typical().raw());
    let block = if to_them { 96.0 } else { 64.0 };
    assert!((leg(LegKind::BlockOfListener) - block / 48.0 / 2.0).abs() < 1e-9);
    let sum: f64 = l.legs.iter().map(|g| g.span.typical().raw()).sum();
    assert!((sum - l.total.typical().raw()).abs() < 1e-9);
    // The way of a whole loop is never under the floor of its distance.
    assert!(leg(LegKind::Way) >= 2.0);
}

/// Every set of changes there is, by their kinds and targets.
fn every_change(far: &str) -> Vec<Vec<(RemedyKind, String)>> {
    let mut all: Vec<Vec<(RemedyKind, String)>> = vec![vec![]];
    let of = |kind: RemedyKind, targets: &[&str]| -> Vec<Option<(RemedyKind, String)>> {
        std::iter::once(None).chain(targets.iter().map(|t| Some((kind, (*t).to_string())))).collect()
    };
    let packets: Vec<String> = [32, 64, 128, 256, 512].iter().map(|n| format!("{far}-{n}")).collect();
    let packets: Vec<&str> = packets.iter().map(String::as_str).collect();
    let spares = [format!("{far}-twice"), format!("{far}-parity")];
    for choices in [
        of(RemedyKind::SmallerPacket, &packets),
        of(RemedyKind::Cable, &[far]),
        of(RemedyKind::QuietLine, &[far]),
        of(RemedyKind::Mono, &[far]),
        of(RemedyKind::SparePackets, &spares.each_ref().map(String::as_str)),
        of(RemedyKind::StraightWay, &["mill"]),
        of(RemedyKind::OtherMeeting, &["quay"]),
    ] {
        all = all
            .iter()
            .flat_map(|set| choices.iter().map(|c| set.iter().cloned().chain(c.clone()).collect()))
            .collect();
    }
    all.retain(|set: &Vec<(RemedyKind, String)>| {
        let has = |k| set.iter().any(|c| c.0 == k);
        !(has(RemedyKind::StraightWay) && has(RemedyKind::OtherMeeting))
    });
    all
}

#[test]
fn no_way_to_set_the_line_is_cheaper_and_quicker_than_those_that_are_weighed() {
    let mut random = fastrand::Rng::with_seed(16);
    for _ in 0..25 {
        let mut far = String::from(
            "[[meeting]]\nid = \"mill\"\nkm = 300\n[[meeting]]\nid = \"quay\"\nkm = 90\n[[far]]\nid = \"loft\"\n",
        );
        let line = ["glass", "cable", "copper", "mobile"][random.usize(0..4)];
        let _ = writeln!(far, "distance_km = {}\nline = \"{line}\"", random.u32(20..900));
        let _ = writeln!(far, "wireless = {}\nother_traffic = {}", random.bool(), random.bool());
        let _ = writeln!(
            far,
            "packet_frames = {}\nchannels = {}",
            [64, 128, 256, 1024][random.usize(0..4)],
            random.u32(1..4)
        );
        if random.bool() {
            let _ = writeln!(far, "up_kbit_s = {}", random.u32(900..4000));
        }
        if random.bool() {
            far.push_str("through = \"mill\"\n");
        }
        far.push_str("meets = [{ at = \"mill\", km = 200 }, { at = \"quay\", km = 150 }]\n");
        let (rig, session) = made(&far, "");
        let b = context(&rig, &session);
        let phase = session.phase(PhaseId::from(0));
        let weighed = link_settings(&b, phase, HZ);
        let effort = |link: &LinkSetting| -> u32 {
            arranged_on_the_line(&b, phase, HZ, link)
                .iter()
                .map(|(kind, _)| b.tables.remedy(*kind).effort)
                .sum()
        };
        for (link, said) in &weighed {
            assert_eq!(effort(link), *said, "{far}");
            // What is proposed can be asked for by its ids.
            let ids: Vec<(RemedyKind, String)> = arranged_on_the_line(&b, phase, HZ, link)
                .into_iter()
                .map(|(kind, target)| (kind, target.id(&b).unwrap()))
                .collect();
            let ids: Vec<(RemedyKind, &str)> = ids.iter().map(|(k, t)| (*k, t.as_str())).collect();
            assert_eq!(set_by(&b, phase, HZ, &ids).as_ref(), Some(link), "{far}");
        }
        let up = rig.fars[0].up_kbit_s;
        let carried = |link: &LinkSetting| {
            let f = &link.fars[0];
            let bits = f64::from(f.packet.get()) * f64::from(f.channels) * 16.0;
            let sound = (bits / 8.0).ceil();
            let twice = if f.spare.as_str() == "twice" { 2.0 } else { 1.0 };
            let ip = sound * twice + 40.0;
            let more = if f.spare.as_str() == "parity" { 1.25 } else { 1.0 };
            let kbit = (ip + 38.0) * 8.0 * 48.0 / f64::from(f.packet.get()) * more;
            ip <= 1500.0 && up.is_none_or(|up| kbit <= up.raw())
        };
        // The packet as long as a block: then all of it counts as the search counts it.
        for set in every_change("loft") {
            let borrowed: Vec<(RemedyKind, &str)> = set.iter().map(|(k, t)| (*k, t.as_str())).collect();
            let Some(link) = set_by(&b, phase, HZ, &borrowed) else { continue };
            let smaller = link.fars[0].packet <= rig.fars[0].packet_frames.unwrap();
            if !carried(&link) || !smaller {
                continue;
            }
            let (cost, late) = (effort(&link), delay(&b, &link, 32));
            let best = weighed
                .iter()
                .filter(|(_, e)| *e <= cost)
                .map(|(w, _)| delay(&b, w, 32))
                .fold(f64::INFINITY, f64::min);
            assert!(best <= late + 1e-6, "{far}\n{set:?}: {late} at {cost}, and only {best} is weighed");
        }
    }
}

#[test]
fn what_distance_forbids_is_in_no_loop_and_in_no_setting() {
    for (km, out) in [(1000, false), (7100, false), (7300, true), (20_000, true)] {
        let (rig, session) =
            made(&format!("[[far]]\nid = \"quay\"\ndistance_km = {km}\nline = \"glass\"\n"), "");
        let b = context(&rig, &session);
        let phase = session.phase(PhaseId::from(0));
        // Singing fails at 30 ms; whoever is most patient bears a fifth more: 36 ms are 7200 km.
        assert_eq!(forbidden(&b, phase).len(), usize::from(out), "{km}");
        assert_eq!(present(&b, phase, HZ).fars.len(), usize::from(!out));
        let planned = plan(b, &OneByOne);
        let together =
            planned.choices[0].report.loops.iter().filter(|l| l.kind == LoopKind::Together).count();
        assert_eq!(together, usize::from(!out));
        if out {
            assert!(!planned.is_possible());
            assert!(
                (planned.choices[0].report.forbidden[0].floor.raw() - f64::from(km) / 200.0).abs() < 1e-9
            );
        }
    }
}

#[test]
fn the_worst_of_all_pairs_says_where_to_meet() {
    let fars = "[[meeting]]\nid = \"mill\"\nkm = 100\nmixing_ms = 1\n[[meeting]]\nid = \"quay\"\nkm = 900\nmixing_ms = 1\n\
                [[far]]\nid = \"north\"\ndistance_km = 500\nline = \"glass\"\nmeets = [{ at = \"mill\", km = 420 }, { at = \"quay\", km = 50 }]\n\
                [[far]]\nid = \"south\"\ndistance_km = 600\nline = \"glass\"\nmeets = [{ at = \"mill\", km = 450 }, { at = \"quay\", km = 1300 }]\n";
    let (rig, session) = made(fars, "");
    let b = context(&rig, &session);
    let choices = meeting_choices(&b, session.phase(PhaseId::from(0)), HZ);
    let access = b.tables.line_kind("glass").unwrap().access_ms.typical().raw() * 2.0;
    let way = |km: f64| km / 200.0 * 1.5 + access;
    let at =
        |id: &str| choices.iter().find(|c| c.at.map(|m| rig.meeting(m).id.as_str()) == Some(id)).unwrap();
    // Through the mill north and south are furthest from each other; through the quay we and the south.
    assert!((at("mill").worst.raw() - (way(420.0) + 1.0 + way(450.0))).abs() < 1e-9);
    assert!((at("quay").worst.raw() - (way(900.0) + 1.0 + way(1300.0))).abs() < 1e-9);
    assert_eq!((at("mill").pair.1.is_some(), at("quay").pair.1.is_some()), (true, false));
    let straight = choices.iter().find(|c| c.at.is_none()).unwrap();
    assert_eq!((straight.unknown, straight.worst.raw()), (1, way(600.0)));
    assert!(choices.windows(2).all(|w| w[0].worst <= w[1].worst));
}

/// Shares of rigs beside rigs that are drawn leg by leg: the same cause leans the same way.
#[test]
fn a_share_of_rigs_is_what_a_thousand_draws_show() {
    let (rig, session) =
        made("[[far]]\nid = \"loft\"\ndistance_km = [700, 800, 900]\nline = \"cable\"\n", "");
    let b = context(&rig, &session);
    let problem = PhaseProblem::new(b, 0.into(), 0.into(), HZ);
    let own = setting(64);
    let phase = session.phase(PhaseId::from(0));
    let l = &far_loops(&b, &own, phase, &Electric::of(&b, &own), &problem.question.links[0].0)[0];
    let limit = l.limit.as_ref().unwrap();
    let mut random = fastrand::Rng::with_seed(3);
    let draws = 4000;
    let mut playable = 0;
    for _ in 0..draws {
        let mut leans = std::collections::BTreeMap::new();
        let mut lean =
            |cause| *leans.entry(cause).or_insert_with(|| swiftloop_core::doubt::lean(random.f64()));
        let delay: f64 = l
            .legs
            .iter()
            .map(|leg| {
                let lean = leg.cause(&own, l).map_or(0.0, &mut lean);
                swiftloop_core::doubt::lean_at(leg.span, lean, swiftloop_core::doubt::SpreadShape::Even)
            })
            .sum();
        let bears = swiftloop_core::doubt::lean_at(
            limit.differs,
            lean(swiftloop_core::doubt::Cause::Listener(l.performer.unwrap())),
            swiftloop_core::doubt::SpreadShape::Factor,
        );
        playable += usize::from(delay <= limit.fails.raw() * bears);
    }
    let share = playable as f64 / f64::from(draws);
    assert!((0.05..0.95).contains(&share), "{share} tells nothing");
    assert!((l.shares.playable.raw() - share).abs() < 0.05, "{} {share}", l.shares.playable.raw());
    let _ = rigs();
}
