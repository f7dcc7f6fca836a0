//! What Windows keeps environments in: places of registry keys, and their values read and written raw. All but the reading
//! itself is plain data, and tested everywhere.

mod app_path;
mod place;
mod previous;
mod value;

pub use app_path::app_path;
pub use place::{Hive, RegistryPlace, RegistryPlaces};
pub use previous::{PathBefore, Replaced};
pub use value::{RegistryKey, RegistryValue, ValueKind, same_name};
