//! A made-up user's home, and calls of the program and of fresh terminals in it.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::sync::OnceLock;
use std::time::Duration;

use serde_json::Value;
use wagon_yard_core::environment::Environment;
use wagon_yard_core::machine::Machine;
use wagon_yard_core::os;
use wagon_yard_core::process::{self, Ending, side_by_side};
use wagon_yard_core::progress::Stop;
use wagon_yard_core::registry::RegistryPlaces;
use wagon_yard_core::scope::Scope;
use wagon_yard_core::terminal::base_environments;

pub const WINDOWS: bool = cfg!(windows);

/// The shell that is asked where one is enough.
pub const SHELL: &str = if WINDOWS { "cmd" } else { "bash" };

/// The file name of a script or batch file that is typed as `name`.
pub fn program(name: &str) -> String {
    if WINDOWS { format!("{name}.cmd") } else { name.to_owned() }
}

/// Whether everything is to be tried, however long it takes: in CI.
pub fn thorough() -> bool {
    std::env::var_os("CI").is_some()
}

/// Tries cases, some at a time; where nobody waits for all of them, a third by chance.
pub fn try_each<T: Sync>(cases: &[T], test: impl Fn(&T) + Sync) {
    let step = if thorough() { 1 } else { 3 };
    let some: Vec<&T> = cases.iter().skip(fastrand::usize(..step)).step_by(step).collect();
    side_by_side(&some, 3, |case| test(case));
}

/// Whether a program is there. In CI everything has to be; elsewhere the test says that it skips.
pub fn have(program: &str) -> bool {
    let found = ["/bin", "/usr/bin", "/usr/local/bin"].iter().any(|folder| Path::new(folder).join(program).exists());
    assert!(found || std::env::var_os("CI").is_none(), "{program} is missing, and CI may skip nothing");
    if !found {
        eprintln!("skipped: {program} is not installed");
    }
    found
}

/// Whether shells can be asked here under layers that are thrown away: without them some shells, functions and aliases prove
/// nothing. In CI they have to be; elsewhere the test says that it skips.
pub fn have_layers() -> bool {
    static KNOWN: OnceLock<bool> = OnceLock::new();
    let found = *KNOWN.get_or_init(|| {
        let home = Home::with(&["sh"]);
        let archive = crate::archives::tidelog(&home, "4.2.1");
        WINDOWS || home.wyard(&["receive", &archive]).code == 0
    });
    assert!(found || std::env::var_os("CI").is_none(), "no seal with layers, and CI may skip nothing");
    if !found {
        eprintln!("skipped: no seal with layers can be made here");
    }
    found
}

/// Where the tests' homes lie: the folder for temporary files, unless its name needs quotes in the lines of startup files that
/// tests write.
fn place() -> PathBuf {
    let usual = std::env::temp_dir();
    let is_plain =
        usual.to_str().is_some_and(|path| path.chars().all(|c| c.is_ascii_alphanumeric() || "/._-".contains(c)));
    if WINDOWS || is_plain { usual } else { "/tmp".into() }
}

/// A home folder of its own. On Windows it lies in a sandbox, so that the registry's values are its own too.
pub struct Home {
    folder: tempfile::TempDir,
    pub variables: BTreeMap<String, String>,
}

impl Drop for Home {
    fn drop(&mut self) {
        if WINDOWS {
            self.keys().remove_sandbox().unwrap();
        }
    }
}

impl Home {
    /// An empty home whose new terminals are those of the system's usual shell.
    pub fn new() -> Self {
        Self::with(&[SHELL])
    }

    /// An empty home whose new terminals are those of these shells.
    pub fn with(shells: &[&str]) -> Self {
        let home = Self { folder: tempfile::tempdir_in(place()).unwrap(), variables: BTreeMap::new() };
        fs::create_dir(home.path("home")).unwrap();
        // What the machine says to everybody: nobody is on record, sudo is not there.
        let path = "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin";
        home.write("own-root/etc/environment", format!("PATH=\"{path}\"\n"));
        if shells.contains(&"fish") {
            // At the first prompt in a home without it, fish reads all manual pages for a minute.
            fs::create_dir_all(home.path("home/.local/share/fish/generated_completions")).unwrap();
        }
        let named: Vec<String> =
            shells.iter().map(|s| format!("\"{}\"", if *s == "dash" { "sh" } else { s })).collect();
        home.settings(&format!("shells = [{}]\nshell_seconds = 20\n", named.join(", ")));
        home
    }

