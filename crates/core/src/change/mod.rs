//! Changes: elementary operations, the ledger they are written into before they are made, and what takes them back. This is
//! the one way to change anything: what will be done, and what was there before, is on the disk first; what was broken off is
//! taken back by whoever comes next.

mod block;
mod carry_out;
mod content;
mod error;
mod executor;
mod fault;
mod ledger;
mod moving;
mod operation;
mod records;
mod strange;
mod undo;

pub use block::{BLOCK_BEGINS, BLOCK_ENDS, block_put, block_taken};
pub use carry_out::{Change, Settled};
pub use content::{Content, Recorded};
pub use error::LedgerError;
pub use ledger::Ledger;
pub use operation::{Changeset, Operation, Role, StoredValue};
pub use records::{LedgerContents, Record, State};
pub use undo::{ChangedSince, list_back, list_value_back, table_back, values_back};
