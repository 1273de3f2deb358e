//! Real servers take the redirects, and respond as planned.

use std::fmt::Write as _;
use std::io::{Read, Write as _};
use std::net::TcpStream;
use std::path::Path;
use std::process::Command;

use tempfile::TempDir;

use super::{find, free_port};
use crate::harness::program;
use crate::running::{Running, finish};

/// Old paths of the site, as they are requested, and what the plan makes of them; with
/// characters that have a meaning in configurations.
const PLANNED: &[(&str, &str)] = &[
    ("/old", "/new"),
    ("/Paths/Lock.HTML", "/paths/lock.html"),
    ("/a%20b/%22c%22.html", "/quoted?x=1&y=%22#z"),
    ("/price-$1-(2)+[3].html", "/price$1"),
    ("/caf%C3%A9", "/caf%C3%A9-and-tea"),
    ("/100%25", "/all%20of%20it"),
    ("/page.php?id=3&sort=up", "/three"),
    ("/page.php?id=4", "/four?from=page"),
    ("/chain/1", "/chain/2"),
    ("/chain/2", "/chain/3"),
    ("/loop/1", "/loop/2"),
    ("/loop/2", "/loop/1"),
];

/// What must come back: path, status, Location.
const EXPECTED: &[(&str, u16, &str)] = &[
    ("/old", 301, "/new"),
    ("/old?utm=7", 301, "/new?utm=7"),
    ("/Paths/Lock.HTML", 301, "/paths/lock.html"),
    ("/paths/lock.html", 404, ""),
    ("/a%20b/%22c%22.html", 301, "/quoted?x=1&y=%22#z"),
    ("/price-$1-(2)+[3].html", 301, "/price$1"),
    ("/caf%C3%A9", 301, "/caf%C3%A9-and-tea"),
    ("/100%25", 301, "/all%20of%20it"),
    ("/page.php?id=3&sort=up", 301, "/three"),
    ("/page.php?id=4", 301, "/four?from=page"),
    ("/page.php?id=5", 404, ""),
    ("/page.php", 404, ""),
    ("/chain/1", 301, "/chain/3"),
    ("/chain/2", 301, "/chain/3"),
    ("/loop/1", 404, ""),
    ("/gone.html", 410, ""),
    ("/learning/x/y%20z.html?q=1", 301, "/school/x/y%20z.html?q=1"),
    ("/learning", 404, ""),
    ("/other", 404, ""),
];

const SITE: &str = "https://www.a.test";

fn plan() -> String {
    let mut text = format!(
        "site = \"{SITE}/\"\n[[rule]]\nfrom = \"{SITE}/learning/\"\nto = \"{SITE}/school/\"\n"
    );
    for (from, to) in PLANNED {
        let _ = writeln!(
            text,
            "[[mend]]\ntarget = '{SITE}{from}'\naction = \"redirect\"\nto = '{SITE}{to}'"
        );
    }
    text + &format!("[[mend]]\ntarget = \"{SITE}/gone.html\"\naction = \"gone\"\n")
}

/// Writes the redirects for a server into a folder.
fn redirects(folder: &Path, form: &str) {
    std::fs::write(folder.join("plan.toml"), plan()).unwrap();
    let words = ["mend", "redirects", "plan.toml", "--for", form, "-o", "redirects.conf"];
    let done = finish(&words, program(&words).current_dir(folder)).ends(0);
    assert!(done.err.contains("/loop/1: the redirects would be a loop"), "{done}");
}

/// Status and Location of a response.
fn get(port: u16, path: &str) -> (u16, String) {
    let mut stream = TcpStream::connect(("127.0.0.1", port)).unwrap();
    write!(stream, "GET {path} HTTP/1.1\r\nHost: www.a.test\r\nConnection: close\r\n\r\n").unwrap();
    let mut bytes = Vec::new();
    stream.read_to_end(&mut bytes).unwrap();
    let text = String::from_utf8_lossy(&bytes).into_owned();
    let status = text.split(' ').nth(1).and_then(|status| status.parse().ok());
    let location = text.lines().find_map(|line| line.strip_prefix("Location: "));
    (status.unwrap_or_else(|| panic!("{text}")), location.unwrap_or_default().trim().to_owned())
}

