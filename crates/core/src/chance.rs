//! Chance that can be repeated: everything drawn, generated or searched at random starts from a seed that is kept.

use rand_core::{Rng, SeedableRng};
use rand_pcg::Pcg64Mcg;

/// A seeded generator, so that a demo boat or a drawn sample can be made again.
#[derive(Debug, Clone)]
pub struct Chance(Pcg64Mcg);

/// A seed that a text always gives: `start` tells apart what is seeded by the same text.
pub fn seed_of(text: &str, start: u64) -> u64 {
    text.bytes().fold(start, |seed, byte| seed.wrapping_mul(31).wrapping_add(u64::from(byte)))
}

impl Chance {
    pub fn seeded(seed: u64) -> Self {
        Self(Pcg64Mcg::seed_from_u64(seed))
    }

    pub fn next_u64(&mut self) -> u64 {
        self.0.next_u64()
    }

    /// Evenly from 0 up to but not including 1.
    pub fn unit(&mut self) -> f64 {
        (self.next_u64() >> 11) as f64 / (1u64 << 53) as f64
    }

    /// Evenly from 0 up to but not including `n`; 0 when `n` is 0.
    pub fn below(&mut self, n: u32) -> u32 {
        (self.unit() * f64::from(n)) as u32
    }

    /// Puts `first` items, picked from all of them with equal chances, to the front in a random order (Fisher–Yates).
    pub fn shuffle<T>(&mut self, items: &mut [T], first: usize) {
        for i in 0..first.min(items.len()) {
            let other = i + self.below((items.len() - i) as u32) as usize;
            items.swap(i, other);
        }
    }

    /// A standard normal number (Box–Muller).
    pub fn normal(&mut self) -> f64 {
        let (u, v) = (1.0 - self.unit(), self.unit());
        (-2.0 * u.ln()).sqrt() * (std::f64::consts::TAU * v).cos()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_seed_gives_the_same_draws_again_and_another_seed_others() {
        let draws = |seed| {
            let mut chance = Chance::seeded(seed);
            [(); 4].map(|()| chance.next_u64())
        };
        assert_eq!(draws(1929), draws(1929));
        assert_ne!(draws(1929), draws(1930));
        assert_ne!(seed_of("Brindle Wren", 1), seed_of("Pennywort", 1));
    }

    #[test]
    fn draws_are_even_and_stay_below() {
        let mut chance = Chance::seeded(7);
        let mut hit = [0u32; 6];
        for _ in 0..6_000 {
            hit[chance.below(6) as usize] += 1;
        }
        assert!(hit.iter().all(|n| (880..1_120).contains(n)), "{hit:?}");
        assert_eq!(chance.below(0), 0);
    }
}
