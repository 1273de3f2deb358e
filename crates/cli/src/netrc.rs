//! Passwords from a `.netrc` file, in the format of ftp(1), "The .netrc File".

use std::path::PathBuf;

use etcetera::BaseStrategy as _;

/// The password of a user on a host, from the file named by the variable NETRC, else from
/// `.netrc` in the home folder.
pub(crate) fn password(host: &str, user: &str) -> Option<String> {
    let text = std::fs::read_to_string(file()?).ok()?;
    find(&text, host, user)
}

fn file() -> Option<PathBuf> {
    match std::env::var_os("NETRC") {
        Some(file) => Some(file.into()),
        None => {
            let home = etcetera::choose_base_strategy().ok()?.home_dir().to_owned();
            Some(home.join(if cfg!(windows) { "_netrc" } else { ".netrc" }))
        }
    }
}

/// The password of the first entry for the host, or of the default entry, that has this login or
/// none.
fn find(text: &str, host: &str, user: &str) -> Option<String> {
    let text = without_macros(text);
    let mut words = text.split_whitespace();
    let (mut fits, mut is_user, mut password) = (false, true, None::<&str>);
    while let Some(word) = words.next() {
        match word {
            "machine" | "default" => {
                if let Some(password) = password.filter(|_| fits && is_user) {
                    return Some(password.to_owned());
                }
                fits = word == "default" || words.next().is_some_and(|name| name == host);
                (is_user, password) = (true, None);
            }
            "login" => is_user = words.next() == Some(user),
            "password" => password = words.next(),
            "account" => drop(words.next()),
            _ => {}
        }
    }
    password.filter(|_| fits && is_user).map(str::to_owned)
}

/// Removes macros, which end at the next empty line.
fn without_macros(text: &str) -> String {
    let mut kept = String::new();
    let mut in_macro = false;
    for line in text.lines().filter(|line| !line.trim_start().starts_with('#')) {
        in_macro = (in_macro && !line.trim().is_empty()) || line.trim_start().starts_with("macdef");
        if !in_macro {
            kept.push_str(line);
            kept.push('\n');
        }
    }
    kept
}

#[cfg(test)]
mod tests {
    use super::*;

    const TEXT: &str = "# ours\nmachine a.test login ada password one\nmachine b.test\n  login ada\n\
        \tpassword two\nmacdef init\nmachine a.test login eve password no\n\n\
        machine a.test login bob password three\ndefault login ada password four\n";

    #[test]
    fn host_and_user_must_fit() {
        let found = |host, user| find(TEXT, host, user);
        assert_eq!(found("a.test", "ada").as_deref(), Some("one"));
        assert_eq!(found("b.test", "ada").as_deref(), Some("two"));
        assert_eq!(found("a.test", "bob").as_deref(), Some("three"));
        assert_eq!(found("c.test", "ada").as_deref(), Some("four"));
        assert_eq!(found("a.test", "eve"), None, "a macro is not an entry");
        assert_eq!(find("machine a.test password", "a.test", "ada"), None);
        assert_eq!(find("", "a.test", "ada"), None);
    }
}
