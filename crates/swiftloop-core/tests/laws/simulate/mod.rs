//! Small worlds written from first principles, to hold the sums against: each says what happens, event by event, and knows
//! nothing of how the core reckons it.

pub mod disk;
pub mod ring;
pub mod roll;
pub mod scheduler;
pub mod timeline;

/// A number between two, every order of magnitude as likely.
pub fn between(random: &mut fastrand::Rng, low: f64, high: f64) -> f64 {
    low * (high / low).powf(random.f64())
}

/// The values below which 5, 50 and 95 of 100 lie.
pub fn spread(mut all: Vec<f64>) -> [f64; 3] {
    all.sort_by(f64::total_cmp);
    [0.05, 0.5, 0.95].map(|q| all[((all.len() - 1) as f64 * q).round() as usize])
}
