//! Connection settings: from the address, a service file, the environment and a password file, in this order.

use std::fs;
use std::path::{Path, PathBuf};

use postgres::Config;
use postgres::config::{Host, SslMode};

pub struct Settings {
    config: Config,
    mode: Mode,
    roots: Option<PathBuf>,
}

/// The values of sslmode: <https://www.postgresql.org/docs/current/libpq-ssl.html>.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Mode {
    Disable,
    Prefer,
    Require,
    VerifyCa,
    VerifyFull,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Tls {
    /// No check: the connection is encrypted, but the server is unknown.
    Unchecked,
    /// The certificate must be signed by a certificate in the file or a trusted one, and optionally match the server's name.
    Checked { roots: Option<PathBuf>, is_for_name: bool },
}

/// The settings from environment variables, besides the port, by their names in an address.
const OF_ENVIRONMENT: [(&str, &str); 8] = [
    ("host", "PGHOST"),
    ("dbname", "PGDATABASE"),
    ("user", "PGUSER"),
    ("password", "PGPASSWORD"),
    ("sslmode", "PGSSLMODE"),
    ("sslrootcert", "PGSSLROOTCERT"),
    ("connect_timeout", "PGCONNECT_TIMEOUT"),
    ("options", "PGOPTIONS"),
];
const SOCKETS: [&str; 2] = ["/var/run/postgresql", "/tmp"];

impl Settings {
    /// Reads the settings; `env` returns environment variables.
    ///
    /// # Errors
    /// A setting is invalid. The message contains no password.
    pub fn read(uri: &str, env: &dyn Fn(&str) -> Option<String>) -> Result<Settings, String> {
        let (plain, mut others) = take_options(uri);
        let service = taken(&mut others, "service").or(env("PGSERVICE"));
        let of_service = match service {
            Some(service) => of_service(&service, env)?,
            None => Vec::new(),
        };
        let mut setting = |key: &str, variable: &str| {
            let of_file = of_service.iter().find(|(own, _)| own == key).map(|(_, value)| value.clone());
            taken(&mut others, key).or(of_file).or_else(|| env(variable)).filter(|value| !value.is_empty())
        };
        let port = setting("port", "PGPORT");
        let port: Option<u16> = port.map(|port| port.parse().map_err(|_| format!("port cannot be {port:?}"))).transpose()?;
        let plain = port.and_then(|port| with_port(&plain, port)).unwrap_or(plain);
        let mut config: Config = plain.parse().map_err(|_| "the address cannot be read".to_owned())?;
        let (mut mode, mut roots) = (Mode::Prefer, None);
        for (key, variable) in OF_ENVIRONMENT {
            let Some(value) = setting(key, variable) else { continue };
            let wrong = || format!("{key} cannot be {value:?}");
            match key {
                "host" if config.get_hosts().is_empty() => {
                    for host in value.split(',') {
                        config.host(host);
                    }
                }
                "dbname" if config.get_dbname().is_none() => {
                    config.dbname(&value);
                }
                "user" if config.get_user().is_none() => {
                    config.user(&value);
                }
                "password" if config.get_password().is_none() => {
                    config.password(&value);
                }
                "sslrootcert" => roots = Some(PathBuf::from(value)),
                "connect_timeout" if config.get_connect_timeout().is_none() => {
                    let seconds = value.parse().map_err(|_| wrong())?;
                    config.connect_timeout(std::time::Duration::from_secs(seconds));
                }
                "options" if config.get_options().is_none() => {
                    config.options(&value);
                }
                "sslmode" => mode = Mode::parse(&value).ok_or_else(wrong)?,
                _ => {}
            }
        }
        if let (Some(port), true) = (port, config.get_ports().is_empty()) {
            config.port(port);
        }
        if config.get_user().is_none() {
            config.user(&env("USER").or_else(|| env("LOGNAME")).ok_or("no user is named")?);
        }
        if config.get_hosts().is_empty() {
            let port = config.get_ports().first().copied().unwrap_or(5432);
            let socket = SOCKETS.iter().find(|folder| Path::new(folder).join(format!(".s.PGSQL.{port}")).exists());
            config.host(socket.copied().unwrap_or("localhost"));
        }
        if config.get_password().is_none()
            && let Some(password) = of_password_file(&config, env)
        {
            config.password(password);
        }
        config.ssl_mode(match mode {
            Mode::Disable => SslMode::Disable,
            Mode::Prefer => SslMode::Prefer,
            Mode::Require | Mode::VerifyCa | Mode::VerifyFull => SslMode::Require,
        });
        Ok(Settings { config, mode, roots })
    }