    /// An empty home without settings, in a folder whose path has so many bytes.
    #[cfg(unix)]
    pub fn of_length(length: usize) -> Self {
        let random = 6;
        let prefix = "-".repeat(length - std::env::temp_dir().as_os_str().len() - 1 - random);
        let folder = tempfile::Builder::new().prefix(&prefix).rand_bytes(random).tempdir().unwrap();
        Self { folder, variables: BTreeMap::new() }
    }

    pub fn keys(&self) -> RegistryPlaces {
        RegistryPlaces::of(Some(self.folder.path()))
    }

    /// The values of a scope's registry key, raw.
    pub fn registry(&self, scope: Scope) -> Vec<os::RawValue> {
        if !WINDOWS {
            return Vec::new();
        }
        let place = self.keys().of_scope(scope);
        os::registry_values(place.hive, &place.key).unwrap()
    }

    pub fn settings(&self, text: &str) {
        let yard = self.yard();
        fs::create_dir_all(&yard).unwrap();
        fs::write(yard.join("settings.toml"), text).unwrap();
    }

    /// A place in the test's folder; the user's home is `home`.
    pub fn path(&self, relative: &str) -> PathBuf {
        let native = if WINDOWS { relative.replace('/', "\\") } else { relative.to_owned() };
        self.folder.path().join(native)
    }

    pub fn yard(&self) -> PathBuf {
        let usual = if WINDOWS { "home/AppData/Local/Wagon Yard" } else { "home/.local/share/wagon-yard" };
        self.variables.get("WYARD_YARD").map_or_else(|| self.path(usual), PathBuf::from)
    }

    pub fn write(&self, relative: &str, content: impl AsRef<[u8]>) -> PathBuf {
        let file = self.path(relative);
        fs::create_dir_all(file.parent().unwrap()).unwrap();
        fs::write(&file, content).unwrap();
        file
    }

