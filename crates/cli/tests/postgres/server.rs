//! A PostgreSQL server that lives as long as a test.

use std::io::{BufRead, BufReader, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdin, Command, Stdio};

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
            eprintln!("skipped: PostgreSQL's initdb and psql are not installed (on Debian: apt-get install postgresql)");
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
        server.rows_of("postgres", "CREATE DATABASE yard");
        Some(server)
    }

    pub fn path(&self) -> &Path {
        self.folder.path()
    }

    /// The address of its database for the program.
    pub fn address(&self) -> String {
        format!("postgresql://keeper@/yard?host={}", self.path().display())
    }

    /// Runs statements with psql, and returns the rows, with `|` between cells.
    pub fn sql(&self, statements: &str) -> Vec<String> {
        self.rows_of("yard", statements)
    }

    fn rows_of(&self, database: &str, statements: &str) -> Vec<String> {
        // A zero byte ends each row.
        let mut child = self.psql(database).arg("-0").spawn().unwrap();
        child.stdin.take().unwrap().write_all(statements.as_bytes()).unwrap();
        let output = child.wait_with_output().unwrap();
        assert!(output.status.success(), "{statements}");
        let rows = String::from_utf8(output.stdout).unwrap();
        rows.split_terminator('\0').map(str::to_owned).collect()
    }

    /// Runs statements in a transaction, which stays open.
    pub fn begin(&self, statements: &str) -> OpenTransaction {
        let mut child = self.psql("yard").spawn().unwrap();
        let mut input = child.stdin.take().unwrap();
        input.write_all(format!("BEGIN; {statements};\n\\echo ready\n").as_bytes()).unwrap();
        let mut line = String::new();
        BufReader::new(child.stdout.as_mut().unwrap()).read_line(&mut line).unwrap();
        assert_eq!(line, "ready\n");
        OpenTransaction(child, input)
    }

    fn psql(&self, database: &str) -> Command {
        let address = format!("postgresql://keeper@/{database}?host={}", self.path().display());
        let mut command = Command::new(self.programs.join("psql"));
        command.args(["-X", "-q", "-A", "-t", "-v", "ON_ERROR_STOP=1", &address]);
        command.stdin(Stdio::piped()).stdout(Stdio::piped());
        command
    }

    /// Creates a role with a password.
    pub fn ask_for_password(&self, role: &str, password: &str) {
        let rules = self.path().join("data/pg_hba.conf");
        let others = std::fs::read_to_string(&rules).unwrap();
        std::fs::write(&rules, format!("local all {role} scram-sha-256\n{others}")).unwrap();
        let made = format!("CREATE ROLE {role} LOGIN PASSWORD '{password}'; SELECT pg_reload_conf()");
        self.sql(&made);
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
        self.sql(&format!(
            "CREATE TABLESPACE small LOCATION '{}'; ALTER DATABASE yard SET default_tablespace = small",
            disk.display()
        ));
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

/// A transaction of another program.
pub struct OpenTransaction(Child, ChildStdin);

impl OpenTransaction {
    pub fn commit(self) {
        let OpenTransaction(mut child, mut input) = self;
        input.write_all(b"COMMIT;\n").unwrap();
        drop(input);
        assert!(child.wait().unwrap().success());
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
    // Links to the programs may stand in a folder that lacks one of them.
    let real = |folder: PathBuf| Some(folder.join("initdb").canonicalize().ok()?.parent()?.to_owned());
    std::env::split_paths(&path).chain(debian).filter_map(real).find(|folder| folder.join("psql").exists())
}
