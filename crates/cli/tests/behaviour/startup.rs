//! Startup files: every kind of home, every shell, every way of opening a terminal.

use std::fs;
use std::path::{Path, PathBuf};

use wagon_yard_core::os;

use crate::archives::tidelog;
use crate::home::{Home, have, have_layers, try_each};

/// A home as somebody may have it: a name, the shells in it, and how to set it up.
type Case = (&'static str, &'static [&'static str], fn(&mut Home));

const CASES: &[Case] = &[
    ("bare, bash", &["bash"], |_| {}),
    ("bare, zsh", &["zsh"], |_| {}),
    ("bare, fish", &["fish"], |_| {}),
    ("bare, dash", &["dash"], |_| {}),
    ("bare, ksh", &["ksh"], |_| {}),
    ("bare, tcsh", &["tcsh"], |_| {}),
    (".kshrc and .login that put an old copy first", &["ksh", "tcsh"], |h| {
        old_copy(h);
        h.write("home/.kshrc", "PATH=\"$HOME/old:$PATH\"\n");
        h.write("home/.tcshrc", "setenv PATH ${HOME}/old:${PATH}\nalias x y");
        h.write("home/.login", "setenv PATH ${HOME}/old:${PATH}\n");
        h.write("home/.cshrc", "echo not read\n");
    }),
    (".bashrc that returns early", &["bash"], |h| {
        h.write("home/.bashrc", "case $- in *i*) ;; *) return ;; esac\nalias ll='ls -l'\n");
        h.write("home/.profile", "[ -n \"$BASH_VERSION\" ] && . \"$HOME/.bashrc\"\n");
    }),
    (".profile that reads .bashrc", &["bash", "dash"], |h| {
        h.write("home/.bashrc", "PS1='> '\n");
        h.write(
            "home/.profile",
            "if [ -n \"$BASH_VERSION\" ]; then . \"$HOME/.bashrc\"; fi\nPATH=\"$HOME/bin:$PATH\"\n",
        );
    }),
    (".bash_profile beside .profile", &["bash", "dash"], |h| {
        h.write("home/.bash_profile", "export EDITOR=ed\n");
        h.write("home/.profile", "export PAGER=more\n");
    }),
    (".bash_login only", &["bash"], |h| {
        h.write("home/.bash_login", "export EDITOR=ed\n");
    }),
    ("a broken link as .bash_profile", &["bash"], |h| {
        os::make_link(Path::new("nowhere"), &h.path("home/.bash_profile")).unwrap();
        h.write("home/.profile", "export EDITOR=ed\n");
    }),
    (".zshrc that is a link", &["zsh"], |h| {
        h.write("home/dotfiles/zshrc", "setopt autocd");
        os::make_link(Path::new("dotfiles/zshrc"), &h.path("home/.zshrc")).unwrap();
    }),
    ("CRLF and no final line ending", &["bash"], |h| {
        h.write("home/.bashrc", "export A=1\r\nexport B=2\r\nexport C=3");
        h.write("home/.profile", &b"# not utf-8: \xe4\xff\n"[..]);
    }),
    ("ZDOTDIR set in .zshenv", &["zsh"], |h| {
        h.write("home/.zshenv", "export ZDOTDIR=\"$HOME/my zsh\"\n");
        h.write("home/my zsh/.zshrc", "alias x=y\n");
    }),
    ("ZDOTDIR in the session", &["zsh"], |h| {
        fs::create_dir(h.path("home/z")).unwrap();
        h.variables.insert("ZDOTDIR".into(), h.path("home/z").to_str().unwrap().into());
    }),
    ("zsh that gives the old path the last word", &["zsh"], |h| {
        h.write("home/.zlogin", "export PATH=/usr/bin:$PATH\n");
        h.write("home/.zshrc", "setopt sh_word_split ksh_arrays nounset noclobber\n");
    }),
    ("XDG_CONFIG_HOME in the session", &["fish"], |h| {
        h.variables.insert("XDG_CONFIG_HOME".into(), h.path("home/conf").to_str().unwrap().into());
        h.write("home/conf/fish/config.fish", "set -g x 1");
    }),
    ("a file named by ENV that puts an old copy first", &["dash"], |h| {
        let shrc = h.write("home/.shrc", "PATH=\"$HOME/old:$PATH\"\n");
        old_copy(h);
        h.write("home/.profile", format!("export ENV='{}'\n", shrc.display()));
    }),
    ("startup files that print, fail, and want input", &["bash", "zsh", "fish"], |h| {
        let noise = "echo welcome; printf 'no end'; false\nread -r answer\nread -r more </dev/tty\nset -u\n";
        h.write("home/.bashrc", noise);
        h.write("home/.profile", noise);
        h.write("home/.zshrc", noise);
        h.write("home/.config/fish/config.fish", "echo welcome\nread answer\nfalse\n");
    }),
    ("an older copy put first by hand", &["bash", "zsh", "fish", "dash"], |h| {
        old_copy(h);
        for name in [".profile", ".bashrc", ".zprofile", ".zshrc"] {
            h.write(&format!("home/{name}"), "export PATH=\"$HOME/old:$PATH\"\n");
        }
        h.write("home/.config/fish/config.fish", "set -gx PATH $HOME/old $PATH\n");
    }),
];

fn old_copy(home: &Home) {
    let old = home.write("home/old/tidelog", "#!/bin/sh\necho tidelog 3.9\n");
    os::set_folder_mode(&old, 0o755).unwrap();
}

#[test]
#[cfg_attr(windows, ignore = "Windows has no startup files")]
fn every_new_terminal_runs_the_command_and_unregister_leaves_no_trace() {
    if !have_layers() {
        return;
    }
    for (name, shells, set_up) in CASES {
        if !shells.iter().all(|s| have(s)) {
            continue;
        }
        let mut home = Home::with(shells);
        set_up(&mut home);
        let before = home.files();
        let ran = home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--json"]);
        assert_eq!(ran.code, 0, "{name}\n{}\n{}", ran.out, ran.err);
        assert_eq!(ran.json()["verdict"], "good", "{name}");
        for shell in *shells {
            for mode in Home::modes(shell) {
                let seen = home.terminal(shell, mode, "tidelog --version; echo home=$TIDELOG_HOME");
                assert!(seen.contains("tidelog 4.2.1\n"), "{name}: {shell} {mode}: {seen}");
                let stock = home.yard().join("stock/tidelog/4.2.1");
                assert!(seen.contains(&format!("home={}", stock.display())), "{name}: {shell} {mode}: {seen}");
            }
        }
        let there = home.files();
        for (file, content) in &before {
            assert!(there[file].starts_with(content), "{name}: {} lost something", file.display());
        }
        home.wyard(&["register", "tidelog"]).ends(0);
        assert_eq!(home.files(), there, "{name}: registering twice changes nothing");
        home.wyard(&["unregister", "tidelog"]).ends(0);
        assert_eq!(home.files(), before, "{name}: unregister brings back every byte");
        home.wyard(&["register", "tidelog"]).ends(0);
        assert_eq!(home.files(), there, "{name}: and register puts the same there again");
    }
}

#[test]
#[cfg_attr(windows, ignore = "Windows has no startup files")]
fn a_folder_that_is_further_back_in_an_inherited_path_comes_first() {
    let home = Home::new();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let bin = home.yard().join("stock/tidelog/4.2.1/bin");
    let line = format!("PATH=\"/usr/bin::{0}:/bin:{0}:\"; . ~/.bashrc; echo \"$PATH\"", bin.display());
    assert_eq!(home.terminal("bash", "-lc", &line), format!("{}:/usr/bin::/bin:\n", bin.display()));
}

#[test]
#[cfg_attr(windows, ignore = "Windows has no startup files")]
fn yards_with_awkward_names_work() {
    if !have_layers() {
        return;
    }
    let shells = ["bash", "zsh", "fish", "dash", "ksh", "tcsh"];
    if !shells.iter().all(|s| have(s)) {
        return;
    }
    let names = [
        "a b",
        "it's",
        "d$HOME",
        "b`id`t",
        "q\"q",
        "s;s",
        "p%PATH%",
        "ümläut",
        "back\\slash",
        "st*r[x]?",
        "-x",
        "#h",
        "w!w",
    ];
    try_each(&names, |name| {
        let mut home = Home::with(&shells);
        let yard = home.path(&format!("{name}/yard"));
        home.variables.insert("WYARD_YARD".into(), yard.to_str().unwrap().into());
        home.settings("shells = [\"bash\", \"zsh\", \"fish\", \"sh\", \"ksh\", \"tcsh\"]\nshell_seconds = 20\n");
        let report = home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--json"]).ends(0).json();
        assert_eq!(report["verdict"], "good", "{name}");
        for shell in shells {
            for mode in Home::modes(shell) {
                assert!(home.terminal(shell, mode, "tidelog").contains("tidelog 4.2.1"), "{name}: {shell} {mode}");
            }
        }
        home.wyard(&["unregister", "tidelog"]).ends(0);
        assert!(home.files().is_empty() || !home.path("home/.bashrc").exists(), "{name}");
    });
    let home = Home::new();
    let colon = home.path("a:b");
    home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--yard", colon.to_str().unwrap()])
        .ends(2)
        .says("separates PATH entries");
    assert!(!colon.exists());
}

#[test]
#[cfg_attr(windows, ignore = "Windows has no startup files")]
fn what_others_write_around_the_block_stays() {
    let home = Home::new();
    home.write("home/.bashrc", "first");
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let with_block = fs::read_to_string(home.path("home/.bashrc")).unwrap();
    assert_eq!(with_block.matches("Wagon Yard").count(), 2, "two comment lines name us: {with_block}");
    home.write("home/.bashrc", format!("zeroth\n{with_block}last\n"));
    home.wyard(&["unregister", "tidelog"]).ends(0);
    assert_eq!(fs::read_to_string(home.path("home/.bashrc")).unwrap(), "zeroth\nfirst\nlast\n");
}

#[test]
#[cfg_attr(windows, ignore = "Windows has no startup files")]
fn two_tools_share_a_block_and_go_one_by_one() {
    let home = Home::new();
    let before = home.files();
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    let shoal = crate::archives::zip(&home.path("shoal-2.0.zip"), &[("shoal", &crate::archives::script("2.0"), 0o755)]);
    home.wyard(&["receive", shoal.to_str().unwrap()]).ends(0);
    home.wyard(&["unregister", "tidelog"]).ends(0);
    assert_eq!(home.terminal("bash", "-lc", "shoal; tidelog 2>/dev/null || echo gone"), "shoal 2.0\ngone\n");
    home.wyard(&["unregister", "shoal"]).ends(0);
    assert_eq!(home.files(), before);
    let stock: Vec<PathBuf> = vec![home.yard().join("stock/shoal/2.0"), home.yard().join("stock/tidelog/4.2.1")];
    assert!(stock.iter().all(|s| s.is_dir()), "unregister takes nothing out of the stock");
}
