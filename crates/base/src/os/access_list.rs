//! What a Windows access list lets others do, as a rule over what it says.

/// May make files in a folder ("File Access Rights Constants").
const ADD_FILE: u32 = 0x2;
/// May delete what a folder holds, whatever its own rights.
const DELETE_CHILD: u32 = 0x40;
/// May delete or rename the thing itself, change its list, or own it ("Standard Access Rights").
const DELETE: u32 = 0x1_0000;
const WRITE_LIST: u32 = 0x4_0000;
const WRITE_OWNER: u32 = 0x8_0000;
/// Rights in general ("Generic Access Rights").
const GENERIC_ALL: u32 = 0x1000_0000;
const GENERIC_WRITE: u32 = 0x4000_0000;

/// Identities that stand for every user or nearly every one ("Well-known SIDs"): everyone, whoever is logged on, whoever sits at
/// the machine, users, guests.
const EVERY_USER: [&str; 5] = ["S-1-1-0", "S-1-5-11", "S-1-5-4", "S-1-5-32-545", "S-1-5-32-546"];

/// Identities that are the system or its administrators: the system itself, administrators, and the installer of the system's
/// own parts. Who makes a thing and who owns it are told apart by its owner.
const ADMINISTRATORS: [&str; 5] = [
    "S-1-5-18",
    "S-1-5-32-544",
    "S-1-5-80-956008885-3418522649-1831038044-1853292631-2271478464",
    "S-1-3-0",
    "S-1-3-4",
];

/// What is done with a place, and so what nobody else may do to it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Part {
    /// Programs are run from it, or it is one.
    Place,
    /// It only lies on the way there.
    OnWay,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Allowed {
    /// Whom, as `S-1-…`.
    pub identity: String,
    /// What ("ACCESS_MASK").
    pub rights: u32,
}

/// Who owns a file or folder, and what its list allows. What is only handed on to what lies below is left out. An entry that
/// denies is not weighed against one that allows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AccessList {
    /// The owner, as `S-1-…`.
    pub owner: String,
    /// The entries; `None` where there is no list, which allows everything to everybody ("Null DACLs and Empty DACLs").
    pub allowed: Option<Vec<Allowed>>,
}

impl AccessList {
    /// Whether every user may put files there.
    pub fn lets_every_user_write(&self) -> bool {
        let is_every = |identity: &str| EVERY_USER.contains(&identity);
        self.lets(ADD_FILE | WRITE_LIST | WRITE_OWNER | GENERIC_WRITE | GENERIC_ALL, is_every)
    }

    /// Whether anybody who is neither an administrator nor one of `own` could put something else there.
    pub fn lets_others_change(&self, part: Part, own: &[String]) -> bool {
        let is_other = |identity: &str| !ADMINISTRATORS.contains(&identity) && !own.iter().any(|one| one == identity);
        let on_way = DELETE_CHILD | DELETE | WRITE_LIST | WRITE_OWNER | GENERIC_ALL;
        let rights = match part {
            Part::Place => on_way | ADD_FILE | GENERIC_WRITE,
            Part::OnWay => on_way,
        };
        is_other(&self.owner) || self.lets(rights, is_other)
    }

    fn lets(&self, rights: u32, is_meant: impl Fn(&str) -> bool) -> bool {
        self.allowed
            .as_ref()
            .is_none_or(|list| list.iter().any(|entry| entry.rights & rights != 0 && is_meant(&entry.identity)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const USER: &str = "S-1-5-21-1-2-3-1001";
    const FULL: u32 = 0x1f_01ff;
    const MODIFY: u32 = 0x13_01bf;
    const READ: u32 = 0x12_00a9;
    const APPEND: u32 = 0x4;

    #[test]
    fn only_administrators_may_change_what_is_for_everybody() {
        let [system, administrators, users, known] = ["S-1-5-18", "S-1-5-32-544", "S-1-5-32-545", "S-1-5-11"];
        let usual = [(system, FULL), (administrators, FULL), (users, READ)];
        for (owner, entries, others, every) in [
            (system, &usual[..], false, false),
            // A folder of one user's profile.
            (USER, &usual, true, false),
            (administrators, &[(administrators, FULL), (USER, MODIFY)], true, false),
            (administrators, &[(administrators, FULL), (users, MODIFY)], true, true),
            (administrators, &[(known, GENERIC_ALL)], true, true),
            // May make folders, as in the root of a disk, but no files.
            (system, &[(known, APPEND)], false, false),
        ] {
            let allowed =
                |(identity, rights): &(&str, u32)| Allowed { identity: (*identity).to_owned(), rights: *rights };
            let list = AccessList { owner: owner.to_owned(), allowed: Some(entries.iter().map(allowed).collect()) };
            assert_eq!(list.lets_others_change(Part::Place, &[]), others, "{list:?}");
            assert_eq!(list.lets_every_user_write(), every, "{list:?}");
            assert!(!list.lets_others_change(Part::Place, &[USER, users, known].map(str::to_owned)), "{list:?}");
        }
        let makes_files = Allowed { identity: known.to_owned(), rights: ADD_FILE };
        let list = AccessList { owner: system.to_owned(), allowed: Some(vec![makes_files]) };
        assert!(list.lets_others_change(Part::Place, &[]) && !list.lets_others_change(Part::OnWay, &[]));
        let none = AccessList { owner: system.to_owned(), allowed: None };
        assert!(none.lets_others_change(Part::OnWay, &[]) && none.lets_every_user_write());
    }
}
