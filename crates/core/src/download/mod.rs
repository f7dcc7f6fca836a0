//! Downloads over http and https: resumed where they broke off, tried again, never less secure than they began.

mod address;
mod error;
mod fetch;
mod headers;
mod kept;
mod proxy;
mod transport;

pub use address::{Address, AddressError};
pub use error::DownloadError;
pub use fetch::{Fetched, fetch};
pub use kept::{Download, Downloads};
pub use transport::Transport;
