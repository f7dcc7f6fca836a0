//! `wyard receive FILE`

use std::path::{Path, PathBuf};
use std::process::ExitCode;

use wagon_yard_core::checksum::Trust;
use wagon_yard_core::download::{Address, DownloadError};
use wagon_yard_core::jobs::receive::{
    self, Effect, FinalCheck, Finish, FurtherArchive, InstallerOptions, Placement, Reading, ReceiveRequest,
    ReceiveSource, SameVersion, Service,
};
use wagon_yard_core::yard::CardProbe;

use super::words::words;
use crate::args::ReceiveArgs;
use crate::context::Context;
use crate::failure::{Failure, exit};
use crate::progress::Shown;
use crate::view;

pub fn run(args: ReceiveArgs, context: &Context) -> Result<ExitCode, Failure> {
    let installer = InstallerOptions {
        agreed: args.installer.yes,
        folder: args.installer.installer_folder,
        system_install: args.installer.system_install,
        watch: args.installer.watch,
        limit: args.installer.time_limit,
        arguments: args.installer.arguments,
    };
    let address = address(&args.file)?;
    let mut trust: Trust = args.checksums.into();
    let list_address = match &trust.list {
        Some(list) => self::address(list)?,
        None => None,
    };
    if list_address.is_some() {
        trust.list = None;
    }
    if let (Some(list), None) = (&list_address, &address) {
        let message = format!("{list} is an address, but the file is not; download the list");
        return Err(Failure::new(exit::CALL, message, None));
    }
    let further = |file: PathBuf| {
        let trust = Trust { list: trust.list.clone(), ..Trust::default() };
        Ok(FurtherArchive { address: self::address(&file)?, file, trust })
    };
    let with = args.with.into_iter().map(further).collect::<Result<_, Failure>>()?;
    let arguments = args.probe.as_deref().map(words).transpose()?;
    let probe = CardProbe { arguments, status: args.status, expect: None };
    let request = ReceiveRequest {
        source: ReceiveSource {
            file: args.file,
            address,
            list_address,
            keep_download: args.keep_download,
            trust,
            trusted: args.trusted,
            kind: args.kind.map(Into::into),
            with,
        },
        placement: Placement {
            home_variables: args.tool.home_variables(),
            scope: context.session.machine.scope,
            same_version: if args.replace { SameVersion::Replace } else { SameVersion::Refuse },
            service: if args.stay { Service::LeaveToOther } else { Service::Take },
            requires: args.requires.into(),
            probe: Some(probe).filter(|probe| *probe != CardProbe::default()),
            ..Placement::default()
        },
        reading: Reading {
            options: args.reading.into(),
            name: args.tool.name,
            version: args.tool.version,
            command_folders: args.tool.command_folders,
            foreign: args.foreign,
        },
        finish: Finish {
            effect: match (args.dry_run, args.or_undo) {
                (true, _) => Effect::Rehearse,
                (_, true) => Effect::KeepIfGood,
                _ => Effect::Keep,
            },
            check: if args.no_run { FinalCheck::WithoutStarting } else { FinalCheck::Whole },
        },
        installer,
    };
    context.report(&receive::run(&context.session, &request, &Shown::new(context))?, view::receive::write)
}

fn address(word: &Path) -> Result<Option<Address>, Failure> {
    match word.to_str().filter(|text| Address::is_meant(text)) {
        Some(text) => Ok(Some(Address::parse(text).map_err(DownloadError::from)?)),
        None => Ok(None),
    }
}
