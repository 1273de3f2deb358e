//! Findings across runs: their standing, waivers, and comparisons.

pub(crate) mod changes;
pub(crate) mod compare;
pub(crate) mod coverage;
pub(crate) mod standing;
pub(crate) mod waived;
