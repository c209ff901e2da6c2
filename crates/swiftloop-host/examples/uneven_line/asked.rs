//! What is asked of the line.

use std::time::Duration;

/// How one way treats packets.
#[derive(Debug, Clone, Copy)]
pub struct Manner {
    /// Never quicker, in milliseconds.
    pub floor_ms: f64,
    /// Mean of what all wait beyond that (exponential).
    pub mean_ms: f64,
    /// Share that meets a heavy queue, and its mean.
    pub heavy: f64,
    pub heavy_ms: f64,
    /// Share that is lost, in runs of this length.
    pub loss: f64,
    pub run: u32,
    /// Share that comes twice.
    pub twice: f64,
    /// Packets may overtake each other.
    pub overtake: bool,
    /// What the line carries, in kilobits a second (0: anything).
    pub kbit_s: f64,
}

#[derive(Debug, Clone)]
pub struct Asked {
    pub seed: u64,
    pub lasts: Duration,
    /// How much faster the reflector's clock seems to run, in parts per million.
    pub ppm: f64,
    pub log: Option<String>,
    pub forth: Manner,
    pub back: Manner,
}

impl Asked {
    /// From `key=value` words.
    pub fn read(words: impl Iterator<Item = String>) -> Result<Self, String> {
        let even = Manner {
            floor_ms: 0.0,
            mean_ms: 0.0,
            heavy: 0.0,
            heavy_ms: 0.0,
            loss: 0.0,
            run: 1,
            twice: 0.0,
            overtake: false,
            kbit_s: 0.0,
        };
        let mut asked =
            Self { seed: 1, lasts: Duration::from_secs(60), ppm: 0.0, log: None, forth: even, back: even };
        for word in words {
            let (key, value) = word.split_once('=').ok_or_else(|| format!("`{word}` is no KEY=VALUE"))?;
            let number = || value.parse::<f64>().map_err(|_| format!("`{value}` is no number"));
            match key {
                "seed" => asked.seed = number()? as u64,
                "seconds" => asked.lasts = Duration::from_secs_f64(number()?),
                "ppm" => asked.ppm = number()?,
                "log" => asked.log = Some(value.into()),
                _ => {
                    let (key, ways): (&str, Vec<&mut Manner>) = match key.strip_suffix("_back") {
                        Some(key) => (key, vec![&mut asked.back]),
                        None => (key, vec![&mut asked.forth, &mut asked.back]),
                    };
                    for way in ways {
                        way.set(key, number()?)?;
                    }
                }
            }
        }
        Ok(asked)
    }
}

impl Manner {
    fn set(&mut self, key: &str, value: f64) -> Result<(), String> {
        match key {
            "floor_ms" => self.floor_ms = value,
            "mean_ms" => self.mean_ms = value,
            "heavy" => self.heavy = value,
            "heavy_ms" => self.heavy_ms = value,
            "loss" => self.loss = value,
            "run" => self.run = value as u32,
            "twice" => self.twice = value,
            "overtake" => self.overtake = value > 0.0,
            "kbit_s" => self.kbit_s = value,
            _ => return Err(format!("there is no `{key}`")),
        }
        Ok(())
    }
}