#[track_caller]
fn responds_as_planned(port: u16) {
    for (path, status, to) in EXPECTED {
        let to =
            if to.is_empty() { String::new() } else { format!("{SITE}{}", to.replace('$', "%24")) };
        let (found, location) = get(port, path);
        assert_eq!((found, location.replace('$', "%24")), (*status, to), "{path}");
    }
}

#[test]
fn nginx_redirects_as_planned() {
    let Some(nginx) = find("nginx") else { return };
    let folder = TempDir::new().unwrap();
    redirects(folder.path(), "nginx");
    let (port, root) = (free_port(), folder.path().display().to_string());
    let config = format!(
        "daemon off; master_process off; pid {root}/pid; error_log stderr notice;\n\
         events {{}}\nhttp {{ access_log off; client_body_temp_path {root}/body;\n\
         proxy_temp_path {root}/proxy; fastcgi_temp_path {root}/fastcgi;\n\
         uwsgi_temp_path {root}/uwsgi; scgi_temp_path {root}/scgi;\n\
         server {{ listen 127.0.0.1:{port}; root {root}/pages;\n include {root}/redirects.conf; }} }}\n"
    );
    let file = folder.path().join("nginx.conf");
    std::fs::write(&file, config).unwrap();
    let mut command = Command::new(nginx);
    command.arg("-c").arg(&file).args(["-e", "stderr"]);
    let mut server = Running::start(&["nginx"], &mut command);
    server.until("line of a started server", |line| line.contains("event method"));
    responds_as_planned(port);
}

#[test]
fn apache_redirects_as_planned() {
    let Some(apache) = find("apache2") else { return };
    for in_folder in [false, true] {
        let folder = TempDir::new().unwrap();
        redirects(folder.path(), "apache");
        let (port, root) = (free_port(), folder.path().display().to_string());
        let pages = folder.path().join("pages");
        std::fs::create_dir(&pages).unwrap();
        let (include, allowed) = match in_folder {
            true => (String::new(), "All"),
            false => (format!("Include {root}/redirects.conf"), "None"),
        };
        if in_folder {
            std::fs::copy(folder.path().join("redirects.conf"), pages.join(".htaccess")).unwrap();
        }
        let mut config = String::new();
        for module in ["mpm_prefork", "authz_core", "rewrite"] {
            let file = format!("/usr/lib/apache2/modules/mod_{module}.so");
            let _ = writeln!(config, "LoadModule {module}_module {file}");
        }
        let _ = write!(
            config,
            "ServerName www.a.test\nListen 127.0.0.1:{port}\nPidFile {root}/pid\n\
             ErrorLog /dev/stderr\nLogLevel debug\nDefaultRuntimeDir {root}\n\
             User www-data\nGroup www-data\n<VirtualHost *:{port}>\nDocumentRoot {root}/pages\n\
             {include}\n</VirtualHost>\n<Directory {root}/pages>\nAllowOverride {allowed}\n\
             Require all granted\n</Directory>\n"
        );
        let file = folder.path().join("apache.conf");
        std::fs::write(&file, config).unwrap();
        open_to_all(folder.path());
        let mut command = Command::new(&apache);
        command.args(["-X", "-d", &root, "-f"]).arg(&file);
        let mut server = Running::start(&["apache2"], &mut command);
        server.until("line of a started server", |line| line.contains("nothing configured"));
        responds_as_planned(port);
    }
}

/// Lets the user that the server runs as read a folder.
fn open_to_all(folder: &Path) {
    use std::os::unix::fs::PermissionsExt as _;
    std::fs::set_permissions(folder, std::fs::Permissions::from_mode(0o755)).unwrap();
}
