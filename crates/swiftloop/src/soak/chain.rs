//! The session's own processors as the work: what was predicted of them beside what was seen.

use super::Soaked;
use crate::shared::page::columns::legend;
use crate::shared::page::{Columns, Head, clean, counted, title, wrapped};
use crate::shared::words::figures::us;
use crate::soak::machine::Chain;
use serde_json::{Value, json as object};
use swiftloop_core::soak::Rung;

pub fn show(chain: &Chain, s: &Soaked<'_>) -> String {
    let mut text = title("The session's own processors");
    let ran = counted(chain.count(), "processor", "processors");
    text.push_str(&wrapped(
        "  ",
        &format!("{ran} in every block, one after another, in a process of their own."),
    ));
    if !chain.left_out.is_empty() {
        let left = chain.left_out.join(", ");
        text.push_str(&wrapped("  ", &clean(&format!("Left out: {left}."))));
    }
    let mut t = Columns::new(&[
        Head::words("block"),
        Head::figures("weighed alone"),
        Head::figures("predicted"),
        Head::figures("seen, mean"),
        Head::figures("95 of 100 under"),
        Head::words("within"),
    ]);
    for r in s.rungs.iter().filter(|r| r.exec_us.total() > 0) {
        let [low, typical, high] = chain.predicted_us(r.block);
        t.row([
            r.block.to_string(),
            us(chain.alone_us(r.block)),
            format!("{} ({} to {})", us(typical), us(low), us(high)),
            us(r.exec_us.mean()),
            us(r.exec_us.quantile(0.95)),
            if within(chain, r) { "yes" } else { "no" }.into(),
        ]);
    }
    text.push_str(&t.show());
    let about = "predicted: what was weighed alone, and what is dearer at the real period. within: the mean \
                 of all blocks lies in the predicted range.";
    format!("{text}{}", legend(about))
}

fn within(chain: &Chain, r: &Rung) -> bool {
    let [low, _, high] = chain.predicted_us(r.block);
    (low..=high).contains(&r.exec_us.mean())
}

pub fn json(chain: &Chain, s: &Soaked<'_>) -> Value {
    let rungs = s.rungs.iter().map(|r| {
        let [low, typical, high] = chain.predicted_us(r.block);
        object!({
            "buffer_frames": r.block.get(),
            "alone_us": chain.alone_us(r.block),
            "predicted_us": { "low": low, "typical": typical, "high": high },
            "seen_us": r.exec_us.mean(),
            "within": within(chain, r),
        })
    });
    object!({ "count": chain.count(), "left_out": chain.left_out, "rungs": rungs.collect::<Vec<_>>() })
}
