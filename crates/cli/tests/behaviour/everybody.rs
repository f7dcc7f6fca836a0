//! The system's scope on Unix: a yard for everybody, and the system's own startup files. The test sees a copy of `/etc`
//! and an empty `/opt`, which go with it.

use std::process::Command;

use wagon_yard_core::os;

use crate::archives::{script, tidelog};
use crate::home::{Home, Ran, WINDOWS, have};

/// Runs a script of bash as the superuser in a mount namespace of its own, with `wyard`, `$ARCHIVE` and `$HERE`.
fn apart(home: &Home, script: &str) -> Option<Ran> {
    if WINDOWS || !have("unshare") {
        return None;
    }
    let may_mount = Command::new("unshare").args(["-m", "true"]).output().is_ok_and(|output| output.status.success());
    if !os::is_superuser() || !may_mount {
        assert!(
            !os::is_superuser() || std::env::var_os("CI").is_none(),
            "no namespaces of mounts, and CI may skip nothing"
        );
        eprintln!("skipped: only a superuser who may mount has namespaces of mounts");
        return None;
    }
    let prelude = format!(
        "set -e; program={0}; wyard() {{ $program \"$@\"; }}; mkdir -p etc work opt
         mount -t overlay overlay -o lowerdir=/etc,upperdir=$HERE/etc,workdir=$HERE/work /etc
         mount -t tmpfs none /opt
         tree() {{ find /etc -xdev \\( -type f -o -type l \\) -printf '%p %m %u %l ' -exec sha256sum {{}} \\; 2>/dev/null | sort; }}\n",
        env!("CARGO_BIN_EXE_wyard")
    );
    let mut command = Command::new("unshare");
    command.args(["-m", "bash", "-c", &format!("{prelude}{script}")]).env_clear();
    // An overlay cannot lie on another one.
    let place = tempfile::tempdir_in("/dev/shm").unwrap();
    command.env("HOME", home.path("home")).env("PATH", "/usr/sbin:/usr/bin:/sbin:/bin").env("HERE", place.path());
    command.env("ARCHIVE", tidelog(home, "4.2.1")).current_dir(place.path());
    Some(Ran::from(command.output().unwrap()))
}

#[test]
fn everybodys_terminals_get_the_tool_and_lose_it_again() {
    let home = Home::new();
    let ways = ["sh -lc", "bash -lc", "bash -ic", "zsh -lc", "zsh -ic", "fish -c", "tcsh -c", "ksh -lc", "ksh -ic"];
    let asked = ways.iter().filter(|way| WINDOWS || have(way.split(' ').next().unwrap()));
    let asked: Vec<String> = asked.map(|way| format!("\"{way}\"")).collect();
    let script = r#"
        tree > before
        wyard receive "$ARCHIVE" --scope system --quiet > received || { cat received; exit 9; }
        test ! -e "$HOME/.local" && test ! -e "$HOME/.bashrc"
        test -r /etc/profile.d/zz-wagon-yard.sh
        find /opt /etc -newer before ! -user root | grep . && exit 8
        # Somebody else, in a home of his own.
        mkdir -m 755 /opt/nobody; chown 65534 /opt/nobody
        for shell in SHELLS; do
            said=$(setpriv --reuid 65534 --clear-groups env -i HOME=/opt/nobody PATH=/usr/bin:/bin TERM=dumb HISTFILE= $shell 'tidelog; echo $TIDELOG_HOME' 2>/dev/null)
            test "$said" = "tidelog 4.2.1
/opt/wagon-yard/stock/tidelog/4.2.1" || { echo "$shell: $said"; exit 7; }
        done
        wyard --scope system check > checked || { cat checked; exit 6; }
        wyard --scope system history | grep -q 'receive tidelog'
        wyard --scope system undo > undone
        tree > after
        diff before after || exit 5
        wyard --scope system stock --no-run
    "#;
    if let Some(ran) = apart(&home, &script.replace("SHELLS", &asked.join(" "))) {
        ran.ends(0).says("/opt/wagon-yard").says("No tools yet");
    }
}

