use std::fs;

use assert_cmd::Command;
use tempfile::TempDir;

pub struct Yard(TempDir);

/// The outcome of a run.
pub struct Ran {
    pub status: i32,
    pub stdout: String,
    pub stderr: String,
}

impl Ran {
    /// The run in a snapshot.
    pub fn shown(&self) -> String {
        format!("exit {}\n--- standard output\n{}--- standard error\n{}", self.status, self.stdout, self.stderr)
    }
}

/// Whether the tests ignore a signal, as under `nohup`. Programs inherit that, and would continue after the signal.
pub fn ignores(signal: u32) -> bool {
    let status = fs::read_to_string("/proc/self/status").unwrap_or_default();
    let mask = status.lines().find_map(|line| line.strip_prefix("SigIgn:"));
    let is_ignored =
        mask.and_then(|mask| u64::from_str_radix(mask.trim(), 16).ok()).is_some_and(|mask| mask >> (signal - 1) & 1 == 1);
    if is_ignored {
        eprintln!("skipped: signal {signal} is ignored here");
    }
    is_ignored
}

impl Yard {
    pub fn new() -> Yard {
        Yard(TempDir::new().unwrap())
    }

    pub fn with(name: &str, content: impl AsRef<[u8]>) -> Yard {
        let yard = Yard::new();
        yard.write(name, content);
        yard
    }

    pub fn write(&self, name: &str, content: impl AsRef<[u8]>) {
        fs::write(self.0.path().join(name), content).unwrap();
    }

    pub fn read(&self, name: &str) -> String {
        fs::read_to_string(self.0.path().join(name)).unwrap()
    }

    /// Runs a printed command line.
    pub fn paste(&self, line: &str) -> Ran {
        self.run(&words(line).iter().map(String::as_str).collect::<Vec<_>>())
    }

    /// An output of a successful run; empty if it does not exist.
    pub fn read_or(&self, ran: &Ran, name: &str) -> String {
        assert!(ran.status < 2, "{}", ran.shown());
        fs::read_to_string(self.0.path().join(name)).unwrap_or_default()
    }

    pub fn path(&self) -> &std::path::Path {
        self.0.path()
    }

    /// All names in the folder, also hidden ones.
    pub fn names(&self) -> Vec<String> {
        let entries = fs::read_dir(self.0.path()).unwrap();
        let mut names: Vec<_> = entries.map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
        names.sort();
        names
    }

    pub fn command(&self, words: &[&str]) -> Command {
        let mut command = Command::cargo_bin("keen-notch").unwrap();
        command.current_dir(self.0.path()).env("COLUMNS", "100").env_remove("NO_COLOR").args(words);
        command
    }

    /// The program as a child process with any standard input and output.
    pub fn child(&self, words: &[&str]) -> std::process::Command {
        let mut command = std::process::Command::new(assert_cmd::cargo::cargo_bin("keen-notch"));
        command.current_dir(self.0.path()).args(words);
        command
    }

    /// Runs the program. Returns its peak resident memory in bytes.
    #[cfg(target_os = "linux")]
    pub fn measured(&self, words: &[&str]) -> (Ran, u64) {
        let mut child = self.child(words);
        let mut child = child
            .stdout(std::process::Stdio::null())
            .stderr(fs::File::create(self.path().join("stderr")).unwrap())
            .spawn()
            .unwrap();
        let mut most = 0;
        let status = loop {
            let known = fs::read_to_string(format!("/proc/{}/status", child.id())).unwrap_or_default();
            let resident =
                known.lines().find_map(|line| line.strip_prefix("VmHWM:")?.strip_suffix("kB")?.trim().parse::<u64>().ok());
            most = most.max(resident.unwrap_or_default() << 10);
            if let Some(status) = child.try_wait().unwrap() {
                break status;
            }
            std::thread::sleep(std::time::Duration::from_millis(2));
        };
        assert!(most > 0, "nothing was measured");
        (Ran { status: status.code().unwrap(), stdout: String::new(), stderr: self.read("stderr") }, most)
    }

    /// All files with their content, also hidden ones; a dangling link has no content.
    pub fn contents(&self) -> Vec<(String, Vec<u8>)> {
        let names = self.names().into_iter();
        names.map(|name| (name.clone(), fs::read(self.0.path().join(name)).unwrap_or_default())).collect()
    }

    pub fn run(&self, words: &[&str]) -> Ran {
        self.run_on("", words)
    }

    /// Runs the program with standard input. In its errors, the temporary folder is called `FOLDER`.
    pub fn run_on(&self, input: impl Into<Vec<u8>>, words: &[&str]) -> Ran {
        let folder = format!("the current folder is {}", self.0.path().display());
        let output = self.command(words).write_stdin(input).output().unwrap();
        Ran {
            status: output.status.code().unwrap(),
            stdout: String::from_utf8(output.stdout).unwrap(),
            stderr: String::from_utf8(output.stderr).unwrap().replace(&folder, "the current folder is FOLDER"),
        }
    }

    /// Runs the program, which must succeed, and returns its standard output.
    pub fn out(&self, words: &[&str]) -> String {
        let ran = self.run(words);
        assert_eq!(ran.status, 0, "{}", ran.shown());
        ran.stdout
    }
}

/// The words of a command line as a shell splits them.
pub fn words(line: &str) -> Vec<String> {
    let output = std::process::Command::new("sh").arg("-c").arg(format!("printf '%s\\n' {line}")).output().unwrap();
    String::from_utf8(output.stdout).unwrap().lines().map(str::to_owned).collect()
}
