//! What has become of what was found?

pub(crate) mod changes;
pub(crate) mod compare;
pub(crate) mod coverage;
pub(crate) mod standing;
pub(crate) mod waived;
