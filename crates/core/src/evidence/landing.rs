//! Redirects that end where the link did not mean to go: the home page, a login, a consent page.

use url::{Host, Url};

/// What kind of page redirects have led to, other than the one the link named.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RedirectLanding {
    /// From a deeper URL to the home page.
    Home,
    /// To a login page.
    Login,
    /// To a host that asks for consent.
    Consent,
}

/// Longer texts are not compared with the words below.
pub const LONGEST_WORDS: usize = 40;

/// Texts of links to a home page, in lower case.
const HOME_WORDS: &[&str] = &[
    "home",
    "homepage",
    "home page",
    "go home",
    "back home",
    "back to home",
    "start",
    "start page",
    "startpage",
    "front page",
    "main page",
    "index",
    "website",
    "web site",
    "startseite",
    "zur startseite",
    "accueil",
    "page d'accueil",
    "inicio",
    "página principal",
    "pagina iniziale",
    "início",
    "página inicial",
    "startpagina",
    "forside",
    "hjem",
    "hem",
    "startsida",
    "etusivu",
    "strona główna",
    "úvod",
    "domů",
    "kezdőlap",
    "acasă",
    "главная",
    "αρχική",
    "ana sayfa",
    "首页",
    "首頁",
    "ホーム",
    "홈",
];

/// Words for a login or a shopping cart, in texts and paths, in lower case.
const LOGIN_WORDS: &[&str] = &[
    "login",
    "log-in",
    "log in",
    "logon",
    "signin",
    "sign-in",
    "sign in",
    "signup",
    "sign-up",
    "sign up",
    "register",
    "registration",
    "account",
    "auth",
    "authenticate",
    "authorize",
    "sso",
    "oauth",
    "oauth2",
    "saml",
    "basket",
    "cart",
    "checkout",
    "anmelden",
    "anmeldung",
    "konto",
    "warenkorb",
    "connexion",
    "compte",
    "panier",
    "acceso",
    "cuenta",
    "cesta",
    "accedi",
    "entrar",
    "inloggen",
    "winkelwagen",
    "logga in",
    "logg inn",
    "log ind",
    "kirjaudu",
    "zaloguj",
    "members",
    "member",
    "my",
    "profile",
    "subscribe",
];

/// Names of login pages, as parts of a path.
const LOGIN_PAGES: &[&str] = &[
    "login",
    "log-in",
    "log_in",
    "logon",
    "signin",
    "sign-in",
    "sign_in",
    "auth",
    "authenticate",
    "authorize",
    "sso",
    "oauth",
    "oauth2",
    "saml",
    "saml2",
    "cas",
    "wp-login",
    "anmelden",
    "anmeldung",
    "connexion",
    "inloggen",
    "accedi",
];

/// Names of consent pages, as labels of hosts and parts of paths.
const CONSENT_NAMES: &[&str] = &[
    "consent",
    "cookie-consent",
    "cookieconsent",
    "consentwall",
    "cookiewall",
    "cookie-wall",
    "gdpr",
    "privacy-wall",
    "cmp",
];

/// Whether a link's text says that it leads to the home page.
#[must_use]
pub fn names_home(text: &str) -> bool {
    let text = text.trim_matches(|c: char| !c.is_alphanumeric());
    HOME.may_have(text) && HOME_WORDS.contains(&&*text.to_lowercase())
}

/// Whether a link's text names a login or a shopping cart.
#[must_use]
pub fn names_login(text: &str) -> bool {
    let is_known = |word: &str| {
        LOGIN.may_have(word) && LOGIN_WORDS.iter().any(|known| known.eq_ignore_ascii_case(word))
    };
    let mut words = text.split(|c: char| !c.is_alphanumeric());
    let mut pairs = text.split(|c: char| !c.is_alphanumeric() && c != '-');
    words.any(is_known) || (text.contains('-') && pairs.any(is_known)) || is_known(text.trim())
}

/// Which words are in a list, by first letter and length. Every link of every page is compared,
/// and hardly any matches.
struct Filter([u64; 256]);

const HOME: Filter = Filter::of(HOME_WORDS);
const LOGIN: Filter = Filter::of(LOGIN_WORDS);

impl Filter {
    const fn of(words: &[&str]) -> Filter {
        let mut lengths = [0; 256];
        let mut at = 0;
        while at < words.len() {
            let word = words[at].as_bytes();
            lengths[word[0] as usize] |= 1 << word.len();
            // Beyond ASCII, upper and lower case may begin with different bytes: compare these in
            // full.
            if word[0] >= 0x80 {
                let mut first = 0x80;
                while first < 256 {
                    lengths[first] |= 1 << word.len();
                    first += 1;
                }
            }
            at += 1;
        }
        Filter(lengths)
    }

    fn may_have(&self, text: &str) -> bool {
        let bytes = text.as_bytes();
        let first = bytes.first().map_or(0, u8::to_ascii_lowercase);
        bytes.len() < 64 && self.0[usize::from(first)] >> bytes.len() & 1 == 1
    }
}

