//! `plan`: the answer in a table, then each choice with its reasons, then the sheet of changes between phases.

use super::legs::SMALL_DOUBT_MS;
use super::words::{self, buffer, calm, dropouts, faint, fit, ms, per_hour, percent};
use super::{BAD, GOOD, STRONG, heading, legs, lines, picture, right, styled, table, trial, wrapped};
use swiftloop_core::advice::{self, Warning};
use swiftloop_core::choice::{Choice, Plan};
use swiftloop_core::loops::{Bench, Loop, WidestDoubt, ranked_drivers};

pub fn show(bench: &Bench<'_>, plan: &Plan, brief: bool) -> String {
    let mut text = heading(&format!("{}: {} Hz throughout", title(bench), plan.rate));
    text.push_str(&answer(plan));
    for (rate, why) in &plan.other_rates {
        text.push_str(&wrapped("", &format!("Not {rate} Hz: {why}.")));
    }
    for &(interface, phase) in &plan.silent {
        let (i, p) = (bench.rig.interfaces[interface].title(), bench.session.phases[phase].word());
        text.push_str(&wrapped(
            "",
            &format!("{} for {p}: the {i} offers no driver at {} Hz.", styled(BAD, "Impossible"), plan.rate),
        ));
    }
    text.push('\n');
    text.push_str(&overview(bench, plan));
    text.push('\n');
    if !brief {
        text.push_str(&drivers(bench, plan));
        for choice in &plan.choices {
            text.push_str(&one(bench, choice));
            text.push('\n');
        }
    }
    text.push_str(&sheet(bench, plan));
    text.push_str(&all_warnings(bench, plan));
    text.push_str(&next(plan));
    text
}

fn title(bench: &Bench<'_>) -> String {
    match (bench.session.name.as_str(), bench.rig.name.as_str()) {
        ("", _) => "The session".into(),
        (session, _) => session.into(),
    }
}

fn answer(plan: &Plan) -> String {
    let all = plan.choices.len() + plan.silent.len();
    let met = plan.choices.iter().filter(|c| c.missed.is_none()).count();
    let bare = plan.choices.iter().filter(|c| c.missed.is_none() && c.price == 0).count();
    let style = if met == all { GOOD } else { BAD };
    let line = format!(
        "{met} of {all} wishes can be met, {bare} of them as the session stands{}",
        if met < all { format!("; {} cannot, whatever is done.", all - met) } else { ".".into() }
    );
    format!("{}\n", styled(style, wrapped("", &line).trim_end()))
}

fn overview(bench: &Bench<'_>, plan: &Plan) -> String {
    let mut t = table(&[
        "phase",
        "interface",
        "setting",
        "tightest loop",
        "worst block",
        "dropouts an hour",
        "price",
    ]);
    for c in &plan.choices {
        let r = &c.report;
        let roll = c.arrangement.roll.map_or(String::new(), |b| format!(", roll {b}"));
        let driver = bench.driver(&c.arrangement.setting).word();
        t.add_row([
            bench.session.phases[c.phase].word().to_string(),
            bench.rig.interfaces[c.interface].id.clone(),
            format!("{driver} {}{roll}", c.arrangement.setting.buffer.label()),
            r.tightest().map_or(String::new(), tight),
            percent(r.cue.worst_ratio()),
            format!("{} {}", per_hour(r.dropouts.typical), calm(r.verdict())),
            if c.missed.is_some() { styled(BAD, "impossible") } else { c.price.to_string() },
        ]);
    }
    right(&mut t, &[4, 6]);
    lines(&t)
}

