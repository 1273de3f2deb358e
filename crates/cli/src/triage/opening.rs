//! Opens URLs in a browser and files in an editor.

use std::io;
use std::process::{Command, Stdio};

use super::words;

/// What opens something: a program with its arguments.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct Opener {
    pub(super) words: Vec<String>,
    /// It uses the terminal, so that the view makes way for it.
    pub(super) needs_terminal: bool,
}

/// What opens a URL: `BROWSER`, else what the system has for it.
pub(super) fn browser(
    url: &str,
    variable: &impl Fn(&str) -> Option<String>,
) -> Result<Opener, String> {
    // The system's opener would run a file, or start any program that a scheme is for.
    if !url.starts_with("http://") && !url.starts_with("https://") {
        return Err("only http and https URLs are opened".to_owned());
    }
    let named = variable("BROWSER").filter(|text| !text.trim().is_empty());
    let mut all = match named {
        // A list of browsers, the first of which is used.
        // On Windows, the colon belongs to the drive.
        Some(named) if cfg!(windows) => words::split(&named)?,
        Some(named) => words::split(named.split(':').next().unwrap_or(&named))?,
        None if cfg!(target_os = "macos") => vec!["open".to_owned()],
        None if cfg!(windows) => vec!["explorer".to_owned()],
        None => vec!["xdg-open".to_owned()],
    };
    let needs_terminal = all.first().is_some_and(|name| is_of_terminal(name, TEXT_BROWSERS));
    if all.iter().any(|word| word.contains("%s")) {
        all = all.iter().map(|word| word.replace("%s", url)).collect();
    } else {
        all.push(url.to_owned());
    }
    Ok(Opener { words: all, needs_terminal })
}

/// What edits a file: `VISUAL` or `EDITOR`, at a line if it is one that takes `+LINE`.
pub(super) fn editor(
    source: &str,
    variable: &impl Fn(&str) -> Option<String>,
) -> Result<Opener, String> {
    let (file, line, column) = place(source);
    let named = ["VISUAL", "EDITOR"]
        .iter()
        .find_map(|name| variable(name).filter(|text| !text.trim().is_empty()));
    let Some(named) = named else {
        return Err("no editor is named: set EDITOR".to_owned());
    };
    let mut all = words::split(&named)?;
    let needs_terminal = all.first().is_some_and(|name| !is_of_terminal(name, WINDOWS));
    let takes_goto = all.first().is_some_and(|name| is_of_terminal(name, GOTO));
    match line {
        Some(line) if takes_goto => {
            let column = column.unwrap_or("1");
            all.extend(["--goto".to_owned(), format!("{file}:{line}:{column}")]);
        }
        Some(line) => all.extend([format!("+{line}"), file.to_owned()]),
        None => all.push(file.to_owned()),
    }
    Ok(Opener { words: all, needs_terminal })
}

const TEXT_BROWSERS: &[&str] = &["lynx", "w3m", "links", "elinks"];
/// Editors with a window of their own.
const WINDOWS: &[&str] = &["code", "codium", "gedit", "kate", "gvim", "subl", "zed", "notepad"];
/// Editors that take `--goto FILE:LINE:COLUMN`.
const GOTO: &[&str] = &["code", "codium"];

fn is_of_terminal(program: &str, names: &[&str]) -> bool {
    let name = program.rsplit(['/', '\\']).next().unwrap_or(program);
    names.contains(&name.trim_end_matches(".exe"))
}

/// Takes `FILE:LINE:COLUMN` apart.
pub(super) fn place(source: &str) -> (&str, Option<&str>, Option<&str>) {
    let number = |text: &&str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
    let Some((before, last)) = source.rsplit_once(':').filter(|(_, last)| number(last)) else {
        return (source, None, None);
    };
    match before.rsplit_once(':').filter(|(_, line)| number(line)) {
        Some((file, line)) => (file, Some(line), Some(last)),
        None => (before, Some(last), None),
    }
}

impl Opener {
    /// Runs it; one with a window of its own goes on beside.
    pub(super) fn run(&self) -> io::Result<()> {
        let mut command = Command::new(&self.words[0]);
        command.args(&self.words[1..]);
        if self.needs_terminal {
            let status = command.status()?;
            return match status.success() {
                true => Ok(()),
                false => Err(io::Error::other(format!("it ended with {status}"))),
            };
        }
        command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
        let mut child = command.spawn()?;
        // It is waited for, so that it leaves nothing behind.
        std::thread::spawn(move || child.wait());
        Ok(())
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    fn with(name: &'static str, value: &'static str) -> impl Fn(&str) -> Option<String> {
        move |wanted| (wanted == name).then(|| value.to_owned())
    }

    #[test]
    fn the_named_browser_gets_the_url_as_one_word() {
        let url = "https://a.test/x?y='$(z)'";
        let words = |value| browser(url, &with("BROWSER", value)).unwrap().words;
        assert_eq!(words("firefox --new-tab"), ["firefox", "--new-tab", url]);
        assert_eq!(words("w3m %s:lynx"), ["w3m", url]);
        assert!(browser(url, &with("BROWSER", "lynx")).unwrap().needs_terminal);
        assert!(!browser(url, &with("EDITOR", "vi")).unwrap().needs_terminal);
    }

    #[test]
    fn what_is_not_of_the_web_is_not_opened() {
        for url in ["file:///etc/passwd", "javascript:alert(1)", "-x", "ftp://a.test/", ""] {
            assert!(browser(url, &with("BROWSER", "firefox")).is_err(), "{url}");
        }
    }

    #[test]
    fn editors_open_a_file_at_its_line() {
        let words = |source, value| editor(source, &with("EDITOR", value)).unwrap().words;
        assert_eq!(words("public/a b.html:31:7", "vi"), ["vi", "+31", "public/a b.html"]);
        assert_eq!(words("a.html:31", "nano -w"), ["nano", "-w", "+31", "a.html"]);
        assert_eq!(words("C:\\a.html", "vi"), ["vi", "C:\\a.html"]);
        assert_eq!(words("a.html:3:4", "/usr/bin/code"), ["/usr/bin/code", "--goto", "a.html:3:4"]);
        assert!(!editor("a:1:1", &with("EDITOR", "code")).unwrap().needs_terminal);
        assert!(editor("a:1:1", &with("VISUAL", "vi")).unwrap().needs_terminal);
        assert!(editor("a:1:1", &with("X", "vi")).is_err());
    }
}
