//! What the text of a page shows, whatever its status: that the page is missing, or that it is a
//! bot check.
//!
//! This counts only if a whole part of the title, or the whole first heading, says nothing else:
//! a page *about* missing pages says more.

use serde::{Deserialize, Serialize};

use crate::extract::parked::is_parked;
use crate::extract::plain_words::plain;
use crate::extract::reading::Reading;

/// What the text of a page shows.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Signs {
    /// The words that say that the page is missing.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub says_missing: Option<String>,
    /// A hash of its text except for numbers and parts of its URL: equal for pages with the same
    /// text. `None` if there is hardly any text.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub likeness: Option<u64>,
    /// It is a bot check.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub challenge: bool,
    /// It stands in for a site: the domain is parked or for sale, or the server shows its default
    /// page.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub parked: bool,
}

/// A notice has no more words than this.
const FEW_WORDS: u32 = 150;

impl Signs {
    /// Determines the signs of a page.
    #[must_use]
    pub fn of(page: &Reading) -> Signs {
        if !page.format.is_page() {
            return Signs::default();
        }
        let (title, heading) = (page.title().unwrap_or_default(), page.heading());
        let few = page.words <= FEW_WORDS;
        Signs {
            says_missing: says_missing(title, heading, few).map(str::to_owned),
            likeness: page.likeness,
            challenge: few && is_challenge(page, title, heading),
            parked: is_parked(title, heading.unwrap_or_default(), page.words),
        }
    }

    /// Whether there is nothing to store.
    #[must_use]
    pub fn is_plain(&self) -> bool {
        *self == Signs::default()
    }
}

/// The words that say that the page is missing: a whole part of the title, or the first heading.
fn says_missing<'a>(title: &'a str, heading: Option<&'a str>, few_words: bool) -> Option<&'a str> {
    let heading = heading.unwrap_or_default();
    if is_phrase(heading) {
        return Some(heading);
    }
    // A page with another heading may be about the words in its title. The name of the site,
    // often the heading of every page, does not count as another heading.
    let mut parts = title_parts(title);
    let named_in_title = |text: &str| title.to_lowercase().contains(&text.to_lowercase());
    let undisputed = heading.is_empty() || few_words || named_in_title(heading);
    parts.find(|part| is_phrase(part) && undisputed)
}

/// The parts of a title, such as the name of the page and that of the site.
pub(crate) fn title_parts(title: &str) -> impl Iterator<Item = &str> {
    let parts = title.split(['|', '–', '—', '·', '•', '»', '«']);
    parts.flat_map(|part| part.split(" - ")).map(str::trim)
}

/// Whether a text says that a page is missing, and nothing else.
fn is_phrase(text: &str) -> bool {
    let words = plain(text);
    !words.is_empty() && words.len() <= LONGEST_PHRASE && MISSING.contains(&words.as_str())
}

const LONGEST_PHRASE: usize = 80;

