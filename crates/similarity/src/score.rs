//! Scores as fixed-point numbers, so that equal scores are equal on every machine.

use std::fmt;

/// A score from 0 to 1 in units of 10⁻⁹.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Score(u32);

impl fmt::Display for Score {
    /// Writes the score as a number from 0 to 1 with nine decimals.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (whole, decimals) = (self.0 / Self::ONE.0, self.0 % Self::ONE.0);
        write!(f, "{whole}.{decimals:09}")
    }
}

impl Score {
    /// Nothing in common.
    pub const ZERO: Self = Self(0);

    /// The score of a document with itself.
    pub const ONE: Self = Self(1_000_000_000);

    /// The distance of two neighbouring scores, as a ratio.
    pub const UNIT: f64 = 1e-9;

    /// Creates the score nearest to a ratio; a ratio outside of 0 to 1 counts as the nearer end.
    #[must_use]
    pub fn from_ratio(ratio: f64) -> Self {
        Self::floor((ratio.clamp(0.0, 1.0) * f64::from(Self::ONE.0)).round())
    }

    /// Creates a score of units of 10⁻⁹, at most [`Self::ONE`].
    #[must_use]
    pub fn from_units(units: u32) -> Self {
        Self(units.min(Self::ONE.0))
    }

    /// Rounds units down.
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "clamped to 0 to ONE"
    )]
    pub(crate) fn floor(units: f64) -> Self {
        Self(units.clamp(0.0, f64::from(Self::ONE.0)) as u32)
    }

    /// Returns the sum, at most [`Self::ONE`].
    pub(crate) fn plus(self, other: Self) -> Self {
        Self::from_units(self.0 + other.0)
    }

    /// Returns the score as a number from 0 to 1.
    #[must_use]
    pub fn ratio(self) -> f64 {
        f64::from(self.0) / f64::from(Self::ONE.0)
    }

    /// Returns the score in units of 10⁻⁹.
    #[must_use]
    pub const fn units(self) -> u32 {
        self.0
    }
}
