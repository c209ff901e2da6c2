//! Frame by frame: a device captures blocks of N frames and plays from a ring of n such blocks that starts full of silence; the
//! program is woken when a block was captured, and copies it through `late` frames afterwards.

/// Frames from input to output, and whether the ring ran dry.
pub fn trip(frames: usize, blocks: usize, late: usize) -> (usize, bool) {
    let total = 40 * frames;
    let mut ring: std::collections::VecDeque<usize> = std::iter::repeat_n(0, blocks * frames).collect();
    let mut played = Vec::with_capacity(total);
    let mut dry = false;
    for t in 0..total {
        match ring.pop_front() {
            Some(x) => played.push(x),
            None => {
                played.push(0);
                dry = true;
            }
        }
        let since = t + 1;
        if since > late && (since - late).is_multiple_of(frames) {
            let block = (since - late) / frames;
            // What was captured as this block: input frame x carries the number x + 1.
            ring.extend((block - 1) * frames + 1..=block * frames);
        }
    }
    let marked = 3 * frames;
    let at = played.iter().position(|x| *x == marked + 1).unwrap_or(usize::MAX);
    (at.saturating_sub(marked), dry)
}

/// By how many frames the program may be late before the ring runs dry.
pub fn bears(frames: usize, blocks: usize) -> usize {
    // What is late and does no harm does none when it is less late.
    let (mut fine, mut dry) = (0, blocks * frames + 1);
    while dry - fine > 1 {
        let late = usize::midpoint(fine, dry);
        if trip(frames, blocks, late).1 { dry = late } else { fine = late }
    }
    fine
}
