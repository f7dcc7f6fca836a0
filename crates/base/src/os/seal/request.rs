//! What the asking process tells the maker of a seal: fields, each ended by a zero byte, which none of them can hold.

use std::ffi::OsString;
use std::io::{self, Read, Write};
use std::path::PathBuf;

use super::super::terminal_context::TerminalContext;
use super::level::SealLevel;
use crate::os::byte_names::name_from_bytes;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Network {
    Open,
    Closed,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SealRequest {
    pub level: SealLevel,
    pub network: Network,
    pub folders: Vec<PathBuf>,
    /// Others in which it can write where the system allows that.
    pub places: Vec<PathBuf>,
    /// What is shown whatever lies beside it.
    pub named: Vec<PathBuf>,
    /// Files that other content stands in for, as programs.
    pub stand_ins: Vec<(PathBuf, Vec<u8>)>,
    pub program: PathBuf,
    pub called: OsString,
    pub arguments: Vec<OsString>,
    pub variables: Vec<(OsString, OsString)>,
    pub folder: PathBuf,
    /// What else it sees of the terminal that starts it.
    pub context: Option<TerminalContext>,
    /// The number of the process that asks: the names of its temporary folders hold it.
    pub asker: u32,
    /// The number of the descriptor at which the program is started a second time when that is asked for.
    pub second_terminal: Option<i32>,
}

impl SealRequest {
    pub fn write(&self, out: &mut impl Write) -> io::Result<()> {
        let mut bytes = Vec::new();
        let mut put = |field: &[u8]| {
            bytes.extend_from_slice(field);
            bytes.push(0);
        };
        put(self.level.name().as_bytes());
        put(if self.network == Network::Open { b"open" } else { b"closed" });
        put(self.program.as_os_str().as_encoded_bytes());
        put(self.called.as_encoded_bytes());
        put(self.folder.as_os_str().as_encoded_bytes());
        put(self.context.as_ref().map(TerminalContext::to_text).unwrap_or_default().as_bytes());
        put(self.asker.to_string().as_bytes());
        put(self.second_terminal.map(|number| number.to_string()).unwrap_or_default().as_bytes());
        put(self.folders.len().to_string().as_bytes());
        for folder in &self.folders {
            put(folder.as_os_str().as_encoded_bytes());
        }
        put(self.places.len().to_string().as_bytes());
        for place in &self.places {
            put(place.as_os_str().as_encoded_bytes());
        }
        put(self.named.len().to_string().as_bytes());
        for place in &self.named {
            put(place.as_os_str().as_encoded_bytes());
        }
        put(self.stand_ins.len().to_string().as_bytes());
        for (file, content) in &self.stand_ins {
            put(file.as_os_str().as_encoded_bytes());
            put(content);
        }
        put(self.arguments.len().to_string().as_bytes());
        for argument in &self.arguments {
            put(argument.as_encoded_bytes());
        }
        for (name, value) in &self.variables {
            put(name.as_encoded_bytes());
            put(value.as_encoded_bytes());
        }
        out.write_all(&(bytes.len() as u64).to_le_bytes())?;
        out.write_all(&bytes)
    }

    pub fn read(input: &mut impl Read) -> io::Result<Self> {
        let mut length = [0; 8];
        input.read_exact(&mut length)?;
        let mut bytes = Vec::new();
        input.take(u64::from_le_bytes(length)).read_to_end(&mut bytes)?;
        Self::parse(&bytes).ok_or_else(|| io::Error::from(io::ErrorKind::InvalidData))
    }

    fn parse(bytes: &[u8]) -> Option<Self> {
        let mut fields = bytes.strip_suffix(&[0])?.split(|byte| *byte == 0);
        let mut next = || fields.next().map(<[u8]>::to_vec);
        let name = |bytes: Vec<u8>| name_from_bytes(bytes);
        let text = |bytes: Vec<u8>| String::from_utf8(bytes).ok();
        let level = SealLevel::named(&text(next()?)?)?;
        let network = if next()? == b"open" { Network::Open } else { Network::Closed };
        let (program, called) = (name(next()?).into(), name(next()?));
        let folder = name(next()?).into();
        let context = TerminalContext::parse(&text(next()?)?);
        let asker = text(next()?)?.parse().ok()?;
        let second_terminal = text(next()?)?.parse().ok();
        let count = |next: &mut dyn FnMut() -> Option<Vec<u8>>| text(next()?)?.parse::<usize>().ok();
        let folders = (0..count(&mut next)?).map(|_| next().map(|f| name(f).into())).collect::<Option<_>>()?;
        let places = (0..count(&mut next)?).map(|_| next().map(|f| name(f).into())).collect::<Option<_>>()?;
        let named = (0..count(&mut next)?).map(|_| next().map(|f| name(f).into())).collect::<Option<_>>()?;
        let stand_ins = (0..count(&mut next)?).map(|_| Some((name(next()?).into(), next()?))).collect::<Option<_>>()?;
        let arguments = (0..count(&mut next)?).map(|_| next().map(name)).collect::<Option<_>>()?;
        let mut variables = Vec::new();
        while let Some(variable) = next() {
            variables.push((name(variable), name(next()?)));
        }
        Some(Self {
            level,
            network,
            folders,
            places,
            named,
            stand_ins,
            program,
            called,
            arguments,
            variables,
            folder,
            context,
            asker,
            second_terminal,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_is_read() {
        let request = SealRequest {
            level: SealLevel::NoWrites,
            network: Network::Closed,
            folders: vec!["/h".into(), "/a b".into()],
            places: vec!["/data".into()],
            named: vec!["/tmp/t".into()],
            stand_ins: vec![("/h/t".into(), b"#!/bin/sh\n".to_vec())],
            program: "/bin/sh".into(),
            called: "-sh".into(),
            arguments: vec!["-c".into(), "".into()],
            variables: vec![("A".into(), "".into()), ("B".into(), "x=y".into())],
            folder: "/h".into(),
            context: Some(TerminalContext { umask: 0o77, folder: b"/h".to_vec(), ..TerminalContext::default() }),
            asker: 7,
            second_terminal: Some(9),
        };
        let mut bytes = Vec::new();
        request.write(&mut bytes).unwrap();
        assert_eq!(SealRequest::read(&mut &bytes[..]).unwrap(), request);
        for cut in [0, 7, 8, bytes.len() - 1] {
            assert!(SealRequest::read(&mut &bytes[..cut]).is_err(), "{cut}");
        }
    }
}
