//! `try` without files: the answer, the legs, the same with other drivers, and the next step.

use super::words::{fit, limit, ms, ms_range};
use super::{STRONG, heading, legs, lines, right, styled, table, wrapped};
use swiftloop_core::loops::{Loop, Verdict};
use swiftloop_core::tables::DriverModel;
use swiftloop_core::units::{Block, Hz};

pub fn show(
    model: &DriverModel,
    rate: Hz,
    buffer: Block,
    (mine, fits): (&Loop, Option<&(Block, Loop)>),
    others: &[(&DriverModel, Block, Loop)],
) -> String {
    let mut text =
        heading(&format!("{}, {rate} Hz, {buffer} frames: a first answer without files", model.name));
    let verdict = match mine.verdict() {
        Verdict::Within => "within the limit of",
        Verdict::Doubtful => "probably within the limit of",
        Verdict::Over => "over the limit of",
    };
    let line = format!("You hear yourself after about {}, {verdict} {}.", ms_range(mine.total), limit(mine));
    text.push_str(&format!("{}\n", styled(STRONG, wrapped("", &line).trim_end())));
    if let Some((_, reason)) = &mine.limit {
        text.push_str(&wrapped("  ", reason));
    }
    if mine.verdict() == Verdict::Over {
        let line = match fits {
            Some((block, l)) => format!("It would fit at {block} frames: about {}.", ms_range(l.total)),
            None => "No buffer of this driver fits: listen through the interface itself (direct monitoring), or use another driver.".into(),
        };
        text.push_str(&wrapped("  ", &line));
    }
    text.push('\n');
    text.push_str(&legs::show(mine));
    text.push_str(&wrapped("  ", &format!("About this driver: {}", model.source)));
    text.push_str(&format!("\n{}\n", styled(STRONG, "The same with the other drivers of this system")));
    let mut t = table(&["driver", "buffer", "typical", "low – high", "verdict", "playing"]);
    for (other, block, l) in others {
        let mine = other.id == model.id;
        let row = [
            other.id.clone(),
            block.to_string(),
            format!("{} ms", ms(l.total.typical())),
            format!("{} – {}", ms(l.total.low()), ms(l.total.high())),
            fit(l.verdict()),
            if other.live { "" } else { "not for live playing" }.into(),
        ];
        t.add_row(row.into_iter().map(|c| if mine && !c.is_empty() { styled(STRONG, c) } else { c }));
    }
    right(&mut t, &[1, 2, 3]);
    text.push_str(&lines(&t));
    text.push('\n');
    text.push_str(&wrapped("", "Nothing here was measured, nothing is known of your computer or session, so there is no word on crackles."));
    text.push_str(&format!(
        "{}\n  Describe them, and learn both:  swiftloop new\n  See it on a sample session:     swiftloop demo\n",
        styled(STRONG, "Next")
    ));
    text
}