/// Classifies the end of redirects from a URL. `says_home` and `says_login` say whether the text
/// of some link names that kind of page.
#[must_use]
pub fn sent(from: &Url, to: &Url, says_home: bool, says_login: bool) -> Option<RedirectLanding> {
    if is_consent(to) && !is_consent(from) {
        return Some(RedirectLanding::Consent);
    }
    if is_login(to)
        && !says_login
        && !names_login(from.path())
        && !names_login(from.query().unwrap_or_default())
    {
        return Some(RedirectLanding::Login);
    }
    (is_home(to) && same_site(from, to) && is_deeper(from) && !says_home)
        .then_some(RedirectLanding::Home)
}

/// The root of a host, without a query that may select content.
fn is_home(url: &Url) -> bool {
    let path = url.path().trim_matches('/').to_ascii_lowercase();
    (path.is_empty() || is_language(&path) || is_index(&path)) && url.query().is_none()
}

/// Whether a URL names a page of its own: not the root under another name, nor that of a
/// language.
fn is_deeper(url: &Url) -> bool {
    let path = url.path().trim_matches('/').to_ascii_lowercase();
    let named = !path.is_empty() && !is_index(&path) && !is_language(&path) && path != "home";
    named || (path.is_empty() && url.query().is_some_and(|query| query.contains('=')))
}

fn is_index(path: &str) -> bool {
    let name = path.rsplit('/').next().unwrap_or_default();
    !path.contains('/')
        && name.split('.').next().is_some_and(|stem| matches!(stem, "index" | "default"))
}

/// A language tag of two letters, with or without a region (RFC 5646 §2.2).
fn is_language(path: &str) -> bool {
    let bytes = path.as_bytes();
    match bytes.len() {
        2 => bytes.iter().all(u8::is_ascii_alphabetic),
        5 => {
            matches!(bytes[2], b'-' | b'_')
                && bytes[..2].iter().chain(&bytes[3..]).all(u8::is_ascii_alphabetic)
        }
        _ => false,
    }
}

fn is_login(url: &Url) -> bool {
    let path = url.path().to_ascii_lowercase();
    let mut parts = path.split('/').map(|part| part.split('.').next().unwrap_or_default());
    let host = url.host_str().unwrap_or_default();
    let label = host.split('.').next().unwrap_or_default();
    parts.any(|part| LOGIN_PAGES.contains(&part))
        || matches!(label, "login" | "signin" | "sso" | "auth" | "accounts" | "idp")
}

fn is_consent(url: &Url) -> bool {
    let host = url.host_str().unwrap_or_default();
    let path = url.path().to_ascii_lowercase();
    host.split('.').any(|label| CONSENT_NAMES.contains(&label))
        || path
            .split('/')
            .any(|part| CONSENT_NAMES.contains(&part.split('.').next().unwrap_or_default()))
}

/// The same host, with or without `www.`.
fn same_site(one: &Url, other: &Url) -> bool {
    let bare = |url: &Url| match url.host() {
        Some(Host::Domain(name)) => name.trim_start_matches("www.").to_owned(),
        Some(host) => host.to_string(),
        None => String::new(),
    };
    bare(one) == bare(other)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn seen(from: &str, to: &str) -> Option<RedirectLanding> {
        sent(&Url::parse(from).unwrap(), &Url::parse(to).unwrap(), false, false)
    }

    #[test]
    fn a_redirect_home_is_reported_unless_home_was_named() {
        for from in ["http://b.test/old/page.html", "http://www.b.test/x", "http://b.test/?page=7"]
        {
            assert_eq!(seen(from, "https://b.test/"), Some(RedirectLanding::Home), "{from}");
        }
        for (from, to) in [
            ("http://b.test/index.html", "http://b.test/"),
            ("http://b.test/", "http://b.test/en/"),
            ("http://b.test/en/", "http://b.test/"),
            ("http://b.test/x", "http://c.test/"),
            ("http://b.test/x", "http://b.test/y"),
            ("http://b.test/x", "http://b.test/?id=3"),
        ] {
            assert_eq!(seen(from, to), None, "{from} {to}");
        }
        assert_eq!(seen("http://b.test/old", "http://b.test/de/"), Some(RedirectLanding::Home));
    }

    #[test]
    fn a_redirect_to_a_login_is_reported_unless_a_login_was_named() {
        for to in
            ["http://b.test/login?next=/x", "https://sso.b.test/", "http://b.test/wp-login.php"]
        {
            assert_eq!(seen("http://b.test/plans", to), Some(RedirectLanding::Login), "{to}");
        }
        for from in ["http://b.test/account/", "http://b.test/my-login", "http://b.test/basket"] {
            assert_eq!(seen(from, "http://b.test/login"), None, "{from}");
        }
    }

    #[test]
    fn a_wall_is_told() {
        assert_eq!(
            seen("http://b.test/v", "http://consent.b.test/m?u=1"),
            Some(RedirectLanding::Consent)
        );
        assert_eq!(
            seen("http://b.test/v", "http://b.test/cookie-consent"),
            Some(RedirectLanding::Consent)
        );
    }

    #[test]
    fn a_landing_that_the_link_text_names_is_not_reported() {
        assert!(names_home(" Home ") && names_home("« Startseite") && !names_home("Home help"));
        assert!(names_login("Log in") && names_login("My account") && !names_login("Locks"));
        assert!(names_login("Your log-in, please") && !names_login("Check-list of locks"));
        let (from, to) =
            (Url::parse("http://b.test/x").unwrap(), Url::parse("http://b.test/").unwrap());
        assert_eq!(sent(&from, &to, true, false), None);
    }
}
