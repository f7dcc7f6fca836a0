//! Names of what lies in the folder for temporary files.

/// What the names of the temporary folders of a process of this program begin with.
pub fn temporary_name(process: u32) -> String {
    format!("wyard-{process}-")
}
