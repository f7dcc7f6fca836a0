//! The arguments of commands that take a downloaded file.

use std::ffi::OsString;
use std::path::PathBuf;
use std::time::Duration;

use clap::builder::TypedValueParser;
use clap::{Args as ClapArgs, ValueEnum};
use wagon_yard_core::archive::{Limits, Options};
use wagon_yard_core::checksum::{Algorithm, Checksum, Trust};
use wagon_yard_core::jobs::receive::FileUse;
use wagon_yard_core::layout::HomeVariables;
use wagon_yard_core::naming::{NameError, ToolName, Variable, Version};

use super::proof::{RequiresArgs, exit_status};

/// Options of `receive`. Those without a heading of their own come first: a heading holds for all that follows.
#[derive(Debug, ClapArgs)]
pub struct ReceiveArgs {
    /// The downloaded archive, program or installer; or its address, http or https
    pub file: PathBuf,
    /// Show what would change; write nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Undo everything if the final check fails
    #[arg(long, conflicts_with_all = ["stay", "dry_run"])]
    pub or_undo: bool,
    /// Also unpack this archive (file or address) into the same root; repeatable
    #[arg(long, value_name = "FILE", help_heading = "Archive")]
    pub with: Vec<PathBuf>,
    /// Keep the file of an address in the yard's downloads folder
    #[arg(long)]
    pub keep_download: bool,
    /// Install alongside; keep the current version
    #[arg(long)]
    pub stay: bool,
    /// Replace this version if it is installed
    #[arg(long)]
    pub replace: bool,
    /// Trust the download: do not pass its download mark on (Windows, macOS)
    #[arg(long)]
    pub trusted: bool,
    /// Also accept programs that cannot run on this machine
    #[arg(long)]
    pub foreign: bool,
    /// Treat the file as a program or as an installer
    #[arg(long, value_name = "KIND")]
    pub kind: Option<KindWhich>,
    /// Do not run the commands
    #[arg(long)]
    pub no_run: bool,
    /// Arguments that make the commands print their version, quoted as in a shell; saved on the card
    #[arg(long, value_name = "ARGUMENTS", allow_hyphen_values = true)]
    pub probe: Option<String>,
    /// Exit status of the commands when all is well; saved on the card
    #[arg(long, value_name = "NUMBER", value_parser = exit_status)]
    pub status: Option<i32>,
    /// Name and layout
    #[command(flatten)]
    pub tool: ToolArgs,
    /// Requirements
    #[command(flatten)]
    pub requires: RequiresArgs,
    /// Published checksum
    #[command(flatten)]
    pub checksums: ChecksumArgs,
    /// Archive
    #[command(flatten)]
    pub reading: ReadingArgs,
    /// Installer
    #[command(flatten)]
    pub installer: InstallerArgs,
}

/// What a downloaded file is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum KindWhich {
    /// A program or an archive of programs: added to the stock
    Program,
    /// An installer: run it
    Installer,
}

impl From<KindWhich> for FileUse {
    fn from(kind: KindWhich) -> Self {
        match kind {
            KindWhich::Program => Self::Program,
            KindWhich::Installer => Self::Installer,
        }
    }
}

/// What a tool is and where things are in it, where that is not to be found out.
#[derive(Debug, ClapArgs)]
#[command(next_help_heading = "Tool")]
pub struct ToolArgs {
    /// Tool name, if the file name does not contain it
    #[arg(long)]
    pub name: Option<ToolName>,
    /// Tool version, if the file name does not contain it
    #[arg(long)]
    pub version: Option<Version>,
    /// Folder with the commands, relative to the tool's root; absolute with adopt and installers; repeatable
    #[arg(long = "command-folder", value_name = "DIR")]
    pub command_folders: Vec<PathBuf>,
    /// Variable to set to the tool's root, instead of NAME_HOME; repeatable
    #[arg(long = "home-variable", value_name = "X", value_parser = home_variable, conflicts_with = "no_home_variable")]
    pub home_variables: Vec<Variable>,
    /// Do not set a home variable
    #[arg(long)]
    pub no_home_variable: bool,
}

impl ToolArgs {
    /// Which home variables are asked for.
    pub fn home_variables(&self) -> HomeVariables {
        match (self.no_home_variable, &self.home_variables[..]) {
            (true, _) => HomeVariables::None,
            (false, []) => HomeVariables::Usual,
            (false, given) => HomeVariables::These(given.to_vec()),
        }
    }
}

fn home_variable(text: &str) -> Result<Variable, NameError> {
    let variable: Variable = text.parse()?;
    variable.check_free().map(|()| variable)
}

