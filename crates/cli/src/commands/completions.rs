//! `wyard completions SHELL`

use std::io::{self, Write as _};
use std::process::ExitCode;

use clap::CommandFactory as _;

use crate::args::Args;
use crate::failure::{Failure, OutputError};

/// Prints the completion script.
pub fn run(shell: clap_complete::Shell) -> Result<ExitCode, Failure> {
    let mut script = Vec::new();
    clap_complete::generate(shell, &mut Args::command(), "wyard", &mut script);
    io::stdout().write_all(&script).map_err(OutputError)?;
    Ok(ExitCode::SUCCESS)
}
