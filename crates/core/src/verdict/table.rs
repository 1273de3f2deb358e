//! A decision table: rows with what they want to see, what they say, and examples.
//!
//! A row without an example does not compile, and each example is a test: the row
//! that it stands in must be the first that fits.

/// Writes `ROWS`, and `examples` for the tests.
///
/// A row reads `name: Verdict(Cause) if <what is seen>, as in <example>, …;`. What is
/// seen is called as the head of the table says; an example is of the type that the
/// tests turn into that.
macro_rules! table {
    (
        |$url:ident: $type:ty| examples of $example:ty;
        $($name:ident: $verdict:ident($($cause:ident)?) if $fits:expr, as in $($shown:expr),+;)+
    ) => {
        struct Row {
            #[cfg_attr(not(test), expect(dead_code, reason = "tests name the rows"))]
            name: &'static str,
            judgement: $crate::verdict::Judgement,
            fits: fn(&$type) -> bool,
        }

        const ROWS: &[Row] = &[$(
            Row {
                name: stringify!($name),
                judgement: $crate::verdict::Judgement {
                    verdict: $crate::verdict::Verdict::$verdict,
                    cause: table!(@cause $($cause)?),
                },
                fits: |$url: &$type| $fits,
            },
        )+];

        #[cfg(test)]
        fn examples() -> Vec<(&'static str, $example)> {
            vec![$($((stringify!($name), $shown),)+)+]
        }
    };
    (@cause $cause:ident) => { Some($crate::verdict::Cause::$cause) };
    (@cause) => { None };
}
