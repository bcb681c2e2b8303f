//! Numbers from a seed, the same on every machine and with every version of the libraries.

use uuid::Uuid;

/// A linear congruential generator (multiplier and increment of Knuth's MMIX), its upper half used.
pub struct Dice(pub u64);

impl Dice {
    /// A number below `sides`.
    pub fn roll(&mut self, sides: usize) -> usize {
        self.0 = self
            .0
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % sides
    }

    /// One of a list.
    pub fn of<'a>(&mut self, list: &[&'a str]) -> &'a str {
        list[self.roll(list.len())]
    }

    /// An id.
    pub fn id(&mut self) -> Uuid {
        let high = u128::from(self.0);
        self.roll(2);
        uuid::Builder::from_random_bytes(((high << 64) | u128::from(self.0)).to_be_bytes())
            .into_uuid()
    }
}
