//! `wyard explain CODE`

use std::process::ExitCode;

use wagon_yard_core::finding::{Code, Explanation};

use crate::args::ExplainArgs;
use crate::context::Context;
use crate::failure::{Failure, exit};
use crate::view;

/// Explains a finding.
pub fn run(args: &ExplainArgs, context: &Context) -> Result<ExitCode, Failure> {
    let Some(code) = Code::ALL.iter().find(|code| code.as_str() == args.code) else {
        let all: Vec<&str> = Code::ALL.iter().map(|code| code.as_str()).collect();
        let next = format!("findings are: {}", all.join(", "));
        return Err(Failure::new(exit::CALL, format!("there is no finding called \"{}\"", args.code), Some(&next)));
    };
    context.report(&Explanation::of(*code), view::explain::write)?;
    Ok(ExitCode::SUCCESS)
}
