//! Pages that stand in for a site: a domain that is parked or for sale, or the page that a web
//! server shows before it has one.
//!
//! Like a page that says it is missing, such a page shows itself by its title or first heading.
//! Long pages are about something.

use super::plain_words::plain;

/// A page with more words than this is a site.
const MOST_WORDS: u32 = 400;

/// "It works!" is the whole page of a new server; a page that says more is about something.
const FEW_WORDS: u32 = 10;

/// Whole titles and headings, in lower case without punctuation.
const WHOLE: &[&str] = &[
    "welcome to nginx",
    "welcome to nginx on debian",
    "welcome to caddy",
    "welcome to openresty",
    "apache2 debian default page it works",
    "apache2 debian default page",
    "apache2 ubuntu default page it works",
    "apache2 ubuntu default page",
    "apache http server test page",
    "test page for the apache http server",
    "http server test page",
    "http server test page powered by centos linux",
    "iis windows server",
    "iis windows",
    "iis7",
    "default web site page",
    "default web page",
    "domain default page",
    "site not configured",
    "no site configured at this address",
    "your web server is working",
    "web server's default page",
    "web server default page",
    "congratulations your site is live",
    "parked domain",
    "domain parked",
    "geparkte domain",
    "domain geparkt",
    "domaine parqué",
    "dominio aparcado",
    "dominio parcheggiato",
    "geparkeerd domein",
];

/// Parts of titles and headings, after the name of a domain or before it.
const PARTS: &[&str] = &[
    "is for sale",
    "may be for sale",
    "domain for sale",
    "domain is parked",
    "domain has expired",
    "domain name has expired",
    "buy this domain",
    "this web page is parked",
    "domain has been registered",
    "domain wurde registriert",
    "domain steht zum verkauf",
    "domain ist zu verkaufen",
    "domain zu verkaufen",
    "domaine est à vendre",
    "domaine à vendre",
    "dominio está en venta",
    "dominio en venta",
    "dominio è in vendita",
    "dominio in vendita",
    "domínio está à venda",
    "domínio à venda",
    "domein is te koop",
    "domein te koop",
    "domænet er til salg",
    "domänen är till salu",
    "domena jest na sprzedaż",
    "domena na sprzedaż",
    "doména je na prodej",
    "domeniu de vânzare",
    "домен продаётся",
    "домен продается",
];

/// Whether the title or the first heading, in plain words, is that of such a page.
pub(super) fn is_parked(title: &str, heading: &str, words: u32) -> bool {
    // A boat, a house or a book may be for sale: the text names a domain.
    let names_domain = |text: &str| {
        [
            "domain",
            "domein",
            "dominio",
            "domínio",
            "doména",
            "domena",
            "domän",
            "domæn",
            "domeniu",
            "домен",
        ]
        .iter()
        .any(|word| text.contains(word))
    };
    let is_of_domain = |text: &str, raw_has_host: bool| {
        PARTS.iter().any(|part| text.contains(part)) && (names_domain(text) || raw_has_host)
    };
    let shows = |raw: &str| {
        let text = plain(raw);
        let is_whole = WHOLE.contains(&text.as_str()) || (text == "it works" && words <= FEW_WORDS);
        is_whole || is_of_domain(&text, starts_with_host(raw))
    };
    words <= MOST_WORDS && (shows(title) || shows(heading))
}

/// Whether a text begins with the name of a host: `ashlock.example is for sale`.
fn starts_with_host(text: &str) -> bool {
    let first = text.split_whitespace().next().unwrap_or_default();
    let mut labels = first.rsplit('.');
    let last = labels.next().unwrap_or_default();
    labels.next().is_some_and(|label| !label.is_empty())
        && last.len() >= 2
        && last.chars().all(char::is_alphabetic)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pages_that_stand_in_for_a_site_are_recognized() {
        for text in [
            "Welcome to nginx!",
            "Apache2 Debian Default Page: It works",
            "IIS Windows Server",
            "ashlock-canal.example is for sale",
            "This domain is for sale!",
            "Buy this domain",
            "Diese Domain steht zum Verkauf",
            "Ce nom de domaine est à vendre",
            "Este dominio está en venta",
            "Dit domein is te koop",
            "Parked Domain",
            "ashlock.example - This domain has expired",
        ] {
            assert!(is_parked(text, "", 30), "{text}");
            assert!(is_parked("Home", text, 30), "{text}");
        }
    }

    #[test]
    fn pages_about_such_things_are_not() {
        for text in [
            "How to install nginx",
            "The narrowboat Hazel is for sale",
            "Our house steht zum Verkauf",
            "Does it work?",
            "What happens when a domain expires",
            "The public domain",
            "Parking page",
            "Domain parking",
            "Version 2.0 is for sale",
            "",
        ] {
            assert!(!is_parked(text, "", 30), "{text}");
        }
        assert!(is_parked("Parked domain", "", 400) && !is_parked("Parked domain", "", 401));
        assert!(is_parked("", "It works!", 10) && !is_parked("", "It works!", 11));
    }
}
