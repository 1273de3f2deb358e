//! The password for `--user`: from the environment, a `.netrc` file, or a prompt.

use std::io::IsTerminal;

use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use http::HeaderValue;

use crate::failure::Failure;
use crate::netrc;

const VARIABLE: &str = "RUMMAGE_PASSWORD";

/// The `Authorization` header for this user on the host of a start URL (RFC 7617 §2).
pub(crate) fn basic(user: &str, host: Option<&str>) -> Result<HeaderValue, Failure> {
    if user.contains(':') {
        return Err(wrong(
            "the name given to --user contains a colon",
            "Give the name without the password.",
        ));
    }
    let of_file = || host.and_then(|host| netrc::password(host, user));
    let password = match std::env::var(VARIABLE).ok().or_else(of_file) {
        Some(password) => password,
        None if std::io::stdin().is_terminal() => {
            rpassword::prompt_password(format!("password of {user}: "))
                .map_err(|reason| Failure::System { what: "cannot read the password", reason })?
        }
        None => {
            let hint =
                "Set the environment variable RUMMAGE_PASSWORD, or add an entry to ~/.netrc.";
            return Err(wrong(
                "--user needs a password, but there is no terminal to prompt for it",
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
