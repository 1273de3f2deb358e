//! Reports to hand over: every format has the same findings, in the same words.

mod agreement;
mod baselines;
mod heading;
mod parts;
mod schemas;
mod secrets;
mod sitemaps;
