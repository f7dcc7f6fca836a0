//! Archives that want out.

use std::fs;

use crate::archives::script;
use crate::home::{Home, WINDOWS, program};

/// Adds an entry to a tar, with the name's bytes as they are: the crate's own setters refuse hostile names.
fn add(tar: &mut tar::Builder<Vec<u8>>, kind: tar::EntryType, name: &str, link: &str, content: &str) {
    let mut header = tar::Header::new_gnu();
    header.as_gnu_mut().unwrap().name[..name.len()].copy_from_slice(name.as_bytes());
    header.as_gnu_mut().unwrap().linkname[..link.len()].copy_from_slice(link.as_bytes());
    header.set_entry_type(kind);
    header.set_mode(0o6777);
    header.set_size(content.len() as u64);
    header.set_cksum();
    tar.append(&header, content.as_bytes()).unwrap();
}

#[test]
fn nothing_leaves_the_yard_whatever_the_archive_says() {
    use tar::EntryType as T;
    // What is in the archive beside a proper program, and what the refusal says.
    type Case<'a> = (&'a [(T, &'a str, &'a str)], &'a str);
    let cases: [Case; 14] = [
        (&[(T::Regular, "../out", "")], "climbs out"),
        (&[(T::Regular, "w/../../out", "")], "climbs out"),
        (&[(T::Regular, "/tmp/wyard-out", "")], "absolute"),
        (&[(T::Regular, "C:\\out", "")], "absolute"),
        (&[(T::Symlink, "w/l", "/etc/passwd")], "leads out"),
        (&[(T::Symlink, "w/l", "../../out")], "leads out"),
        (&[(T::Symlink, "w/a/b/p", "../.."), (T::Symlink, "w/q", "a/b/p/../../x")], "leads out"),
        (&[(T::Symlink, "w/d", "."), (T::Regular, "w/d/f", "")], "through the link"),
        (&[(T::Symlink, "w/d", "../.."), (T::Regular, "w/d/out", "")], "link"),
        (&[(T::Link, "w/h", "/etc/passwd")], "hard link"),
        (&[(T::Link, "w/h", "../out")], "hard link"),
        (&[(T::Fifo, "w/pipe", "")], "special file"),
        (&[(T::Char, "w/device", "")], "special file"),
        (&[(T::Regular, if WINDOWS { "w/bin/t.cmd/x" } else { "w/bin/t/x" }, "")], "twice"),
    ];
    for (entries, says) in cases {
        let home = Home::new();
        let mut tar = tar::Builder::new(Vec::new());
        add(&mut tar, T::Regular, &format!("w/bin/{}", program("t")), "", &script("1.0"));
        for (kind, name, link) in entries {
            add(&mut tar, *kind, name, link, "");
        }
        let archive = home.write("t-1.0.tar", tar.into_inner().unwrap());
        let outside = fs::read_dir(home.path("")).unwrap().count();
        home.wyard(&["receive", archive.to_str().unwrap()]).ends(3).says(says);
        assert!(!home.yard().join("stock").exists(), "{entries:?}");
        assert!(fs::read_dir(home.yard().join("staging")).unwrap().next().is_none(), "{entries:?}");
        assert_eq!(fs::read_dir(home.path("")).unwrap().count(), outside, "{entries:?}");
        assert!(!std::path::Path::new("/tmp/wyard-out").exists());
        home.wyard(&["receive", archive.to_str().unwrap(), "--dry-run"]).ends(3).says(says);
    }
}

#[test]
fn what_is_odd_but_right_is_unpacked() {
    use tar::EntryType as T;
    let home = Home::new();
    let mut tar = tar::Builder::new(Vec::new());
    let (t, u, twin) = (program("t"), program("u"), program("twin"));
    let library = format!("t-1.0/lib/{t}");
    add(&mut tar, T::XGlobalHeader, "pax_global_header", "", "20 comment=made up\n\n");
    add(&mut tar, T::Regular, &library, "", "an older copy");
    add(&mut tar, T::Regular, &library, "", &script("1.0"));
    add(&mut tar, T::Symlink, &format!("t-1.0/bin/{t}"), &format!("../lib/{t}"), "");
    add(&mut tar, T::Symlink, &format!("t-1.0/bin/{u}"), &t, "");
    add(&mut tar, T::Link, &format!("t-1.0/bin/{twin}"), &library, "");
    let archive = home.write("t-1.0.tar", tar.into_inner().unwrap());
    let ran = home.wyard(&["receive", archive.to_str().unwrap()]).ends(0);
    let bin = home.yard().join("stock").join("t").join("1.0").join("bin");
    match fs::read_link(bin.join(&t)) {
        Ok(target) => assert_eq!(target.to_str(), Some("../lib/t")),
        Err(_) => drop(ran.says("2 links of the archive became copies").says("links-copied")),
    }
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt as _;
        let mode = fs::metadata(bin.join(&twin)).unwrap().permissions().mode();
        assert_eq!(mode & 0o7777, 0o755, "set-id bits and the right of others to write are dropped");
    }
    assert_eq!(["t", "u", "twin"].map(|name| home.fresh(name)), ["t 1.0\n", "u 1.0\n", "twin 1.0\n"]);
}
