//! Arguments of what looks at recorded machines.

use std::path::PathBuf;

use clap::Args as ClapArgs;

/// A recorded machine instead of this one.
#[derive(Debug, Default, ClapArgs)]
pub struct FromArgs {
    /// Show the machine of this snapshot
    #[arg(long, value_name = "FILE")]
    pub from: Option<PathBuf>,
}

/// Options of `snapshot`.
#[derive(Debug, ClapArgs)]
pub struct SnapshotArgs {
    /// The file to write, packed if its name ends in .gz; without it the snapshot is kept in the yard
    #[arg(long, value_name = "FILE")]
    pub into: Option<PathBuf>,
    /// What to call the machine
    #[arg(long, value_name = "TEXT")]
    pub name: Option<String>,
    /// Ask the commands outside the system's folders for their versions
    #[arg(long)]
    pub versions: bool,
}

/// Options of `compare`.
#[derive(Debug, ClapArgs)]
pub struct CompareArgs {
    /// Snapshots, or folders of them
    #[arg(required_unless_present = "then", value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// Compare all of them with this one
    #[arg(long, value_name = "FILE")]
    pub base: Option<PathBuf>,
    /// Compare this machine with the last snapshot kept in the yard
    #[arg(long, conflicts_with_all = ["files", "base"])]
    pub then: bool,
}

/// Options of `page`.
#[derive(Debug, ClapArgs)]
pub struct PageArgs {
    /// The file to write, such as path.html
    #[arg(long, value_name = "FILE")]
    pub into: PathBuf,
    /// Show the machine of this snapshot
    #[arg(long, value_name = "FILE", conflicts_with_all = ["compare", "versions", "name"])]
    pub from: Option<PathBuf>,
    /// Show how these snapshots differ; folders of snapshots too
    #[arg(long, value_name = "FILE", num_args = 1.., conflicts_with_all = ["versions", "name"])]
    pub compare: Vec<PathBuf>,
    /// With --compare: the snapshot that all are compared with
    #[arg(long, value_name = "FILE", requires = "compare")]
    pub base: Option<PathBuf>,
    /// What to call this machine
    #[arg(long, value_name = "TEXT")]
    pub name: Option<String>,
    /// Ask the commands outside the system's folders for their versions
    #[arg(long)]
    pub versions: bool,
}

/// Options of `selftest`.
#[derive(Debug, ClapArgs)]
pub struct SelfTestArgs {
    /// Also write the report into this file, as JSON
    #[arg(long, value_name = "FILE")]
    pub into: Option<PathBuf>,
    /// Make the machines of an earlier report again
    #[arg(long, value_name = "NUMBER")]
    pub seed: Option<u64>,
    /// Stop after this many minutes; a slow machine may need more
    #[arg(long, value_name = "NUMBER", default_value_t = 2, value_parser = clap::value_parser!(u32).range(1..=60))]
    pub minutes: u32,
}
