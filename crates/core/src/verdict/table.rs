//! A decision table: rows with a condition, a verdict, and examples.
//!
//! A row without an example does not compile, and each example is a test: its row must be the
//! first that matches.

/// Defines `ROWS`, and `examples` for the tests.
///
/// A row has the form `name: Verdict(Cause) if <condition>, as in <example>, …;`. The head of the
/// table names the variable that conditions use; an example has a type that the tests convert to
/// it.
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
