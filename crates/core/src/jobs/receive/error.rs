//! Why a tool could not be received.

use std::path::PathBuf;

use crate::archive::ArchiveError;
use crate::change::LedgerError;
use crate::check::CheckError;
use crate::checksum::{PublishedError, TrustError};
use crate::download::DownloadError;
use crate::error::{FileError, classified};
use crate::installer::InstallError;
use crate::jobs::adopt::AdoptError;
use crate::jobs::tool_names::NotGuessed;
use crate::jobs::undo::UndoError;
use crate::layout::LayoutError;
use crate::naming::{NameError, ToolName, Version};
use crate::path_list::EntryError;
use crate::prepare::PrepareError;
use crate::registration::RegistrationError;
use crate::session::{SessionError, meets_session};
use crate::yard::YardError;

#[derive(Debug, thiserror::Error)]
pub enum ReceiveError {
    #[error(transparent)]
    Archive(#[from] ArchiveError),
    #[error(transparent)]
    Download(#[from] DownloadError),
    #[error(transparent)]
    Trust(#[from] TrustError),
    #[error(transparent)]
    Layout(#[from] LayoutError),
    #[error("{command} cannot run here: {why}; nothing was changed")]
    CannotRun { command: String, why: String, remedy: String },
    #[error(transparent)]
    Prepare(#[from] PrepareError),
    /// A further archive has another file in the place of one of the tool.
    #[error("{}: contains another {}", file.display(), place.display())]
    Clash {
        file: PathBuf,
        /// The place in the tool.
        place: PathBuf,
    },
    #[error(transparent)]
    NotGuessed(#[from] NotGuessed),
    /// The usual home variable cannot be made of the name.
    #[error("cannot derive a home variable from the tool's name")]
    HomeVariable(#[source] NameError),
    #[error("{name}@{version} is already in the yard")]
    Present {
        name: ToolName,
        version: Version,
        /// Whether new terminals are to have it.
        registered: bool,
    },
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
    #[error(transparent)]
    Install(#[from] InstallError),
    /// What an installer left could not be taken on record, since the work was broken off.
    #[error(transparent)]
    Adopt(Box<AdoptError>),
    /// The check was not good, and what was done could not be taken back.
    #[error("the check failed, and the change could not be undone")]
    NotUndone { source: Box<UndoError> },
    #[error(transparent)]
    Check(#[from] CheckError),
    /// The user asked to stop when only the check was left.
    #[error("interrupted; {name} {version} is registered, but not yet checked")]
    CheckInterrupted { name: ToolName, version: Version },
    #[error(transparent)]
    Session(#[from] SessionError),
}

meets_session!(ReceiveError: FileError, YardError, LedgerError, RegistrationError);

impl From<PublishedError> for ReceiveError {
    fn from(error: PublishedError) -> Self {
        Self::Trust(error.into())
    }
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
    Self::NotUndone { source } => source.class(), source.hint();
} from Archive, Download, Trust, Prepare, Layout, NotGuessed, Install, Adopt, Check, Session);