#[test]
fn whose_files_they_are_is_looked_at_first() {
    let home = Home::new();
    let script = r#"
        # The superuser does not write into somebody else's home.
        mkdir -m 755 /opt/nobody; chown 65534 /opt/nobody
        # Nor does it put a folder of somebody else into everybody's PATH.
        mkdir -p -m 755 /opt/other/bin; cp /bin/true /opt/other/bin/zed; chown 1234 /opt/other
        wyard --scope system path add /opt/other/bin 2> said && exit 20
        grep -q '/opt/other is owned or writable by another user' said || { cat said; exit 21; }
        wyard --scope system path add /opt/other/bin --trust-folder > said || true
        grep -q 'add /opt/other/bin' said || { cat said; exit 22; }
        wyard --scope system undo > said
        HOME=/opt/nobody wyard receive "$ARCHIVE" 2> said && exit 9
        grep -q 'is owned by another user' said && grep -q -e '--scope system' said
        test -z "$(ls -A /opt/nobody)"
        # With an elevation tool that hands on the home, the system's scope leaves that alone too.
        HOME=/opt/nobody wyard receive "$ARCHIVE" --scope system --quiet > received || { cat received; exit 8; }
        test -z "$(ls -A /opt/nobody)"
    "#;
    if let Some(ran) = apart(&home, script) {
        ran.ends(0);
    }
    if !WINDOWS {
        os::set_folder_mode(&home.path(""), 0o755).unwrap();
        let ran = home.as_user(&["receive", &tidelog(&home, "4.2.1"), "--scope", "system"]).ends(4);
        ran.says("administrator rights").says("run it as an administrator");
    }
}

#[test]
fn a_package_can_be_handed_to_the_system() {
    if WINDOWS || !have("dpkg-deb") {
        return;
    }
    let home = Home::new();
    home.write("pack/DEBIAN/control", "Package: neapctl\nVersion: 1.2\nArchitecture: all\nMaintainer: Brackwater Tide Office <office@tide.example>\nDescription: made up\n");
    let program = home.write("pack/usr/bin/neapctl", script("1.2"));
    os::set_mode(&std::fs::File::open(program).unwrap(), 0o755).unwrap();
    let package = home.path("neapctl_1.2_all.deb").to_str().unwrap().to_owned();
    let packed =
        Command::new("dpkg-deb").args(["--root-owner-group", "-b"]).arg(home.path("pack")).arg(&package).output();
    assert!(packed.unwrap().status.success());
    os::set_folder_mode(&home.path(""), 0o755).unwrap();
    let refused = home.as_user(&["receive", &package, "--system-install", "--dry-run"]).ends(4);
    let refused = refused.says("requires administrator rights; nothing was run").says("run it elevated");
    refused.says("--system-install --dry-run");
    let script = format!(
        r#"
        for folder in usr var; do
            mkdir $folder $folder-work
            mount -t overlay overlay -o lowerdir=/$folder,upperdir=$HERE/$folder,workdir=$HERE/$folder-work /$folder
        done
        wyard receive {package} --system-install --yes > said 2>&1 || {{ cat said; exit 9; }}
        grep -q '/usr/bin/neapctl' said || {{ cat said; exit 8; }}
        bash -lc neapctl
        "#
    );
    if let Some(ran) = apart(&home, &script) {
        ran.ends(0).says("neapctl 1.2");
    }
}

/// A user namespace cannot put one layer over a folder with mounts in it (mount_namespaces(7)).
#[test]
fn what_is_named_is_seen_among_many_things_and_a_disk() {
    let home = Home::new();
    let script = r#"
        mkdir -m 1777 /opt/t && mkdir /opt/t/disk && mount -t tmpfs none /opt/t/disk
        for number in $(seq 200); do mkdir /opt/t/folder$number; : > /opt/t/file$number; done
        mkdir -m 755 /opt/user /opt/old; chown 1234 /opt/user
        printf '#!/bin/sh\necho tidelog 3.9\n' > /opt/old/tidelog; chmod 755 /opt/old/tidelog
        user() { setpriv --reuid 1234 --clear-groups env -i HOME=/opt/user SHELL=/bin/bash TMPDIR=/opt/t PATH=/usr/bin:/bin "$@"; }
        for number in 1 100 200; do
            place=/opt/t/folder$number/tidelog-4.2.1; mkdir -p $place/bin
            sed s/3.9/4.2.1/ /opt/old/tidelog > $place/bin/tidelog; chmod 755 $place/bin/tidelog
            user $program adopt $place > said || { cat said; exit 9; }
            for condition in "-e /opt/t/file$number" '-d "${TMPDIR:-/opt/t}"/folder'$number "-x /opt/t/folder$number/tidelog-4.2.1/bin"; do
                user $program check > said || { cat said; exit 8; }
                cp /opt/user/.bashrc kept
                echo "[ $condition ] && PATH=/opt/old:\$PATH" >> /opt/user/.bashrc
                user $program check > said && { echo "$condition"; cat said; exit 7; }
                grep -q shadowed said || { cat said; exit 6; }
                cp kept /opt/user/.bashrc
            done
            user $program undo > said
        done
    "#;
    if let Some(ran) = apart(&home, script) {
        ran.ends(0);
    }
}
