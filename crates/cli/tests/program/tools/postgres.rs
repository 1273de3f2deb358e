//! A real PostgreSQL in a temporary folder, run by an unprivileged user.

use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};

use tempfile::TempDir;

use super::{find, free_port, skip};
use crate::running::wait_until;

/// A running server, stopped when dropped.
pub(crate) struct Postgres {
    folder: TempDir,
    programs: PathBuf,
    port: u16,
    server: Option<Child>,
    /// The certificate of the authority that has signed the server's, once it has one.
    pub(crate) authority: Option<PathBuf>,
}

/// The superuser of the server.
const ROOT: &str = "root";
/// The role of workers.
const WORKER: &str = "worker";
/// A role that reads the documented views, and nothing else.
pub(crate) const READER: &str = "reader";

impl Postgres {
    /// Starts a server with an empty database; `None` if this machine has none.
    pub(crate) fn start() -> Option<Postgres> {
        let programs = programs()?;
        find("psql")?;
        let folder = TempDir::new().unwrap();
        if rustix::process::geteuid().is_root() {
            find("setpriv")?;
            let owned = Command::new("chown").arg("nobody").arg(folder.path()).status();
            if !owned.is_ok_and(|status| status.success()) {
                skip("there is no unprivileged user for PostgreSQL");
                return None;
            }
        }
        let port = free_port();
        let mut server = Postgres { folder, programs, port, server: None, authority: None };
        let made = server
            .unprivileged("initdb")
            .args(["--username", ROOT, "--auth", "trust", "--no-sync", "--encoding", "UTF8", "-D"])
            .arg(server.data())
            .output()
            .unwrap();
        assert!(made.status.success(), "{}", String::from_utf8_lossy(&made.stderr));
        server.start_again();
        server.run_in("postgres", &format!("CREATE ROLE {WORKER} LOGIN"));
        server.run_in("postgres", &format!("CREATE ROLE {READER} LOGIN"));
        server.run_in("postgres", &format!("CREATE DATABASE fleet OWNER {WORKER}"));
        Some(server)
    }

    /// Gives the server a certificate for its address, and starts it again with TLS.
    pub(crate) fn with_tls(mut self) -> Postgres {
        use rcgen::{BasicConstraints, CertificateParams, CertifiedIssuer, IsCa, KeyPair};
        let mut params = CertificateParams::new(Vec::new()).unwrap();
        params.is_ca = IsCa::Ca(BasicConstraints::Unconstrained);
        let issuer = CertifiedIssuer::self_signed(params, KeyPair::generate().unwrap()).unwrap();
        let key = KeyPair::generate().unwrap();
        let params = CertificateParams::new(vec!["127.0.0.1".to_owned()]).unwrap();
        let certificate = params.signed_by(&key, &issuer).unwrap();
        self.stop();
        let (own, secret) = (self.data().join("server.crt"), self.data().join("server.key"));
        std::fs::write(&own, certificate.pem()).unwrap();
        std::fs::write(&secret, key.serialize_pem()).unwrap();
        let owned = "chmod 600 server.key; chown --reference=PG_VERSION server.key server.crt";
        let shell = Command::new("/bin/sh").args(["-c", owned]).current_dir(self.data()).status();
        assert!(shell.unwrap().success());
        let authority = self.folder.path().join("authority.pem");
        std::fs::write(&authority, issuer.pem()).unwrap();
        self.authority = Some(authority);
        self.start_again();
        self
    }

    fn data(&self) -> PathBuf {
        self.folder.path().join("data")
    }

    /// A program of the server, as a user that the server accepts.
    fn unprivileged(&self, program: &str) -> Command {
        let program = self.programs.join(program);
        if !rustix::process::geteuid().is_root() {
            return Command::new(program);
        }
        let mut command = Command::new("setpriv");
        command.args(["--reuid", "nobody", "--regid", "nogroup", "--clear-groups"]).arg(program);
        command.current_dir(self.folder.path());
        command
    }

    /// Starts the server, if it is stopped.
    pub(crate) fn start_again(&mut self) {
        let mut server = self.unprivileged("postgres");
        server.arg("-D").arg(self.data()).args(["-p", &self.port.to_string()]);
        for setting in [
            "listen_addresses=127.0.0.1",
            "unix_socket_directories=",
            "fsync=off",
            "max_connections=200",
        ] {
            server.args(["-c", setting]);
        }
        if self.authority.is_some() {
            server.args(["-c", "ssl=on"]);
        }
        let log = std::fs::File::create(self.folder.path().join("log")).unwrap();
        server.stdin(Stdio::null()).stdout(Stdio::null()).stderr(log);
        self.server = Some(server.spawn().unwrap());
        wait_until("PostgreSQL", || self.psql(ROOT, "postgres", "SELECT 1").is_ok());
    }

    /// Stops the server, and cuts every connection.
    pub(crate) fn stop(&mut self) {
        if let Some(mut server) = self.server.take() {
            // Fast shutdown (PostgreSQL, "Shutting Down the Server").
            let kill = format!("kill -INT {}", server.id());
            let _ = Command::new("/bin/sh").args(["-c", &kill]).status();
            let _ = server.wait();
        }
    }

    /// The URL for workers.
    pub(crate) fn url(&self) -> String {
        format!("postgres://{WORKER}@127.0.0.1:{}/fleet", self.port)
    }

    fn psql(&self, role: &str, database: &str, sql: &str) -> Result<Vec<String>, String> {
        let url = format!("postgres://{role}@127.0.0.1:{}/{database}", self.port);
        let output = Command::new("psql")
            .args(["--no-psqlrc", "--quiet", "--tuples-only", "--no-align", &url, "-c", sql])
            .stdin(Stdio::null())
            .output()
            .unwrap();
        if !output.status.success() {
            return Err(String::from_utf8_lossy(&output.stderr).into_owned());
        }
        let out = String::from_utf8(output.stdout).unwrap();
        Ok(out.lines().filter(|line| !line.is_empty()).map(str::to_owned).collect())
    }

    /// Runs SQL on a database as superuser.
    #[track_caller]
    pub(crate) fn run_in(&self, database: &str, sql: &str) {
        self.psql(ROOT, database, sql).unwrap_or_else(|error| panic!("{error}: {sql}"));
    }

    /// The rows of a query on the fleet's database, their columns separated by `|`.
    #[track_caller]
    pub(crate) fn rows(&self, sql: &str) -> Vec<String> {
        self.psql(ROOT, "fleet", sql).unwrap_or_else(|error| panic!("{error}: {sql}"))
    }

    /// The same as another role, which may be refused.
    pub(crate) fn rows_as(&self, role: &str, sql: &str) -> Result<Vec<String>, String> {
        self.psql(role, "fleet", sql)
    }
}

impl Drop for Postgres {
    fn drop(&mut self) {
        self.stop();
    }
}

/// Where the programs of the server are: Debian does not have them in `PATH`.
fn programs() -> Option<PathBuf> {
    let versions = std::fs::read_dir("/usr/lib/postgresql").into_iter().flatten().flatten();
    let mut folders: Vec<PathBuf> = versions.map(|version| version.path().join("bin")).collect();
    folders.sort();
    let has = |folder: &Path| folder.join("initdb").is_file();
    match folders.into_iter().rev().find(|folder| has(folder)) {
        Some(folder) => Some(folder),
        None => find("initdb").map(|program| program.parent().unwrap().to_owned()),
    }
}
