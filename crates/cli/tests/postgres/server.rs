//! A PostgreSQL server that lives as long as a test.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use postgres::{Client, NoTls};
use tempfile::TempDir;

/// A server on a socket in its own folder.
pub struct Server {
    folder: TempDir,
    programs: PathBuf,
}

impl Server {
    /// Starts a server; reports and returns `None` without PostgreSQL.
    pub fn start() -> Option<Server> {
        let Some(programs) = programs() else {
            eprintln!("skipped: PostgreSQL's initdb is not installed (on Debian: apt-get install postgresql)");
            return None;
        };
        let folder = TempDir::new().unwrap();
        let server = Server { folder, programs };
        if is_root() {
            // It does not run as root.
            let owned = Command::new("chown").arg("postgres").arg(server.folder.path()).status().unwrap();
            assert!(owned.success());
        }
        let data = server.path().join("data");
        server.run("initdb", &["-D", data.to_str().unwrap(), "-A", "trust", "-U", "keeper", "-E", "UTF8", "--locale=C"]);
        server.command(&["-w", "start"]);
        server.client("postgres").batch_execute("CREATE DATABASE yard").unwrap();
        Some(server)
    }

    pub fn path(&self) -> &Path {
        self.folder.path()
    }

    /// The address of its database for the program.
    pub fn address(&self) -> String {
        format!("postgresql://keeper@/yard?host={}", self.path().display())
    }

    /// A connection of an independent client.
    pub fn yard(&self) -> Client {
        self.client("yard")
    }

    fn client(&self, database: &str) -> Client {
        let address = format!("postgresql://keeper@/{database}?host={}", self.path().display());
        Client::connect(&address, NoTls).unwrap()
    }

    /// Creates a role with a password.
    pub fn ask_for_password(&self, role: &str, password: &str) {
        let rules = self.path().join("data/pg_hba.conf");
        let others = std::fs::read_to_string(&rules).unwrap();
        std::fs::write(&rules, format!("local all {role} scram-sha-256\n{others}")).unwrap();
        let made = format!("CREATE ROLE {role} LOGIN PASSWORD '{password}'; SELECT pg_reload_conf()");
        self.yard().batch_execute(&made).unwrap();
        std::thread::sleep(std::time::Duration::from_millis(300));
    }

    /// Creates new tables on a disk of a few megabytes. Returns whether it could be mounted.
    pub fn has_small_disk(&self) -> bool {
        let disk = self.path().join("small");
        std::fs::create_dir(&disk).unwrap();
        let mut mount = Command::new("mount");
        mount.args(["-t", "tmpfs", "-o", "size=8m,mode=777", "tmpfs"]).arg(&disk).stderr(Stdio::null());
        if !is_root() || !mount.status().is_ok_and(|status| status.success()) {
            return false;
        }
        assert!(Command::new("chown").arg("postgres").arg(&disk).status().unwrap().success());
        let mut client = self.yard();
        client.batch_execute(&format!("CREATE TABLESPACE small LOCATION '{}'", disk.display())).unwrap();
        client.batch_execute("ALTER DATABASE yard SET default_tablespace = small").unwrap();
        true
    }

    /// Stops the server, even with connections.
    pub fn end(&self) {
        self.command(&["-m", "immediate", "stop"]);
    }

    fn command(&self, words: &[&str]) {
        let (data, log) = (self.path().join("data"), self.path().join("log"));
        let options = format!("-c listen_addresses= -c fsync=off -k {}", self.path().display());
        let fixed = ["-D", data.to_str().unwrap(), "-l", log.to_str().unwrap(), "-o", &options];
        self.run("pg_ctl", &[&fixed[..], words].concat());
    }

    fn run(&self, program: &str, words: &[&str]) {
        let program = self.programs.join(program);
        let mut command = if is_root() { Command::new("runuser") } else { Command::new(&program) };
        if is_root() {
            command.args(["-u", "postgres", "--"]).arg(&program);
        }
        let status = command.args(words).current_dir(self.path()).stdout(Stdio::null()).stderr(Stdio::null()).status().unwrap();
        assert!(status.success(), "{program:?} {words:?}");
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        if self.path().join("data/postmaster.pid").exists() {
            self.end();
        }
        let disk = self.path().join("small");
        if disk.exists() {
            let _ = Command::new("umount").arg(&disk).stderr(Stdio::null()).status();
        }
    }
}

fn is_root() -> bool {
    let id = Command::new("id").arg("-u").output().unwrap();
    id.stdout.trim_ascii() == b"0"
}

fn programs() -> Option<PathBuf> {
    let path = std::env::var_os("PATH").unwrap_or_default();
    let debian = std::fs::read_dir("/usr/lib/postgresql").into_iter().flatten().flatten().map(|entry| entry.path().join("bin"));
    std::env::split_paths(&path).chain(debian).find(|folder| folder.join("initdb").exists())
}
