//! A session's own processors as the work of a soak: those that were weighed on this machine, with what they take alone and
//! what is predicted of all of them at the real period.

use std::path::PathBuf;
use swiftloop_measure::weigh::{AtRate, NanosRange};
use swiftloop_units::{Block, Factor, Range};

/// One kind of processor in the chain.
#[derive(Debug, Clone)]
#[cfg_attr(not(target_os = "linux"), allow(dead_code, reason = "processors run on Linux"))]
pub struct ChainPart {
    pub library: PathBuf,
    pub standard: String,
    pub id: String,
    pub copies: u32,
    pub at: AtRate,
}

#[derive(Debug, Clone)]
pub struct Chain {
    pub parts: Vec<ChainPart>,
    /// How much dearer what was weighed alone is in a chain.
    pub paced: Range<Factor>,
    /// What does not run, and why.
    pub left_out: Vec<String>,
}

impl ChainPart {
    /// What all copies take in a block, weighed alone, in nanoseconds.
    fn alone_ns(&self, block: Block, which: fn(NanosRange) -> f64) -> f64 {
        f64::from(self.copies) * self.at.takes(block.get()).map_or(0.0, which)
    }
}

impl Chain {
    pub fn count(&self) -> usize {
        self.parts.iter().map(|p| p.copies as usize).sum()
    }

    fn sum_us(&self, block: Block, which: fn(NanosRange) -> f64) -> f64 {
        self.parts.iter().map(|p| p.alone_ns(block, which)).sum::<f64>() / 1e3
    }

    /// What all take in a block, weighed alone, in µs.
    pub fn alone_us(&self, block: Block) -> f64 {
        self.sum_us(block, |s| s.typical)
    }

    /// What is predicted of a block at the real period, in µs: low, typical, high.
    pub fn predicted_us(&self, block: Block) -> [f64; 3] {
        let times = |f: Factor| f.raw();
        [
            self.sum_us(block, |s| s.low) * times(self.paced.low()),
            self.sum_us(block, |s| s.typical) * times(self.paced.typical()),
            self.sum_us(block, |s| s.high) * times(self.paced.high()),
        ]
    }

    /// Leaves out at the end what one core cannot do in a period of the smallest of `blocks`.
    #[cfg(target_os = "linux")]
    pub fn fit(&mut self, blocks: &[Block], rate: swiftloop_units::Hz) {
        /// Share of a period that they may be predicted to take.
        const MOST: f64 = 0.7;
        let Some(block) = blocks.iter().min() else { return };
        let room = block.period(rate).raw() * MOST;
        let mut left = 0;
        while self.predicted_us(*block)[1] > room && self.parts.len() > 1 {
            left += self.parts.pop().map_or(0, |p| p.copies);
        }
        if left > 0 {
            self.left_out.push(format!("{left} that one core could not do as well in {block} frames"));
        }
    }
}

#[cfg(target_os = "linux")]
mod here {
    use super::{Chain, ChainPart};
    use crate::shared::answer::quoted;
    use crate::shared::catalogue::UserCatalogue;
    use crate::shared::failure::Failure;
    use crate::shared::processors::of_session;
    use crate::shared::project::Project;
    use crate::soak::options::SoakOptions;
    use std::collections::BTreeMap;
    use swiftloop_core::session::State;
    use swiftloop_files::tables;
    use swiftloop_host::weigh::{ChainMember, ChainTask};
    use swiftloop_units::{Block, Hz};

    impl Chain {
        /// All processors of a session that work, are known by what they are, and were weighed here.
        pub fn of(options: &SoakOptions, opened: &Project, rate: Hz) -> Result<Self, Failure> {
            let session = &opened.session;
            // For each, the channels of every place where it stands: each place has its own copies.
            let mut places: BTreeMap<&str, Vec<u32>> = BTreeMap::new();
            let mut nameless = 0;
            let tracks = session.tracks.iter().filter(|t| !t.disabled).map(|t| (t.channels, &t.processors));
            let buses = session.buses.iter().map(|b| (2, &b.processors));
            let all = tracks.chain(buses).chain([(2, &session.main.processors)]);
            for (channels, p) in all.flat_map(|(n, chain)| chain.iter().map(move |p| (n, p))) {
                match p.is.as_deref() {
                    _ if p.state != State::Active => {}
                    Some(is) => places.entry(is).or_default().push(channels),
                    None => nameless += 1,
                }
            }
            let kept = UserCatalogue::read(&options.catalogue)?.catalogue;
            let machine = swiftloop_host::processor_name();
            let program = crate::shared::environment::this_program()?;
            let searched = of_session(&program, session, &options.library, None)?;
            let mut left_out = Vec::new();
            let mut parts = Vec::new();
            for (is, channels) in places {
                let found = searched.found.iter().find_map(|l| {
                    let one = l.wanted.iter().find(|w| format!("{}:{}", l.standard, w.id) == is)?;
                    Some((l.path.clone(), l.standard, one.id.clone()))
                });
                let entry = kept.meant(is, None);
                let at = entry
                    .and_then(|e| e.on_machine(&machine))
                    .and_then(|o| o.rates.iter().min_by_key(|r| r.rate_hz.abs_diff(rate.get())));
                match (found, entry, at) {
                    (Some((library, standard, id)), Some(entry), Some(at)) => {
                        let each = entry.channels[0].max(entry.channels[1]).max(1) as u32;
                        let copies = channels.iter().map(|n| n.div_ceil(each).max(1)).sum();
                        parts.push(ChainPart {
                            library,
                            standard: standard.into(),
                            id,
                            copies,
                            at: at.clone(),
                        });
                    }
                    (None, ..) => left_out.push(format!("{is} (nothing that holds it was found)")),
                    (Some(_), ..) => left_out.push(format!("{is} (not weighed on this machine)")),
                }
            }
            if nameless > 0 {
                left_out.push(format!("{nameless} that do not say what they are (is = …)"));
            }
            if parts.is_empty() {
                let session = quoted(&opened.files.session);
                return Err(Failure::usage(
                    format!("no processor of {session} can be run: {}", left_out.join(", ")),
                    format!("weigh them first: swiftloop weigh --session {session}"),
                ));
            }
            let paced = opened.rig.machine.paced_cost.unwrap_or(tables().assume.paced_cost);
            Ok(Self { parts, paced, left_out })
        }

        /// What is to be done at a block.
        pub fn task(&self, block: Block, rate: Hz, reserve: f64, seconds: f64) -> ChainTask {
            let link = |p: &ChainPart| ChainMember {
                library: std::path::absolute(&p.library).unwrap_or_else(|_| p.library.clone()),
                standard: p.standard.clone(),
                id: p.id.clone(),
                copies: p.copies,
                alone_ns: p.alone_ns(block, |s| s.typical),
            };
            let links = self.parts.iter().map(link).collect();
            ChainTask { links, rate_hz: rate.get(), block: block.get(), reserve, seconds }
        }

        /// Which one it was.
        pub fn named(&self, link: Option<usize>) -> String {
            link.and_then(|i| self.parts.get(i)).map_or("one of them".into(), |p| p.id.clone())
        }
    }
}