/// The drivers of every interface shown, best first.
fn drivers(bench: &Bench<'_>, plan: &Plan) -> String {
    let mut t =
        table(&["interface", "driver, best first", "smallest buffer", "round trip", "low – high", ""]);
    for (i, interface) in bench.rig.interfaces.iter().enumerate() {
        if !plan.choices.iter().any(|c| c.interface == i) {
            continue;
        }
        for d in ranked_drivers(bench, i, plan.rate) {
            let mut remarks = Vec::new();
            if !d.live {
                remarks.push("not for live playing");
            }
            if !d.shared {
                remarks.push("takes the device for itself");
            }
            t.add_row([
                interface.id.clone(),
                bench.driver(&d.setting).word().into(),
                d.setting.buffer.label(),
                format!("{} ms", ms(d.round_trip.typical())),
                format!("{} – {}", ms(d.round_trip.low()), ms(d.round_trip.high())),
                remarks.join(", "),
            ]);
        }
    }
    right(&mut t, &[2, 3, 4]);
    format!("{}\n", lines(&t))
}

/// The loop in doubt by most, over all choices.
fn widest(plan: &Plan) -> Option<(String, WidestDoubt)> {
    let all = plan.choices.iter().flat_map(|c| &c.report.loops).filter(|l| l.limit.is_some());
    let doubts = all.filter_map(|l| l.widest_doubt().map(|d| (l.who.clone(), d)));
    doubts.max_by(|a, b| a.1.spread.0.total_cmp(&b.1.spread.0)).filter(|d| d.1.spread.0 >= SMALL_DOUBT_MS)
}

/// `Ada 5.4 of 6 ms within`.
fn tight(l: &Loop) -> String {
    let who = l.who.split(',').next().unwrap_or(&l.who);
    match &l.limit {
        Some((limit, _)) => format!("{who} {} of {} ms {}", ms(l.total.typical()), limit.0, fit(l.verdict())),
        None => format!("{who} {} ms", ms(l.total.typical())),
    }
}

fn one(bench: &Bench<'_>, c: &Choice) -> String {
    let phase = &bench.session.phases[c.phase];
    let interface = &bench.rig.interfaces[c.interface];
    let r = &c.report;
    let mut text = heading(&format!(
        "{} on the {}: {}",
        phase.word(),
        interface.title(),
        words::setting(bench, &c.arrangement)
    ));
    if let Some(missed) = &c.missed {
        text.push_str(&format!(
            "{}\n",
            styled(BAD, wrapped("", "Impossible. This is the nearest miss.").trim_end())
        ));
        text.push_str(&wrapped("  ", &format!("Binds: {}.", missed.binding)));
        text.push_str(&wrapped("  ", &format!("It would take {}.", missed.change)));
    }
    text.push_str(&trial::answer(r));
    if r.loops.iter().any(|l| l.limit.is_some()) {
        text.push('\n');
        text.push_str(&legs::summary(&r.loops));
    }
    if let Some(doubt) = r.tightest().and_then(Loop::widest_doubt).filter(|d| d.spread.0 >= SMALL_DOUBT_MS) {
        text.push_str(&wrapped(
            "  ",
            &format!(
                "Widest doubt: {}, {} ms. To be surer: {}.",
                doubt.leg,
                ms(doubt.spread),
                doubt.measure_with
            ),
        ));
    }
    let block = r
        .roll
        .as_ref()
        .map(|x| &x.0)
        .filter(|roll| roll.worst_ratio() > r.cue.worst_ratio())
        .unwrap_or(&r.cue);
    text.push_str(&wrapped("  ", &trial::binding(bench, block)));
    if let Some((roll, response)) = &r.roll {
        text.push_str(&wrapped(
            "  ",
            &format!(
                "Roll block of {} frames: ready after {:.1} ms of {:.1} ms.",
                roll.block_frames,
                response / 1000.0,
                roll.deadline_us / 1000.0
            ),
        ));
    }
    if let Some(without) = &c.without_roll {
        text.push_str(&wrapped("  ", &format!("{without}.")));
    }
    let recorded = advice::recording_mb_per_minute(bench, &c.arrangement.setting, phase);
    if recorded > 0.0 {
        text.push_str(&wrapped("  ", &format!("Recording takes {recorded:.0} MB a minute.")));
    }
    text.push('\n');
    if let Some(bare) = &c.bare {
        let over = bare.tightest().map_or(String::new(), |l| format!("{}, ", tight(l)));
        text.push_str(&wrapped(
            "  ",
            &format!("As the session stands: {over}{} dropouts an hour.", dropouts(bare.dropouts)),
        ));
        text.push_str(&trial::remedies(r, &c.buys, c.price));
        if c.gap > 0 {
            text.push_str(&wrapped(
                "  ",
                &format!("The search was cut short: a set cheaper by up to {} may exist.", c.gap),
            ));
        }
        text.push('\n');
    }
    text.push_str(&picture::show(&c.trade, &c.arrangement, r.target));
    for other in c.alternatives.iter().take(2) {
        let with = words::setting(bench, &other.arrangement);
        text.push_str(&wrapped("  Not ", &format!("{with}: {}.", other.why)));
    }
    text
}