/// Titles and headings of missing pages, in lower case without punctuation.
const MISSING: &[&str] = &[
    // English
    "404",
    "404 error",
    "error 404",
    "http 404",
    "http error 404",
    "404 not found",
    "404 file not found",
    "404 page not found",
    "404 error page not found",
    "error 404 not found",
    "error 404 page not found",
    "not found",
    "not found 404",
    "page not found",
    "page not found 404",
    "page not found error 404",
    "file not found",
    "document not found",
    "content not found",
    "article not found",
    "resource not found",
    "product not found",
    "item not found",
    "nothing found",
    "nothing found here",
    "oops page not found",
    "oops that page can't be found",
    "page cannot be found",
    "page can't be found",
    "page could not be found",
    "the page cannot be found",
    "the page could not be found",
    "the page was not found",
    "the page you requested was not found",
    "the page you requested could not be found",
    "the page you were looking for doesn't exist",
    "the page you are looking for doesn't exist",
    "the page you are looking for cannot be found",
    "the page you are looking for could not be found",
    "this page cannot be found",
    "this page can't be found",
    "this page could not be found",
    "this page does not exist",
    "this page doesn't exist",
    "this page is no longer available",
    "this page isn't available",
    "this page is not available",
    "page does not exist",
    "page doesn't exist",
    "page no longer exists",
    "page no longer available",
    "page not available",
    "page missing",
    "missing page",
    "we can't find that page",
    "we can't find this page",
    "we couldn't find that page",
    "we couldn't find this page",
    "sorry page not found",
    "sorry we can't find that page",
    "sorry we couldn't find that page",
    "sorry the page you requested was not found",
    "sorry this page isn't available",
    // German
    "404 nicht gefunden",
    "404 seite nicht gefunden",
    "fehler 404",
    "fehler 404 seite nicht gefunden",
    "nicht gefunden",
    "seite nicht gefunden",
    "seite nicht vorhanden",
    "seite existiert nicht",
    "die seite wurde nicht gefunden",
    "die seite konnte nicht gefunden werden",
    "die gesuchte seite wurde nicht gefunden",
    "diese seite existiert nicht",
    "datei nicht gefunden",
    // French
    "404 page introuvable",
    "404 page non trouvée",
    "erreur 404",
    "erreur 404 page introuvable",
    "erreur 404 page non trouvée",
    "page introuvable",
    "page non trouvée",
    "page inexistante",
    "cette page n'existe pas",
    "cette page est introuvable",
    // Spanish
    "404 no encontrado",
    "404 página no encontrada",
    "error 404 página no encontrada",
    "no encontrado",
    "página no encontrada",
    "pagina no encontrada",
    "la página no existe",
    "esta página no existe",
    // Italian
    "404 pagina non trovata",
    "errore 404",
    "errore 404 pagina non trovata",
    "pagina non trovata",
    "la pagina non esiste",
    "questa pagina non esiste",
    // Portuguese
    "404 página não encontrada",
    "erro 404",
    "erro 404 página não encontrada",
    "não encontrado",
    "página não encontrada",
    "esta página não existe",
    // Dutch
    "404 pagina niet gevonden",
    "fout 404",
    "niet gevonden",
    "pagina niet gevonden",
    "deze pagina bestaat niet",
    // Danish, Norwegian, Swedish, Finnish
    "fejl 404",
    "siden blev ikke fundet",
    "siden findes ikke",
    "siden ikke fundet",
    "feil 404",
    "siden ble ikke funnet",
    "siden finnes ikke",
    "fant ikke siden",
    "fel 404",
    "sidan hittades inte",
    "sidan kunde inte hittas",
    "sidan finns inte",
    "sivua ei löydy",
    "sivua ei löytynyt",
    // Polish, Czech, Slovak, Hungarian, Romanian
    "błąd 404",
    "nie znaleziono",
    "nie znaleziono strony",
    "strona nie istnieje",
    "strona nie została znaleziona",
    "chyba 404",
    "stránka nenalezena",
    "stránka nebyla nalezena",
    "stránka neexistuje",
    "stránka nenájdená",
    "stránka sa nenašla",
    "404 hiba",
    "az oldal nem található",
    "eroare 404",
    "pagina nu a fost găsită",
    "pagina nu există",
    // Russian, Ukrainian, Greek, Turkish
    "ошибка 404",
    "страница не найдена",
    "404 страница не найдена",
    "помилка 404",
    "сторінку не знайдено",
    "σφάλμα 404",
    "η σελίδα δεν βρέθηκε",
    "sayfa bulunamadı",
    "404 sayfa bulunamadı",
    // Chinese, Japanese, Korean
    "页面不存在",
    "页面未找到",
    "找不到页面",
    "找不到網頁",
    "頁面不存在",
    "ページが見つかりません",
    "お探しのページは見つかりませんでした",
    "お探しのページが見つかりません",
    "페이지를 찾을 수 없습니다",
];

/// Titles and headings of bot checks, in the same form.
const GATEKEEPERS: &[&str] = &[
    "just a moment",
    "one moment please",
    "attention required",
    "checking your browser",
    "checking your browser before accessing",
    "checking if the site connection is secure",
    "verifying you are human",
    "verify you are human",
    "verify that you are human",
    "please verify you are human",
    "please verify you are a human",
    "are you a robot",
    "are you human",
    "confirm you are human",
    "confirm that you are human",
    "human verification",
    "security check",
    "security verification",
    "security checkpoint",
    "bot verification",
    "ddos protection",
    "pardon our interruption",
    "access to this page has been denied",
    "robot check",
    "captcha",
];

