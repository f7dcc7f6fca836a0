//! Why a tool could not be received.

use std::error::Error;
use std::path::PathBuf;

use crate::error::{ErrorClass, classified};
use crate::naming::{NameError, ToolName, Version};
use crate::path_list::EntryError;
use crate::session::JobError;

#[derive(Debug, thiserror::Error)]
pub enum ReceiveError {
    #[error("{command} cannot run here: {why}; nothing was changed")]
    CannotRun { command: String, why: String, remedy: String },
    /// A further archive has another file in the place of one of the tool.
    #[error("{}: contains another {}", file.display(), place.display())]
    Clash { file: PathBuf, place: PathBuf },
    #[error("no variable can be set to the tool's root")]
    HomeVariable(#[source] NameError),
    #[error("{name}@{version} is already in the yard")]
    Present { name: ToolName, version: Version, registered: bool },
    /// The yard lies where no PATH entry can point to.
    #[error("the yard cannot be at {}", yard.display())]
    YardPlace {
        yard: PathBuf,
        #[source]
        source: EntryError,
    },
    /// Options were given for an installer, and it is none.
    #[error("{} is not an installer; not applicable: {given}", file.display())]
    NotForProgram { file: PathBuf, given: String },
    /// Options were given for an archive or a program, and it is an installer.
    #[error("{} is an installer; not applicable: {given}", file.display())]
    NotForInstaller { file: PathBuf, given: String },
    #[error("cannot tell whether {} is a program or an installer", .0.display())]
    Unclear(PathBuf),
    /// An installer needs a yes, and nobody can give one.
    #[error("running an installer needs confirmation, but there is no terminal")]
    NobodyToAsk,
    #[error("not run; nothing was changed")]
    NotAgreed,
    /// The check was not good, and what was done could not be taken back.
    #[error("the check failed, and the change could not be undone")]
    NotUndone {
        class: ErrorClass,
        next: Option<String>,
        #[source]
        source: Box<dyn Error + Send + Sync>,
    },
    /// The user asked to stop when only the check was left.
    #[error("interrupted; {name} {version} is registered, but not yet checked")]
    CheckInterrupted { name: ToolName, version: Version },
}

classified!(ReceiveError {
    Self::Clash { .. } => Input, "nothing was changed; check that both archives are of the same version";
    Self::HomeVariable(_) => Call, "use --home-variable X or --no-home-variable";
    Self::Present { name, version, registered: false } => Input, format!(
        "it is not registered; to register it: wyard register {name}@{version}; to replace it: --replace"
    );
    Self::Present { name, version, .. } =>
        Input, format!("to check it: wyard check {name}@{version}; to replace it: --replace");
    Self::YardPlace { .. } => Call, "choose another folder with --yard DIR";
    Self::NotForProgram { given, .. } | Self::NotForInstaller { given, .. } => Call, format!("remove {given}");
    Self::CannotRun { remedy, .. } => Input, format!("{remedy}, or use --foreign to accept it anyway");
    Self::Unclear(_) => Call, "use --kind program to add it to the stock, or --kind installer to run it";
    Self::NobodyToAsk => Call, "pass --yes";
    Self::CheckInterrupted { name, .. } => Interrupted, format!("to check it: wyard check {name}");
    Self::NotAgreed => Call;
    Self::NotUndone { class, next, .. } => *class, next.clone();
});

impl ReceiveError {
    pub(super) fn not_undone(why: JobError) -> Self {
        let (class, next) = (why.error().class(), why.error().hint());
        Self::NotUndone { class, next, source: why.into_source() }
    }
}
