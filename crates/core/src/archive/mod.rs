//! Archives: recognised by content, listed, and unpacked without ever leaving the folder they are unpacked into.

mod entries;
mod error;
mod identify;
mod links;
mod listing;
mod member;
mod spellings;
mod tar;
mod unpack;
mod windows_names;
mod zip;

pub use error::ArchiveError;
pub use identify::{Compression, Container, Format, identify};
pub use listing::{Entry, EntryKind, Listing};
pub use member::{MemberError, MemberPath};
pub use unpack::{Finish, list, unpack};
pub use windows_names::WindowsNameError;