    pub fn config(&self) -> Config {
        self.config.clone()
    }

    /// The encryption; `None` without encryption, as for local sockets.
    pub fn tls(&self) -> Option<Tls> {
        let is_here = self.config.get_hosts().iter().all(|host| !matches!(host, Host::Tcp(_)));
        match self.mode {
            _ if is_here => None,
            Mode::Disable => None,
            // As in libpq, a file of certificates makes `require` check them.
            Mode::Require if self.roots.is_some() => Some(Tls::Checked { roots: self.roots.clone(), is_for_name: false }),
            Mode::Prefer | Mode::Require => Some(Tls::Unchecked),
            Mode::VerifyCa => Some(Tls::Checked { roots: self.roots.clone(), is_for_name: false }),
            Mode::VerifyFull => Some(Tls::Checked { roots: self.roots.clone(), is_for_name: true }),
        }
    }
}

impl Mode {
    fn parse(text: &str) -> Option<Mode> {
        Some(match text {
            "disable" => Mode::Disable,
            "allow" | "prefer" => Mode::Prefer,
            "require" => Mode::Require,
            "verify-ca" => Mode::VerifyCa,
            "verify-full" => Mode::VerifyFull,
            _ => return None,
        })
    }
}

fn take_options(uri: &str) -> (String, Vec<(String, String)>) {
    let Some((place, options)) = uri.split_once('?') else { return (uri.to_owned(), Vec::new()) };
    let own = ["sslmode", "sslrootcert", "service"];
    let (taken, kept): (Vec<&str>, Vec<&str>) =
        options.split('&').partition(|option| option.split_once('=').is_some_and(|(key, _)| own.contains(&key)));
    let plain = if kept.is_empty() { place.to_owned() } else { format!("{place}?{}", kept.join("&")) };
    let pair = |option: &str| option.split_once('=').map(|(key, value)| (key.to_owned(), unescaped(value)));
    (plain, taken.into_iter().filter_map(pair).collect())
}

/// The address with a port, if it names one host without a port. The package would use 5432.
fn with_port(uri: &str, port: u16) -> Option<String> {
    let start = uri.find("://")? + 3;
    let end = uri[start..].find(['/', '?']).map_or(uri.len(), |end| start + end);
    let host = uri[start..end].rsplit('@').next()?;
    let has_port = host.rsplit(']').next()?.contains(':');
    (!host.is_empty() && !host.contains(',') && !has_port).then(|| format!("{}:{port}{}", &uri[..end], &uri[end..]))
}

fn unescaped(value: &str) -> String {
    let mut bytes = Vec::with_capacity(value.len());
    let mut rest = value.as_bytes();
    while let Some((first, after)) = rest.split_first() {
        let escaped = after.get(..2).and_then(|digits| std::str::from_utf8(digits).ok());
        match (first, escaped.and_then(|digits| u8::from_str_radix(digits, 16).ok())) {
            (b'%', Some(byte)) => {
                bytes.push(byte);
                rest = &after[2..];
            }
            _ => {
                bytes.push(*first);
                rest = after;
            }
        }
    }
    String::from_utf8_lossy(&bytes).into_owned()
}

fn taken(options: &mut Vec<(String, String)>, key: &str) -> Option<String> {
    let place = options.iter().position(|(own, _)| own == key)?;
    Some(options.remove(place).1)
}

/// The settings of a service: <https://www.postgresql.org/docs/current/libpq-pgservice.html>.
fn of_service(service: &str, env: &dyn Fn(&str) -> Option<String>) -> Result<Vec<(String, String)>, String> {
    let own = env("PGSERVICEFILE").map(PathBuf::from).or_else(|| Some(Path::new(&env("HOME")?).join(".pg_service.conf")));
    let of_system = env("PGSYSCONFDIR").map(|folder| Path::new(&folder).join("pg_service.conf"));
    for file in [own, of_system].into_iter().flatten() {
        let Ok(text) = fs::read_to_string(&file) else { continue };
        let mut lines = text.lines().map(str::trim).skip_while(|line| *line != format!("[{service}]")).skip(1).peekable();
        if lines.peek().is_some() {
            let lines = lines.take_while(|line| !line.starts_with('[')).filter(|line| !line.starts_with('#'));
            let pair = |line: &str| line.split_once('=').map(|(key, value)| (key.trim().to_owned(), value.trim().to_owned()));
            return Ok(lines.filter_map(pair).collect());
        }
    }
    Err(format!("no service {service:?} in the service files"))
}