/// The sheet of changes between phases, in order, for each interface.
fn sheet(bench: &Bench<'_>, plan: &Plan) -> String {
    let mut text = heading("Changes between phases, in order");
    let mut on = None;
    for step in &plan.steps {
        if on != Some(step.interface) {
            on = Some(step.interface);
            let title = bench.rig.interfaces[step.interface].title();
            text.push_str(&format!("{}\n", styled(STRONG, format!("On the {title}"))));
        }
        let phase = bench.session.phases[step.phase].word();
        if step.restore.is_empty() && step.set.is_empty() {
            text.push_str(&format!("  {phase}: nothing to change\n"));
            continue;
        }
        text.push_str(&format!("  {phase}\n"));
        for line in &step.restore {
            text.push_str(&wrapped("    ↩ ", line));
        }
        for line in &step.set {
            text.push_str(&wrapped("    □ ", line));
        }
    }
    text.push_str(&faint("  ↩ restore what the phase before left off    □ set or do\n"));
    text
}

/// Warnings of all choices, each once, with the phases it touches.
fn all_warnings(bench: &Bench<'_>, plan: &Plan) -> String {
    let mut all: Vec<(Warning, Vec<String>)> = Vec::new();
    for c in &plan.choices {
        let phase = &bench.session.phases[c.phase];
        for w in advice::warnings(bench, &c.arrangement.setting, phase) {
            let name = phase.word().to_string();
            match all.iter_mut().find(|(known, _)| *known == w) {
                Some((_, phases)) if !phases.contains(&name) => phases.push(name),
                Some(_) => {}
                None => all.push((w, vec![name])),
            }
        }
    }
    let phases = bench.session.phases.len();
    let told = all.into_iter().map(|(mut w, at)| {
        if at.len() < phases {
            w.message = format!("{} ({})", w.message, at.join(", "));
        }
        w
    });
    trial::warnings(&told.collect::<Vec<_>>())
}

fn next(plan: &Plan) -> String {
    let assumed = plan.choices.iter().any(|c| c.report.profile != swiftloop_core::units::Origin::Measured);
    let mut text = format!("\n{}\n", styled(STRONG, "Next"));
    if let Some((who, doubt)) = widest(plan) {
        text.push_str(&wrapped(
            "  ",
            &format!(
                "The widest doubt of all loops is {}, {} ms on the way of {who}: {}.",
                doubt.leg,
                ms(doubt.spread),
                doubt.measure_with
            ),
        ));
    }
    if assumed {
        text.push_str(&wrapped(
            "  ",
            "Dropouts rest on wake-up delays assumed from the class of machine, hence their wide ranges: \
             swiftloop soak --save rig.toml measures them on this machine.",
        ));
    }
    text.push_str(&wrapped("  ", "Every leg of one setting, and what else could be tried: swiftloop try RIG SESSION --interface … --phase …"));
    text
}

/// The buffer of a choice, for captions.
pub fn caption(bench: &Bench<'_>, c: &Choice) -> String {
    format!(
        "{} · {} · {}",
        bench.session.phases[c.phase].word(),
        bench.rig.interfaces[c.interface].id,
        buffer(&c.arrangement)
    )
}
