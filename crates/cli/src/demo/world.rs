//! The sandbox: a home with an old tidelog on its PATH, and a folder of downloads.

use std::ffi::OsString;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use super::pack;

/// The old version that is on the PATH.
pub const OLD: &str = "3.9";
/// The version that is received.
pub const NEW: &str = "4.2.1";

/// The made-up workstation.
#[derive(Debug)]
pub struct World {
    /// The sandbox.
    pub folder: PathBuf,
    /// The folder with the old tidelog's programs.
    pub old_bin: PathBuf,
    /// The SHA-256 that the makers of the new tidelog published.
    pub published: String,
}

impl World {
    /// Builds it in a folder that does not exist yet or is empty.
    pub fn build(folder: &Path) -> io::Result<Self> {
        let home = folder.join("home");
        let old_bin = home.join("old-tools").join(format!("tidelog-{OLD}")).join("bin");
        let downloads = folder.join("downloads");
        fs::create_dir_all(&downloads)?;
        fs::create_dir_all(&old_bin)?;
        for packed in pack::tidelog(OLD).iter().filter(|p| p.program) {
            let name = packed.path.rsplit('/').next().unwrap_or_default();
            write_program(&old_bin.join(name), &packed.content)?;
        }
        let archive = downloads.join(format!("tidelog-{NEW}-linux-x64.tar.gz"));
        let published = pack::tar_gz(&archive, &pack::tidelog(NEW))?;
        pack::zip(&downloads.join("shoal_2.0.3.zip"), &pack::shoal("2.0.3"))?;
        pack::zip(&downloads.join("coastkit-1.8.0.zip"), &pack::coastkit("1.8.0"))?;

        let posix = "# The old tidelog, set up by hand years ago.\n\
                     PATH=\"$HOME/old-tools/tidelog-3.9/bin:$PATH\"\nexport PATH\n";
        for name in [".profile", ".bashrc", ".zprofile", ".zshrc"] {
            fs::write(home.join(name), posix)?;
        }
        let fish = home.join(".config").join("fish");
        fs::create_dir_all(&fish)?;
        fs::write(fish.join("config.fish"), "set -gx PATH $HOME/old-tools/tidelog-3.9/bin $PATH\n")?;
        Ok(Self { folder: folder.to_owned(), old_bin, published })
    }

    /// A file among the downloads.
    pub fn download(&self, name: &str) -> PathBuf {
        self.folder.join("downloads").join(name)
    }

    /// The PATH of a terminal that was opened before anything was received.
    pub fn old_path(&self) -> OsString {
        let mut path = OsString::from(&self.old_bin);
        path.push(":");
        path.push(std::env::var_os("PATH").unwrap_or_else(|| "/usr/bin:/bin".into()));
        path
    }
}

fn write_program(target: &Path, content: &str) -> io::Result<()> {
    use io::Write as _;
    let mut file = fs::File::create(target)?;
    file.write_all(content.as_bytes())?;
    wagon_yard_core::os::set_mode(&file, 0o755)
}
