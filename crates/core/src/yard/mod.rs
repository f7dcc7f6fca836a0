//! The yard: stock, cards, settings, and the lock that keeps two writers apart.

mod answers;
mod card;
mod error;
mod leftovers;
mod lock;
mod moved;
mod path_records;
mod place;
mod registered;
mod settings;
mod stock;
mod strays;
mod trial;

pub use answers::Answers;
pub use card::{Card, CardLayout, CardProbe, OtherSource, Registration, Requires, Source, StartupText, WrittenFile};
pub use error::YardError;
pub use lock::{YardLock, check_rights, clear_or_leave};
pub use path_records::{OwnEntry, Position};
pub use place::{Yard, list_own};
pub use registered::{Registered, ToolCompletion};
pub use settings::Settings;
pub use stock::{BrokenCard, Stock};
pub use strays::Strays;
pub use trial::{Left, LeftFile, Trial, TrialStep};
