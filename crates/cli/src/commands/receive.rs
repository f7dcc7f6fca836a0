//! `wyard receive FILE`

use std::path::{Path, PathBuf};
use std::process::ExitCode;

use wagon_yard_core::checksum::Trust;
use wagon_yard_core::download::{Address, DownloadError};
use wagon_yard_core::jobs::receive::{self, FurtherArchive, InstallerOptions, ReceiveRequest};
use wagon_yard_core::yard::CardProbe;

use super::words;
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
        file: args.file,
        address,
        list_address,
        with,
        keep_download: args.keep_download,
        trust,
        options: args.reading.into(),
        home_variables: args.tool.home_variables(),
        name: args.tool.name,
        version: args.tool.version,
        command_folders: args.tool.command_folders,
        scope: context.session.machine.scope,
        requires: args.requires.into(),
        trusted: args.trusted,
        foreign: args.foreign,
        replace: args.replace,
        stay: args.stay,
        or_undo: args.or_undo,
        dry_run: args.dry_run,
        no_run: args.no_run,
        probe: Some(probe).filter(|probe| *probe != CardProbe::default()),
        kind: args.kind.map(Into::into),
        installer,
        ..ReceiveRequest::default()
    };
    context.report(&receive::run(&context.session, &request, &Shown::new(context))?, view::receive::write)
}

fn address(word: &Path) -> Result<Option<Address>, Failure> {
    match word.to_str().filter(|text| Address::is_meant(text)) {
        Some(text) => Ok(Some(Address::parse(text).map_err(DownloadError::from)?)),
        None => Ok(None),
    }
}
