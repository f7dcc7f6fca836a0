//! `wyard`: turns arguments into calls of the core, and the core's reports into text or JSON.

mod args;
mod commands;
mod context;
mod demo;
mod failure;
mod progress;
mod view;

use std::process::ExitCode;

use clap::Parser as _;

fn main() -> ExitCode {
    let args = args::Args::parse();
    let json = args.global.json;
    let result = context::Context::new(&args.global).and_then(|context| commands::run(args.command, &context));
    match result {
        Ok(code) => code,
        Err(failure) => failure.tell(json),
    }
}
