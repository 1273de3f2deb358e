//! The password that goes with `--user`: from the environment, from a file `.netrc`, or asked
//! for at a terminal.

use std::io::IsTerminal;

use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use http::HeaderValue;

use crate::failure::Failure;
use crate::netrc;

const VARIABLE: &str = "RUMMAGE_PASSWORD";

/// The `Authorization` field for that user on the host of a start (RFC 7617 §2).
pub(crate) fn basic(user: &str, host: Option<&str>) -> Result<HeaderValue, Failure> {
    if user.contains(':') {
        return Err(wrong("the name given to --user holds a colon", "Give the name alone."));
    }
    let of_file = || host.and_then(|host| netrc::password(host, user));
    let password = match std::env::var(VARIABLE).ok().or_else(of_file) {
        Some(password) => password,
        None if std::io::stdin().is_terminal() => {
            rpassword::prompt_password(format!("password of {user}: "))
                .map_err(|why| Failure::System { what: "the password cannot be read", why })?
        }
        None => {
            let hint = "Put it into the variable RUMMAGE_PASSWORD, or into ~/.netrc.";
            return Err(wrong(
                "--user needs a password, and there is no terminal to ask for it",
                hint,
            ));
        }
    };
    let pair = BASE64_STANDARD.encode(format!("{user}:{password}"));
    let mut value = HeaderValue::from_str(&format!("Basic {pair}")).expect("Base64 fits a field");
    value.set_sensitive(true);
    Ok(value)
}

fn wrong(what: &str, hint: &str) -> Failure {
    Failure::Usage { what: what.to_owned(), hint: hint.to_owned() }
}
