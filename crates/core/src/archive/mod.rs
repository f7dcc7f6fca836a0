//! Archives: recognised by content, listed, and unpacked without ever leaving the folder they are unpacked into.

mod ahead;
mod bzip2_blocks;
mod collect;
mod compression;
mod deb;
mod entries;
mod error;
pub(crate) mod guard;
mod kinds;
mod limits;
mod links;
mod listing;
mod member;
mod rationed;
pub(crate) mod segment;
mod seven_zip;
mod single;
mod size;
mod source;
mod sparse;
mod spellings;
mod stream;
mod tar;
mod unpack;
mod write;
mod zip;

pub use collect::LeftOut;
pub use compression::Compression;
pub use error::ArchiveError;
pub use guard::DECODER_THREAD;
pub use kinds::Container;
pub use limits::{Limits, RATIO_FROM};
pub use listing::{Entry, EntryKind, Listing};
pub use member::{MemberError, MemberPath};
pub use source::{Format, Source, words};
pub use unpack::{Finish, Finished, Options, list, unpack};
