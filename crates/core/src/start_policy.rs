//! What may be started to be asked for its version, and with which words: one rule for every system and every seal.
//!
//! In a seal that throws away what is written a program may be asked in any way; where it can write nothing, in no way that some
//! take for work to be done. Where nothing keeps it from the machine, only a tool's own files are started, with words that
//! no program takes for work, and never on behalf of a list.

use crate::process::SealLevel;
use crate::system::System;

/// Whose a program is, to whoever asks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Whose {
    Tool,
    /// Somebody else's, or one that only goes by the same name.
    Other,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Purpose {
    Proof,
    /// Somebody looks, and proves nothing by it.
    Listing,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Circumstances {
    pub seal: SealLevel,
    pub system: System,
    /// Whether what is started could do what an administrator can.
    pub is_elevated: bool,
    /// Whether the user has said that it may be started as it is.
    pub is_agreed: bool,
    /// Whether anything but its own name speaks for it: a published checksum, or that it was started before.
    pub is_vouched: bool,
}

/// Why a program is not started.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NotStarted {
    /// Nothing keeps it from the machine, and the user has not said that it may run so.
    NoSeal,
    /// Nothing keeps it from the machine, with an administrator's rights.
    Elevated,
    /// Nothing keeps it from the machine, and nothing vouches for it.
    Unvouched,
    /// It is somebody else's.
    Other,
}

impl NotStarted {
    /// Whether the user's word is all that is missing.
    pub fn can_be_agreed(self) -> bool {
        matches!(self, Self::Elevated | Self::Unvouched)
    }
}

pub type Forms = &'static [&'static [&'static str]];

/// The words tried, in the order of how little they can do.
const FORMS: [&[&str]; 6] = [&["--version"], &["-version"], &["version"], &["-V"], &["-v"], &[]];

/// The words that hardly any program takes for work to be done.
const CAREFUL: Forms = FORMS.split_at(4).0;

/// The words that no program takes for it.
const HARMLESS: Forms = FORMS.split_at(2).0;

/// With which words a program is asked, one after another.
pub fn forms(whose: Whose, purpose: Purpose, at: &Circumstances) -> Result<Forms, NotStarted> {
    match (at.seal, whose) {
        (SealLevel::Full | SealLevel::SharedProcesses, Whose::Tool) => return Ok(&FORMS),
        (SealLevel::NoWrites, Whose::Tool) => return Ok(CAREFUL),
        (SealLevel::Full | SealLevel::SharedProcesses | SealLevel::NoWrites, Whose::Other) => return Ok(HARMLESS),
        (SealLevel::None, Whose::Other) => return Err(NotStarted::Other),
        (SealLevel::None, Whose::Tool) => {}
    }
    match purpose {
        Purpose::Listing => Err(NotStarted::NoSeal),
        Purpose::Proof if at.is_agreed => Ok(HARMLESS),
        // There a seal is what was promised, and its absence a surprise.
        Purpose::Proof if at.system == System::Unix => Err(NotStarted::NoSeal),
        Purpose::Proof if at.is_elevated => Err(NotStarted::Elevated),
        Purpose::Proof if !at.is_vouched => Err(NotStarted::Unvouched),
        Purpose::Proof => Ok(HARMLESS),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SEALED: [SealLevel; 3] = [SealLevel::Full, SealLevel::SharedProcesses, SealLevel::NoWrites];

    fn all() -> impl Iterator<Item = Circumstances> {
        let bits = (0..8).flat_map(|bits| [System::Unix, System::Windows].map(|system| (bits, system)));
        bits.flat_map(|(bits, system)| {
            SealLevel::ALL.map(|seal| Circumstances {
                seal,
                system,
                is_elevated: bits & 1 != 0,
                is_agreed: bits & 2 != 0,
                is_vouched: bits & 4 != 0,
            })
        })
    }

    #[test]
    fn nothing_runs_without_words_where_nothing_holds_it() {
        for at in all() {
            for (whose, purpose) in [
                (Whose::Tool, Purpose::Proof),
                (Whose::Tool, Purpose::Listing),
                (Whose::Other, Purpose::Proof),
                (Whose::Other, Purpose::Listing),
            ] {
                let forms = forms(whose, purpose, &at);
                let is_sealed = SEALED.contains(&at.seal);
                assert_eq!(is_sealed, is_sealed && forms.is_ok(), "{at:?}");
                if !is_sealed {
                    let may = whose == Whose::Tool && purpose == Purpose::Proof;
                    let is_asked_for = at.is_agreed || at.system == System::Windows && !at.is_elevated && at.is_vouched;
                    assert_eq!(forms.is_ok(), may && is_asked_for, "{whose:?} {purpose:?} {at:?}");
                }
                let most: Forms = match (at.seal, whose) {
                    (SealLevel::Full | SealLevel::SharedProcesses, Whose::Tool) => &FORMS,
                    (SealLevel::NoWrites, Whose::Tool) => CAREFUL,
                    _ => HARMLESS,
                };
                assert!(forms.is_err() || forms == Ok(most), "{whose:?} {purpose:?} {at:?}");
            }
        }
        assert_eq!(HARMLESS, [&["--version"][..], &["-version"]]);
        assert!(CAREFUL.iter().all(|words| !words.is_empty()));
    }

    #[test]
    fn the_reason_is_the_one_that_can_be_helped() {
        let at = Circumstances {
            seal: SealLevel::None,
            system: System::Windows,
            is_elevated: true,
            is_agreed: false,
            is_vouched: false,
        };
        let of = |at: &Circumstances| forms(Whose::Tool, Purpose::Proof, at);
        assert_eq!(of(&at), Err(NotStarted::Elevated));
        assert_eq!(of(&Circumstances { is_elevated: false, ..at }), Err(NotStarted::Unvouched));
        assert_eq!(of(&Circumstances { system: System::Unix, ..at }), Err(NotStarted::NoSeal));
        assert_eq!(
            forms(Whose::Other, Purpose::Proof, &Circumstances { is_agreed: true, ..at }),
            Err(NotStarted::Other)
        );
        let can_be = [NotStarted::NoSeal, NotStarted::Elevated, NotStarted::Unvouched, NotStarted::Other];
        assert_eq!(can_be.map(NotStarted::can_be_agreed), [false, true, true, false]);
    }
}