/// Parts of the URLs of bot-check forms and scripts, in lower case, except those that sites also
/// use for their own forms.
const GATEKEEPER_PARTS: &[&str] = &[
    "challenge-platform",
    "captcha-delivery",
    "_incapsula_resource",
    "px-captcha",
    "sgcaptcha",
    "awswaf",
    "ddos-guard",
    "/captcha-challenge",
    "/.well-known/captcha",
    "bot-challenge",
    "human-challenge",
    "validate.perfdrive",
];

fn is_challenge(page: &Reading, title: &str, heading: Option<&str>) -> bool {
    let is_gate = |text: &str| {
        let words = plain(text);
        let mut starts = GATEKEEPERS.iter();
        starts.any(|gate| {
            words == *gate || (words.len() < 60 && words.starts_with(&format!("{gate} ")))
        })
    };
    let has_part = || {
        let mut links = page.links().filter(|link| {
            matches!(link.element.name(), "script" | "form" | "iframe" | "img" | "link" | "meta")
        });
        links.any(|link| {
            let written = link.written.to_ascii_lowercase();
            GATEKEEPER_PARTS.iter().any(|part| written.contains(part))
        })
    };
    is_gate(title) || heading.is_some_and(is_gate) || has_part()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::extract::{Extractor, Format};

    fn signs(html: &str) -> Signs {
        let mut page = Extractor::new(Format::Html, None, 1 << 20);
        page.feed(html.as_bytes());
        Signs::of(&page.finish())
    }

    fn missing(html: &str) -> Option<String> {
        signs(html).says_missing
    }

    #[test]
    fn a_page_that_says_it_is_missing_is_recognized() {
        for html in [
            "<title>Page not found | Canal Museum</title>",
            "<title>Canal Museum – Seite nicht gefunden</title><h1>Canal Museum</h1>",
            "<title>Canal Museum</title><h1>404: Page not found!</h1>",
            "<title>Musée · Page introuvable</title><h1>Musée</h1>",
            "<title>Oops</title><h1>Oops! That page can’t be found.</h1>",
            "<title>404</title>",
            "<title>Error 404 - Museum</title><p>Go home.",
            "<title>ページが見つかりません</title>",
        ] {
            assert!(missing(html).is_some(), "{html}");
        }
    }

    #[test]
    fn a_page_about_missing_pages_is_not_missing() {
        let long = "Once upon a time a page was lost. ".repeat(40);
        for html in [
            "<title>How we write our Error 404 page | Blog</title><h1>Error 404 pages</h1>",
            "<title>What does 404 not found mean?</title>",
            "<title>The 404 bus to Fellgate</title><h1>The 404 bus</h1>",
            "<title>Lock keepers</title><h1>Lock keepers</h1><p>page not found",
            &format!("<title>Error 404 | Encyclopaedia</title><h1>History of a status</h1>{long}"),
            "",
        ] {
            assert_eq!(missing(html), None, "{html}");
        }
    }

    #[test]
    fn bot_checks_are_recognized_by_their_forms() {
        for html in [
            "<title>Just a moment...</title><p>Enable JavaScript and cookies to continue",
            "<title>shop.test</title><script src='/cdn-cgi/challenge-platform/h/b/x.js'></script>",
            "<title></title><h1>Please verify you are a human</h1><form></form>",
        ] {
            assert!(signs(html).challenge, "{html}");
        }
        assert!(signs("<title>Attention required on a.test</title>").challenge);
        let long = "A moment in the life of a lock keeper. ".repeat(40);
        for html in [
            "<title>Just a moment in the life of a lock keeper on the Ashlock Canal, 1923</title>",
            &*format!("<title>Just a moment: stories</title>{long}"),
            "<title>Contact</title><h1>Contact</h1><script src='/recaptcha/api.js'></script>",
            "<title>Security checks of our locks</title><h1>Inspections</h1>",
        ] {
            assert!(!signs(html).challenge, "{html}");
        }
    }

    #[test]
    fn only_a_page_without_signs_is_plain() {
        assert!(Signs::default().is_plain());
        assert!(!signs("<title>Page not found</title>").is_plain());
    }
}