    /// The program, called in this home and nothing else.
    pub fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_wyard"));
        if WINDOWS {
            // Whoever tests there may well be an administrator, who would have to agree to every start.
            command.arg("--sandbox").arg(self.folder.path()).arg("--unsealed").args(arguments);
        } else {
            command.args(arguments).env_clear().env("HOME", self.path("home"));
            command.env("PATH", "/usr/local/bin:/usr/bin:/bin").env("WYARD_TEST_ROOT", self.path("own-root"));
        }
        command.envs(&self.variables).current_dir(self.folder.path());
        command
    }

    pub fn wyard(&self, arguments: &[&str]) -> Ran {
        Ran::from(self.command(arguments).output().unwrap())
    }

    /// The same, without the user's word that anything may be started that nothing keeps from the machine.
    #[cfg(windows)]
    pub fn unasked(&self, arguments: &[&str]) -> Ran {
        let mut command = Command::new(env!("CARGO_BIN_EXE_wyard"));
        command.arg("--sandbox").arg(self.folder.path()).args(arguments).current_dir(self.folder.path());
        Ran::from(command.envs(&self.variables).output().unwrap())
    }

    /// Runs the program as a user without rights: as somebody else where the test runs as the superuser.
    pub fn as_user(&self, arguments: &[&str]) -> Ran {
        let mut command = self.command(arguments);
        #[cfg(unix)]
        if os::is_superuser() {
            std::os::unix::process::CommandExt::uid(&mut command, 65534);
            std::os::unix::process::CommandExt::gid(&mut command, 65534);
        }
        Ran::from(command.output().unwrap_or_else(|e| panic!("{}: {e}", env!("CARGO_BIN_EXE_wyard"))))
    }

    /// Types a line into a fresh terminal of a shell, and gives what it printed. `flags` as in `-lic`.
    pub fn terminal(&self, shell: &str, flags: &str, line: &str) -> String {
        let mut command = Command::new(shell);
        if shell == "tcsh" {
            // It takes `-l` only alone; a dash before its name says the same.
            if flags.contains('l') {
                os::set_called_name(&mut command, "-tcsh".as_ref());
            }
            command.args(flags.contains('i').then_some("-i")).args(["-c", line]);
        } else {
            command.args([flags, line]);
        }
        command.env_clear().env("HOME", self.path("home"));
        command.env("PATH", "/usr/local/bin:/usr/bin:/bin").env("TERM", "xterm");
        command.env("HISTFILE", "/dev/null");
        for name in ["ZDOTDIR", "XDG_CONFIG_HOME"] {
            if let Some(value) = self.variables.get(name) {
                command.env(name, value);
            }
        }
        let outcome = process::run(command, Duration::from_secs(60), &Stop::default());
        assert!(matches!(outcome.ending, Ending::Exited(_)), "{shell} {flags}: {:?}", outcome.ending);
        String::from_utf8_lossy(&outcome.stdout).into_owned()
    }

    /// Types a line into a fresh terminal of the usual shell, and gives what it printed.
    pub fn fresh(&self, line: &str) -> String {
        if !WINDOWS {
            return self.terminal(SHELL, "-lc", line);
        }
        let machine = Machine::new(Environment::of_process(), Some(self.folder.path()), None, Scope::User).unwrap();
        let mut command = Command::new("cmd");
        command.args(["/c", line]).env_clear().envs(&base_environments(&machine)[0]);
        let output = command.current_dir(self.folder.path()).output().unwrap();
        String::from_utf8(output.stdout).unwrap().replace("\r\n", "\n")
    }

    /// What a fresh terminal has in a variable; empty where it is not set.
    pub fn variable(&self, name: &str) -> String {
        let line = if WINDOWS { format!("if defined {name} echo %{name}%") } else { format!("echo \"${name}\"") };
        self.fresh(&line).trim_end().to_owned()
    }

    /// The ways of opening a terminal that a shell's own startup files decide about.
    pub fn modes(shell: &str) -> &'static [&'static str] {
        // An interactive dash that is no login shell reads nothing of the user's: it has what its login shell had.
        if shell == "dash" { &["-lic", "-lc"] } else { &["-lic", "-ic", "-lc"] }
    }

    /// Every file of the home outside the yard, by name, with its bytes or, for a link, its target.
    pub fn files(&self) -> BTreeMap<PathBuf, Vec<u8>> {
        let mut files = BTreeMap::new();
        collect(&self.path("home"), &self.yard(), &mut files);
        files
    }
}

fn collect(folder: &Path, but: &Path, files: &mut BTreeMap<PathBuf, Vec<u8>>) {
    for entry in fs::read_dir(folder).unwrap() {
        let entry = entry.unwrap();
        let path = entry.path();
        if entry.file_type().unwrap().is_symlink() {
            let target = fs::read_link(&path).unwrap();
            files.insert(path, target.into_os_string().into_encoded_bytes());
        } else if path == but {
        } else if path.is_dir() {
            collect(&path, but, files);
        } else {
            files.insert(path.clone(), fs::read(&path).unwrap());
        }
    }
}

/// What came of a call.
#[derive(Debug)]
pub struct Ran {
    pub code: i32,
    pub out: String,
    pub err: String,
}

impl From<Output> for Ran {
    fn from(output: Output) -> Self {
        Self {
            code: output.status.code().unwrap_or(-1),
            out: String::from_utf8(output.stdout).unwrap(),
            err: String::from_utf8(output.stderr).unwrap(),
        }
    }
}

impl Ran {
    /// Asserts the exit code and gives itself back.
    #[track_caller]
    pub fn ends(self, code: i32) -> Self {
        assert_eq!(self.code, code, "\n--- out\n{}\n--- err\n{}", self.out, self.err);
        self
    }

    /// Asserts that a text is in what was printed on either stream.
    #[track_caller]
    pub fn says(self, text: &str) -> Self {
        assert!(
            self.out.contains(text) || self.err.contains(text),
            "not said: {text}\n--- out\n{}\n--- err\n{}",
            self.out,
            self.err
        );
        self
    }

    pub fn json(&self) -> Value {
        let document = serde_json::from_str(&self.out).unwrap_or_else(|e| panic!("{e}: {}", self.out));
        #[cfg(unix)]
        crate::schemas::assert_conforms(&document);
        document
    }
}