/// Installer.
#[derive(Debug, ClapArgs)]
#[command(next_help_heading = "Installer")]
pub struct InstallerArgs {
    /// Run an installer without asking first
    #[arg(long)]
    pub yes: bool,
    /// Installation folder, passed on with the installer's own option
    #[arg(long, value_name = "DIR")]
    pub installer_folder: Option<PathBuf>,
    /// Install a Debian package with the system's package manager instead of unpacking it
    #[arg(long, conflicts_with_all = ["installer_folder", "arguments"])]
    pub system_install: bool,
    /// Additional folder to watch while the installer runs; repeatable
    #[arg(long, value_name = "DIR")]
    pub watch: Vec<PathBuf>,
    /// Time limit for the installer, in minutes; 30 by default
    #[arg(long, value_name = "MINUTES", value_parser = minutes())]
    pub time_limit: Option<Duration>,
    /// Arguments for the installer
    #[arg(last = true, value_name = "ARGUMENTS")]
    pub arguments: Vec<OsString>,
}

/// How long an installer or uninstaller may take: up to a day.
pub fn minutes() -> impl TypedValueParser<Value = Duration> {
    clap::value_parser!(u64).range(1..=1440).map(|minutes| Duration::from_secs(minutes * 60))
}

/// Published checksums. Without any, the usual files beside the download are looked for.
#[derive(Debug, ClapArgs)]
#[command(next_help_heading = "Checksum")]
pub struct ChecksumArgs {
    /// The published SHA-256 of the file
    #[arg(long, value_name = "HEX", value_parser = |text: &str| Checksum::parse(Algorithm::Sha256, text))]
    pub sha256: Option<Checksum>,
    /// The published SHA-512 of the file
    #[arg(long, value_name = "HEX", value_parser = |text: &str| Checksum::parse(Algorithm::Sha512, text))]
    pub sha512: Option<Checksum>,
    /// The published SHA-1 of the file (weak)
    #[arg(long, value_name = "HEX", value_parser = |text: &str| Checksum::parse(Algorithm::Sha1, text))]
    pub sha1: Option<Checksum>,
    /// The published MD5 of the file (weak)
    #[arg(long, value_name = "HEX", value_parser = |text: &str| Checksum::parse(Algorithm::Md5, text))]
    pub md5: Option<Checksum>,
    /// Published checksum list that contains the file; a file or, with receive, an address
    #[arg(long, value_name = "FILE")]
    pub checksums: Option<PathBuf>,
}

impl From<ChecksumArgs> for Trust {
    fn from(args: ChecksumArgs) -> Self {
        let checksums = [args.sha256, args.sha512, args.sha1, args.md5].into_iter().flatten().collect();
        Self { checksums, list: args.checksums }
    }
}

/// How an archive is read.
#[derive(Debug, ClapArgs)]
#[command(next_help_heading = "Archive")]
pub struct ReadingArgs {
    /// Skip and list dangerous entries instead of refusing the archive
    #[arg(long)]
    pub leave_out_hazards: bool,
    /// Multiply the limits by N: size (32 GiB), entries (120,000), names (16 MiB), ratio (250)
    #[arg(long, value_name = "TIMES", default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..))]
    pub limit: u32,
}

impl From<ReadingArgs> for Options {
    fn from(args: ReadingArgs) -> Self {
        Self { limits: Limits::times(args.limit), leave_out_hazards: args.leave_out_hazards }
    }
}

/// Options of `inspect`.
#[derive(Debug, ClapArgs)]
pub struct InspectArgs {
    /// The downloaded archive, program or installer; or a folder, to list the downloads in it
    pub file: PathBuf,
    /// Read a large file completely, to show its checksum
    #[arg(long)]
    pub whole: bool,
    /// Run existing commands with the same names to get their versions
    #[arg(long)]
    pub versions: bool,
    /// Show what receiving it would do on the machine of this snapshot
    #[arg(long, value_name = "SNAPSHOT", conflicts_with = "versions")]
    pub from: Option<PathBuf>,
    /// Published checksum
    #[command(flatten)]
    pub checksums: ChecksumArgs,
}

/// Options of `unpack`.
#[derive(Debug, ClapArgs)]
pub struct UnpackArgs {
    /// The archive
    pub file: PathBuf,
    /// New folder for the content; must not exist
    #[arg(long, value_name = "DIR")]
    pub into: PathBuf,
    /// Keep the archive's top-level folder
    #[arg(long)]
    pub keep_wrapper: bool,
    /// Allow a folder that another user owns or can write to
    #[arg(long)]
    pub trust_folder: bool,
    /// Show what would change; write nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Published checksum
    #[command(flatten)]
    pub checksums: ChecksumArgs,
    /// Archive
    #[command(flatten)]
    pub reading: ReadingArgs,
}