/// The password from a password file: <https://www.postgresql.org/docs/current/libpq-pgpass.html>. Ignores a file that others can read.
fn of_password_file(config: &Config, env: &dyn Fn(&str) -> Option<String>) -> Option<String> {
    let file = env("PGPASSFILE").map(PathBuf::from).or_else(|| Some(Path::new(&env("HOME")?).join(".pgpass")))?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        if fs::metadata(&file).ok()?.permissions().mode() & 0o077 != 0 {
            return None;
        }
    }
    let host = match config.get_hosts().first()? {
        Host::Tcp(name) => name.clone(),
        #[cfg(unix)]
        Host::Unix(_) => "localhost".to_owned(),
    };
    let port = config.get_ports().first().copied().unwrap_or(5432).to_string();
    let user = config.get_user()?;
    let wanted = [host.as_str(), &port, config.get_dbname().unwrap_or(user), user];
    fs::read_to_string(file).ok()?.lines().find_map(|line| password_of(line, &wanted))
}

fn password_of(line: &str, wanted: &[&str; 4]) -> Option<String> {
    if line.starts_with('#') {
        return None;
    }
    let (mut fields, mut chars) = (vec![String::new()], line.chars());
    while let Some(c) = chars.next() {
        match c {
            '\\' => fields.last_mut()?.extend(chars.next()),
            ':' if fields.len() <= wanted.len() => fields.push(String::new()),
            c => fields.last_mut()?.push(c),
        }
    }
    let password = fields.get(wanted.len())?;
    let fits = fields.iter().zip(wanted).all(|(field, wanted)| field == "*" || field == wanted);
    fits.then(|| password.clone())
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]
mod tests {
    use super::*;

    #[test]
    fn the_address_goes_before_a_service_and_that_before_the_environment() {
        let folder = tempfile::tempdir().unwrap();
        let path = |name: &str, text: &str| {
            let path = folder.path().join(name);
            fs::write(&path, text).unwrap();
            #[cfg(unix)]
            fs::set_permissions(&path, std::os::unix::fs::PermissionsExt::from_mode(0o600)).unwrap();
            path.display().to_string()
        };
        let services =
            path("services", "# ours\n[other]\nhost=no\n[yard]\nhost=db1\nport=5433\ndbname = yard\n[third]\nuser=x\n");
        let passwords = path("passwords", "# none\ndb1:5433:*:nils:a\\:b\\\\c\n*:*:yard:signe:second\n");
        let env = |key: &str| match key {
            "PGSERVICEFILE" => Some(services.clone()),
            "PGPASSFILE" => Some(passwords.clone()),
            "PGUSER" => Some("nils".to_owned()),
            "PGPORT" => Some("1".to_owned()),
            "PGSSLMODE" => Some("require".to_owned()),
            _ => None,
        };
        let read = |uri: &str| Settings::read(uri, &env).unwrap();
        let settings = read("postgresql:///?service=yard");
        let config = settings.config();
        assert_eq!((config.get_hosts(), config.get_ports()), (&[Host::Tcp("db1".to_owned())][..], &[5433][..]));
        assert_eq!((config.get_user(), config.get_dbname()), (Some("nils"), Some("yard")));
        assert_eq!(config.get_password(), Some(&b"a:b\\c"[..]));
        assert_eq!(settings.tls(), Some(Tls::Unchecked));
        let settings = read("postgresql://signe@db2/yard?sslmode=verify-full&sslrootcert=a%20b.pem&connect_timeout=3");
        let config = settings.config();
        assert_eq!((config.get_hosts(), config.get_ports()), (&[Host::Tcp("db2".to_owned())][..], &[1][..]));
        assert_eq!((config.get_user(), config.get_password()), (Some("signe"), Some(&b"second"[..])));
        assert_eq!(settings.tls(), Some(Tls::Checked { roots: Some("a b.pem".into()), is_for_name: true }));
        assert_eq!(read("postgresql://x:y@%2Frun%2Fpg/yard").tls(), None, "a socket");
        for uri in ["postgresql://db/yard?sslmode=never", "postgresql://db/?service=none", "postgresql://nils:secret@db:x/"] {
            let why = Settings::read(uri, &env).err().unwrap();
            assert!(!why.contains("secret"), "{why}");
        }
    }
}
