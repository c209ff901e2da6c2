//! A recording from afar: for each of so many columns the lowest and the highest value. Of a long recording only the
//! beginning of each column is looked at: a picture of an hour need not read all of it.

use super::{AudioSource, banks};
use swiftloop_units::Seconds;

#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Column {
    pub at: Seconds,
    /// Lowest value of all channels.
    pub low: f32,
    pub high: f32,
}

/// Frames of each column that are looked at.
const LOOKED: u64 = 2048;

/// The envelope of all channels together in at most `columns` columns.
///
/// # Errors
/// The first stretch that could not be fetched.
pub fn envelope<S: AudioSource>(source: &S, columns: u64) -> Result<Vec<Column>, S::Error> {
    let (frames, rate) = (source.frames(), f64::from(source.rate().get()));
    let columns = columns.min(frames);
    let column = |i: u64| {
        let from = i * frames / columns;
        let to = ((i + 1) * frames / columns).min(from + LOOKED).max(from + 1);
        let (mut low, mut high) = (0.0f32, 0.0f32);
        for bank in banks(source.channels()) {
            for x in source.fetch_of(from, to, bank)?.iter().flatten() {
                (low, high) = (low.min(*x), high.max(*x));
            }
        }
        Ok(Column { at: Seconds::new(from as f64 / rate), low, high })
    };
    (0..columns).map(column).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::listen::InMemory;
    use swiftloop_units::Hz;

    #[test]
    fn peaks_of_every_column_show_and_a_short_recording_has_a_column_a_frame() {
        let channels = [vec![0.1, -0.5, 0.2, 0.9], vec![0.0, 0.3, -0.7, 0.0]];
        let source = InMemory { channels: &channels, rate: Hz::new(8000), step: 1e-4 };
        let shown = envelope(&source, 2).unwrap();
        assert_eq!(shown.iter().map(|c| (c.low, c.high)).collect::<Vec<_>>(), [(-0.5, 0.3), (-0.7, 0.9)]);
        assert_eq!(envelope(&source, 100).unwrap().len(), 4);
    }
}
