//! The sandbox: a home with an old tidelog on its PATH, and a folder of downloads.

use std::ffi::OsString;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use wagon_yard_core::environment::Environment;
use wagon_yard_core::machine::Machine;
use wagon_yard_core::os;
use wagon_yard_core::registry::{RegistryPlaces, RegistryValue, ValueKind};
use wagon_yard_core::scope::Scope;
use wagon_yard_core::system::System;

use super::pack;
use super::server::FileServer;
use crate::failure::{Failure, exit};

pub const OLD: &str = "3.9";
pub const NEW: &str = "4.2.1";

const SHOAL: &str = "shoal_2.0.3.zip";

#[derive(Debug)]
pub struct World {
    pub machine: Machine,
    pub old_bin: PathBuf,
    pub archive: PathBuf,
    pub published: String,
    pub second: Machine,
    pub waybill: PathBuf,
    folder: PathBuf,
    stays: bool,
    _server: FileServer,
}

impl World {
    /// Builds it in a folder that does not exist yet or is empty. Unless it `stays`, its registry keys go with it.
    pub fn build(folder: &Path, stays: bool) -> Result<Self, Failure> {
        let machine = Machine::new(Environment::of_process(), Some(folder), None, Scope::User)?;
        let home = folder.join("home");
        let old_bin = home.join("old-tools").join(format!("tidelog-{OLD}")).join("bin");
        let archive = folder.join("downloads").join(match machine.system() {
            System::Unix => format!("tidelog-{NEW}-linux-x64.tar.gz"),
            System::Windows => format!("tidelog-{NEW}-windows-x64.zip"),
        });
        let second = Machine::new(Environment::of_process(), Some(&folder.join("second")), None, Scope::User)?;
        fs::create_dir_all(folder.join("downloads")).map_err(not_built)?;
        let shoal = folder.join("downloads").join(SHOAL);
        pack::zip(&shoal, &pack::shoal("2.0.3")).map_err(not_built)?;
        let server = FileServer::start(&shoal).map_err(not_built)?;
        let waybill = pack::waybill(&server.url(), &pack::published(&shoal).map_err(not_built)?);
        let mut world = Self {
            machine,
            old_bin,
            archive,
            published: String::new(),
            second,
            waybill: folder.join("office.toml"),
            folder: folder.to_owned(),
            stays,
            _server: server,
        };
        fs::write(&world.waybill, waybill).map_err(not_built)?;
        world.fill().map_err(not_built)?;
        Ok(world)
    }

    fn fill(&mut self) -> io::Result<()> {
        fs::create_dir_all(&self.old_bin)?;
        for packed in pack::tidelog(OLD).iter().filter(|p| p.program) {
            let name = packed.path.rsplit('/').next().unwrap_or_default();
            write_program(&self.old_bin.join(name), &packed.content)?;
        }
        let pack = if self.machine.system() == System::Unix { pack::tar_gz } else { pack::zip };
        pack(&self.archive, &pack::tidelog(NEW))?;
        self.published = pack::published(&self.archive)?;
        pack::zip(&self.download("coastkit-1.8.0.zip"), &pack::coastkit("1.8.0"))?;
        pack::zip(&self.download("driftc-0.9.zip"), &pack::driftc("0.9"))?;
        pack::zip(&self.download("drift-1.1.zip"), &pack::drift("1.1"))?;
        pack::zip(&self.download("tidetable-1.3.zip"), &pack::tidetable("1.3"))?;
        if self.machine.system() == System::Unix {
            pack::self_extractor(&self.download("buoyctl-2.4.run"), "2.4")?;
        }
        fs::write(self.download("day.csv"), "time,level\n00:00,1.21\n06:10,4.80\n")?;
        fs::write(self.download("tide.drift"), "# High water in Brackwater.\nsay high water\nsum 40 2\nsay metres\n")?;
        match self.machine.system() {
            System::Unix => self.write_startup_files(),
            System::Windows => self.write_registry(),
        }
    }

    fn write_startup_files(&self) -> io::Result<()> {
        let home = self.folder.join("home");
        let posix = "# The old tidelog, set up by hand years ago.\n\
                     PATH=\"$HOME/old-tools/tidelog-3.9/bin:$PATH\"\nexport PATH\n";
        for name in [".profile", ".bashrc", ".zprofile", ".zshrc", ".kshrc"] {
            fs::write(home.join(name), posix)?;
        }
        let fish = home.join(".config").join("fish");
        fs::create_dir_all(&fish)?;
        fs::write(home.join(".cshrc"), "setenv PATH \"${HOME}/old-tools/tidelog-3.9/bin:${PATH}\"\n")?;
        fs::write(fish.join("config.fish"), "set -gx PATH $HOME/old-tools/tidelog-3.9/bin $PATH\n")
    }

    /// The keys of the sandbox, which stand for the real ones.
    pub fn keys(&self) -> RegistryPlaces {
        self.machine.registry()
    }

    fn write_registry(&self) -> io::Result<()> {
        let place = self.keys().of_scope(Scope::User);
        let path = RegistryValue::new(ValueKind::Expandable, self.old_bin.to_string_lossy());
        os::write_registry_value(place.hive, &place.key, "Path", Some((path.kind.number(), &path.bytes())))
    }

    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// The system's own `sort`, where the system's PATH comes before the user's.
    pub fn system_sort(&self) -> Option<PathBuf> {
        let root = self.machine.environment.get("SystemRoot")?;
        (self.machine.system() == System::Windows).then(|| Path::new(root).join("System32").join("sort.exe"))
    }

    pub fn download(&self, name: &str) -> PathBuf {
        self.folder.join("downloads").join(name)
    }

    /// The PATH of a terminal that was opened before anything was received.
    pub fn old_path(&self) -> OsString {
        let real = std::env::var_os("PATH").unwrap_or_default();
        let folders = [self.old_bin.clone()].into_iter().chain(std::env::split_paths(&real));
        std::env::join_paths(folders).unwrap_or(real)
    }
}

impl Drop for World {
    fn drop(&mut self) {
        if self.machine.system() == System::Windows && !self.stays {
            // Nobody is left to be told; the keys are small and of no effect.
            let _ = self.keys().remove_sandbox();
            let _ = self.second.registry().remove_sandbox();
        }
    }
}

fn write_program(target: &Path, content: &str) -> io::Result<()> {
    use io::Write as _;
    let mut file = fs::File::create(target)?;
    file.write_all(content.as_bytes())?;
    os::set_mode(&file, 0o755)
}

pub fn not_built(error: io::Error) -> Failure {
    let message = format!("the demo's sandbox could not be built: {error}");
    Failure::new(exit::MACHINE, message, Some("name another place with --keep DIR"))
}
