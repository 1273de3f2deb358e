//! The password that goes with `--user`: from the environment, or asked for at a terminal.

use std::io::IsTerminal;

use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use http::HeaderValue;

use crate::failure::Failure;

const VARIABLE: &str = "RUMMAGE_PASSWORD";

/// The `Authorization` field for that user (RFC 7617 §2).
pub(crate) fn basic(user: &str) -> Result<HeaderValue, Failure> {
    if user.contains(':') {
        return Err(wrong("the name given to --user holds a colon", "Give the name alone."));
    }
    let password = match std::env::var(VARIABLE) {
        Ok(password) => password,
        Err(_) if std::io::stdin().is_terminal() => {
            rpassword::prompt_password(format!("password of {user}: "))
                .map_err(|why| Failure::System { what: "the password cannot be read", why })?
        }
        Err(_) => {
            let hint = "Put it into the variable RUMMAGE_PASSWORD.";
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
