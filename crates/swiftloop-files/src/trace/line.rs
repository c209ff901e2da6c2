//! One line of the kernel's text, cut into its columns. However the columns are chosen (with or without flags and thread
//! groups, seconds or nanoseconds, a point or a comma), and whatever a thread calls itself.

/// The columns of a line.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct LineColumns<'a> {
    pub name: &'a [u8],
    pub pid: u32,
    pub core: u16,
    /// Empty where the trace has none.
    pub flags: &'a [u8],
    /// In nanoseconds.
    pub at: i64,
    pub event: &'a [u8],
    pub rest: &'a [u8],
}

/// Cuts a line, or finds that it is none of an event.
pub(super) fn columns(line: &[u8]) -> Option<LineColumns<'_>> {
    let line = line.trim_ascii_end();
    // A name may hold brackets: the first pair that the rest of a line follows is meant.
    for bracket in memchr::memchr_iter(b'[', line) {
        if let Some(columns) = from_bracket(line, bracket) {
            return Some(columns);
        }
    }
    latency(line)
}

fn from_bracket(line: &[u8], bracket: usize) -> Option<LineColumns<'_>> {
    let (core, after) = number(&line[bracket + 1..])?;
    let after = after.strip_prefix(b"] ")?;
    let (flags, after) = match time(after.trim_ascii_start()) {
        Some(_) => (&b""[..], after),
        None => {
            let after = after.trim_ascii_start();
            let end = memchr::memchr(b' ', after)?;
            // Flags are a few letters and digits, one for each thing told.
            (end <= 8).then_some(())?;
            after.split_at(end)
        }
    };
    let (at, after) = time(after.trim_ascii_start())?;
    let (name, pid) = thread(&line[..bracket])?;
    event(LineColumns { name, pid, core: u16::try_from(core).ok()?, flags, at, event: b"", rest: b"" }, after)
}

/// `name-pid`, perhaps with the number of its group in round brackets.
fn thread(text: &[u8]) -> Option<(&[u8], u32)> {
    let mut text = text.trim_ascii();
    if let Some(inside) = text.strip_suffix(b")") {
        let open = memchr::memrchr(b'(', inside)?;
        let group = inside[open + 1..].trim_ascii();
        let is_group = group.iter().all(|b| b.is_ascii_digit() || *b == b'-');
        (is_group && open > 0).then_some(())?;
        text = text[..open].trim_ascii_end();
    }
    let dash = memchr::memrchr(b'-', text)?;
    let (pid, left) = number(&text[dash + 1..])?;
    left.is_empty().then_some((&text[..dash], u32::try_from(pid).ok()?))
}

/// The event's name and what it says.
fn event<'a>(mut columns: LineColumns<'a>, after: &'a [u8]) -> Option<LineColumns<'a>> {
    let after = after.trim_ascii_start();
    let colon = memchr::memchr(b':', after)?;
    columns.event = after[..colon].trim_ascii();
    columns.rest = after[colon + 1..].trim_ascii();
    (!columns.event.is_empty()).then_some(columns)
}

/// `1559.316723:`, `1559,316723:` or `1559316723000:`; what follows the colon.
fn time(text: &[u8]) -> Option<(i64, &[u8])> {
    let (whole, after) = number(text)?;
    match after.first()? {
        b':' => Some((i64::try_from(whole).ok()?, &after[1..])),
        b'.' | b',' => {
            let digits = after[1..].iter().take_while(|b| b.is_ascii_digit()).count();
            (1..=9).contains(&digits).then_some(())?;
            let (part, end) = number(&after[1..])?;
            let end = end.strip_prefix(b":")?;
            let nanos = part.checked_mul(10u64.pow(9 - digits as u32))?;
            let all = whole.checked_mul(1_000_000_000)?.checked_add(nanos)?;
            Some((i64::try_from(all).ok()?, end))
        }
        _ => None,
    }
}

/// The short form: `name-pid  0d..2.  123us+: event: …`, times since the trace began.
fn latency(line: &[u8]) -> Option<LineColumns<'_>> {
    let us = memchr::memmem::find(line, b"us")?;
    let mark = line.get(us + 2)?;
    let colon = us + if *mark == b':' { 2 } else { 3 };
    (line.get(colon) == Some(&b':')).then_some(())?;
    let before = line[..us].trim_ascii_end();
    let digits = before.iter().rev().take_while(|b| b.is_ascii_digit()).count();
    let (at, _) = number(&before[before.len() - digits..])?;
    let before = before[..before.len() - digits].trim_ascii_end();
    let flags_at = memchr::memrchr(b' ', before)? + 1;
    let (core, flags) = number(&before[flags_at..])?;
    let (name, pid) = thread(&before[..flags_at])?;
    let at = i64::try_from(at).ok()?.checked_mul(1000)?;
    event(
        LineColumns { name, pid, core: u16::try_from(core).ok()?, flags, at, event: b"", rest: b"" },
        &line[colon + 1..],
    )
}

/// A number at the beginning, and what follows it.
pub(super) fn number(text: &[u8]) -> Option<(u64, &[u8])> {
    let mut value = 0u64;
    let mut digits = 0;
    for byte in text {
        if !byte.is_ascii_digit() {
            break;
        }
        value = value.checked_mul(10)?.checked_add(u64::from(byte - b'0'))?;
        digits += 1;
    }
    (digits > 0).then_some((value, &text[digits..]))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[track_caller]
    fn cut(line: &str) -> (&str, u32, u16, &str, i64, &str, &str) {
        let c = columns(line.as_bytes()).expect("an event");
        let text = |b| std::str::from_utf8(b).unwrap();
        (text(c.name), c.pid, c.core, text(c.flags), c.at, text(c.event), text(c.rest))
    }

    #[test]
    fn columns_are_found_however_they_are_chosen() {
        let rest = "comm=a pid=1";
        for (line, name, flags, at) in [
            (
                "   lto cgu.01-713     [001] dnh..  1559.318059: e: comm=a pid=1",
                "lto cgu.01",
                "dnh..",
                1_559_318_059_000,
            ),
            (
                "   lto cgu.01-713     [001] dnh.  1559,318059: e: comm=a pid=1",
                "lto cgu.01",
                "dnh.",
                1_559_318_059_000,
            ),
            ("lto cgu.01-713 [001] 1559.318059: e: comm=a pid=1", "lto cgu.01", "", 1_559_318_059_000),
            ("a[0] 1.5: (x)-713 [001] .... 7: e: comm=a pid=1", "a[0] 1.5: (x)", "....", 7),
            ("a-b-713     ( 700) [001] d..2. 1.000000001: e: comm=a pid=1", "a-b", "d..2.", 1_000_000_001),
            ("<idle>-713  (-----) [001] d..2. 1.5: e: comm=a pid=1", "<idle>", "d..2.", 1_500_000_000),
            ("a b-713       1d..2.  123456us!: e: comm=a pid=1", "a b", "d..2.", 123_456_000),
        ] {
            assert_eq!(cut(line), (name, 713, 1, flags, at, "e", rest), "{line}");
        }
    }

    #[test]
    fn what_is_no_event_is_none() {
        for line in [
            "",
            "# tracer: nop",
            "CPU:1 [LOST 5 EVENTS]",
            "a-1 [001] d..2. 1559.31",
            "a-1 [9999999] . 1.0: e: x",
            "[[[[",
            "a-99999999999 [000] 1.0: e: x",
        ] {
            assert_eq!(columns(line.as_bytes()), None, "{line}");
        }
    }
}
