//! The job: lists or mends.

use super::list::list;
use super::mend::{mend, take_over};
use super::report::StockReport;
use crate::report::Report;
use crate::session::{JobError, Session};

/// What is asked of `stock`.
#[derive(Debug, Clone, Copy)]
pub enum StockRequest {
    List {
        /// Whether new terminals are asked what they run, and copies that are not the yard's for their version.
        asks: bool,
    },
    Mend {
        dry_run: bool,
    },
    /// That a copied or moved yard begins a history of its own.
    TakeOver {
        dry_run: bool,
    },
}

/// Lists or mends the stock. A card that cannot be read makes the list fail.
pub fn run(session: &Session, request: StockRequest) -> Result<Report<StockReport>, JobError> {
    match request {
        StockRequest::List { asks } => list(session, asks),
        StockRequest::TakeOver { dry_run } => Ok(Report::new(StockReport::Mended(take_over(session, dry_run)?))),
        StockRequest::Mend { dry_run } => Ok(Report::new(StockReport::Mended(mend(session, dry_run)?))),
    }
}
