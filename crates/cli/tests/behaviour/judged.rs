//! What "good" means, and that nothing else is: each case was once called good, or ended with 0.

use std::fs;
use std::process::Command;

use wagon_yard_core::os;

use crate::archives::{script, tidelog, tidelog_that, zip};
use crate::home::{Home, Ran, WINDOWS, have, have_layers};

/// A tool of programs, each a script of Unix, received.
fn received(home: &Home, name: &str, version: &str, programs: &[(&str, &str)]) -> Ran {
    let paths: Vec<String> = programs.iter().map(|(typed, _)| format!("w/bin/{typed}")).collect();
    let files: Vec<(&str, &str, u32)> =
        paths.iter().zip(programs).map(|(path, (_, content))| (path.as_str(), *content, 0o755)).collect();
    let archive = zip(&home.path(&format!("{name}-{version}.zip")), &files);
    home.wyard(&["receive", archive.to_str().unwrap()])
}

fn program(home: &Home, place: &str, content: &str) {
    os::set_folder_mode(&home.write(place, content), 0o755).unwrap();
}

const WINDROW: &str =
    "#!/bin/sh\n[ -n \"$DRIFT_HOME\" ] || { echo 'ERROR: DRIFT_HOME is not set' >&2; exit 1; }\necho windrow 4.0.1\n";

#[test]
#[cfg_attr(windows, ignore = "the programs are scripts of Unix")]
fn a_complaint_of_the_world_is_not_good() {
    if !have_layers() {
        return;
    }
    let home = Home::with(&["bash", "sh"]);
    let told = received(&home, "windrow", "4.0.1", &[("windrow", WINDROW), ("windrowc", &script("4.0.1"))]).ends(1);
    assert!(!told.out.contains("works in every") && !told.out.contains("all good"), "{}", told.out);
    home.wyard(&["check"])
        .ends(1)
        .says("1 of 2 commands ended with an error")
        .says("it says \"ERROR: DRIFT_HOME is not set\"")
        .says("--requires-variable DRIFT_HOME");
    // Who knows that it always ends so says it once.
    home.wyard(&["check", "windrow", "--status", "1"]).ends(0).says("all good");
    home.wyard(&["check"]).ends(0);
    assert!(home.wyard(&["draft"]).ends(0).out.contains("status = 1"));
    home.wyard(&["check", "windrow", "--usual-probe"]).ends(1);
    // With what it lacks it is good; in one terminal only it is not.
    let line = "export DRIFT_HOME=/opt/drift\n";
    let append = |file: &str| {
        let text = fs::read_to_string(home.path(file)).unwrap_or_default();
        home.write(file, format!("{text}{line}"));
    };
    append("home/.bashrc");
    home.wyard(&["check"]).ends(1).says("[started-with-error]").says("bash (login");
    append("home/.profile");
    home.wyard(&["check"]).ends(0);
    let other = Home::new();
    let archive = tidelog_that(&other, "4.2.1", WINDROW);
    other.wyard(&["receive", &archive, "--or-undo"]).ends(1);
    other.wyard(&["stock"]).ends(0).says("No tools yet");
}

#[test]
#[cfg_attr(windows, ignore = "startup files of Unix")]
fn each_start_of_each_command_counts() {
    if !have("zsh") {
        return;
    }
    // One that states a version of its own, and dies in another terminal.
    let home = Home::with(&["bash", "zsh"]);
    let dies = "#!/bin/sh\n[ -z \"$BROKEN\" ] || exit 127\necho marlaux 9.1\n";
    received(&home, "marl", "2.0.0", &[("marl", &script("2.0.0")), ("marlaux", dies)]).ends(0);
    let text = fs::read_to_string(home.path("home/.zshrc")).unwrap();
    home.write("home/.zshrc", format!("{text}export BROKEN=1\n"));
    home.wyard(&["check"]).ends(1).says("does-not-start").says("zsh (login, interactive)");
    // A command that a tool needs, healthy in the shell that is asked first, and in no other.
    for (healthy, broken) in [("bash", "zsh"), ("zsh", "bash")] {
        let home = Home::with(&["bash", "zsh"]);
        program(&home, "home/a/gauge", &script("1.0"));
        program(&home, "home/b/gauge", "#!/no/such/run\n");
        received(&home, "marl", "2.0.0", &[("marl", &script("2.0.0"))]).ends(0);
        for (shell, folder) in [(healthy, "a"), (broken, "b")] {
            for file in
                [format!("home/.{shell}rc"), format!("home/.{}profile", if shell == "zsh" { "z" } else { "bash_" })]
            {
                let text = fs::read_to_string(home.path(&file)).unwrap_or_default();
                home.write(&file, format!("{text}PATH=$PATH:$HOME/{folder}\n"));
            }
        }
        let told = home.wyard(&["check", "marl", "--requires-command", "gauge"]).ends(1);
        told.says("marl needs the command gauge").says("interpreter is missing").says(broken);
    }
}

#[test]
#[cfg_attr(windows, ignore = "the system's other folders are those of Unix")]
fn what_was_not_looked_at_is_not_good() {
    let home = Home::new();
    // A copy behind the yard's is nobody's command; one in a folder that only some terminals have is looked at.
    program(&home, "home/bin/hodman", "#!/no/such/python\n");
    program(&home, "home/b/zork", "#!/no/such/run\n");
    program(&home, "home/b/well", &script("1.0"));
    for (file, folder) in [(".profile", "bin"), (".bashrc", "bin"), (".bashrc", "b")] {
        let text = fs::read_to_string(home.path(&format!("home/{file}"))).unwrap_or_default();
        home.write(&format!("home/{file}"), format!("{text}PATH=$PATH:$HOME/{folder}\n"));
    }
    received(&home, "hodman", "1.9.3", &[("hodman", &script("1.9.3"))]).ends(0);
    let report = home.wyard(&["check", "--all-path", "--json"]).ends(1).json();
    let told = |folder: &str| {
        let tools = report["tools"].as_array().unwrap();
        tools.iter().find(|tool| tool["name"] == home.path(folder).to_str().unwrap()).cloned()
    };
    assert_eq!(told("home/bin"), None, "it is hidden everywhere");
    let verdicts: Vec<_> =
        told("home/b").unwrap()["commands"].as_array().unwrap().iter().map(|c| c["verdict"].clone()).collect();
    assert_eq!(verdicts, ["good", "does-not-start"]);
    // Hidden copies are told whichever terminal has them, and whichever command it is.
    home.wyard(&["check"]).ends(0).says("hodman now comes before ~/bin/hodman");
    received(&home, "zorktool", "1.0", &[("aaa", &script("1.0")), ("zork", &script("1.0"))]).ends(0).says("~/b/zork");
    home.wyard(&["stock"]).ends(0).says("~/b/zork").says("~/bin/hodman").says("all run in new terminals");
    home.wyard(&["unregister", "hodman"]).ends(0);
    home.wyard(&["stock"]).ends(0).says("new terminals run 1; 1 not registered");
}

#[test]
#[cfg_attr(windows, ignore = "the program is a script of Unix")]
fn a_delivery_with_nothing_to_do_checks_all_the_same() {
    let home = Home::new();
    let archive = tidelog(&home, "4.2.1");
    let text = format!(
        "waybill = 1\n[[tool]]\nname = \"tidelog\"\nversion = \"4.2.1\"\nsource = [{{ file = {archive:?} }}]\n"
    );
    let waybill = home.write("office.toml", text).to_str().unwrap().to_owned();
    home.wyard(&["deliver", &waybill]).ends(0);
    home.wyard(&["deliver", &waybill]).ends(0).says("verified in");
    fs::remove_file(home.yard().join("stock/tidelog/4.2.1/bin/tidelog")).unwrap();
    let told = home.wyard(&["deliver", &waybill]).ends(1).says("the file is missing [file-missing]").says("--replace");
    assert!(!told.out.contains("another-machine") && !told.out.contains("what removes its folder"), "{}", told.out);
}

#[test]
#[cfg_attr(windows, ignore = "the interpreter is a shell of Unix")]
fn a_launcher_of_a_missing_file_is_refused_before_anything_is_delivered() {
    let home = Home::new();
    let first = tidelog(&home, "4.2.1");
    zip(&home.path("pyrep-2.0.zip"), &[("pyrep-2.0/lib/rep.sh", "echo pyrep 2.0\n", 0o644)]);
    let waybill = |file: &str| {
        let text = format!(
            "waybill = 1\n[[tool]]\nname = \"tidelog\"\nversion = \"4.2.1\"\nsource = [{{ file = {first:?} }}]\n\
             [[tool]]\nname = \"pyrep\"\nversion = \"2.0\"\nsource = [{{ file = \"pyrep-2.0.zip\" }}]\n\
             [[tool.launcher]]\ncommand = \"pyrep\"\nruns = [\"/bin/sh\", \"{{home}}/lib/{file}\"]\n"
        );
        home.write("office.toml", text).to_str().unwrap().to_owned()
    };
    let before = home.files();
    home.wyard(&["deliver", &waybill("repp.sh")])
        .ends(3)
        .says("lib/repp.sh does not exist")
        .says("nothing was delivered");
    assert_eq!(home.files(), before);
    home.wyard(&["stock", "--no-run"]).ends(0).says("No tools yet");
    home.wyard(&["deliver", &waybill("rep.sh")]).ends(0);
}

/// A program that goes by the word it is called by.
#[test]
#[cfg_attr(windows, ignore = "programs get their names otherwise there")]
fn a_program_is_called_by_the_word_that_is_typed() {
    if !have("cc") {
        return;
    }
    let home = Home::new();
    let source = home.write(
        "argx.c",
        "#include <stdio.h>\n#include <string.h>\nint main(int c, char **v) {\n\
         if (!strchr(v[0], '/')) { fprintf(stderr, \"cannot find my home from %s\\n\", v[0]); return 127; }\n\
         puts(\"argx 3.1.4\"); return 0; }\n",
    );
    let built = home.path("argx");
    assert!(Command::new("cc").arg("-o").arg(&built).arg(&source).status().unwrap().success());
    let bytes = fs::read(&built).unwrap();
    let archive = home.path("argx-3.1.4.zip");
    zip(&archive, &[("argx-3.1.4/bin/argx", bytes, 0o755)]);
    home.wyard(&["receive", archive.to_str().unwrap()]).ends(1).says("cannot find my home from argx");
}

#[test]
#[cfg_attr(windows, ignore = "users on record are those of Unix")]
fn the_login_shell_on_record_counts_beside_the_sessions() {
    if !have_layers() {
        return;
    }
    if WINDOWS || !have("zsh") {
        return;
    }
    let mut home = Home::new();
    home.settings("shell_seconds = 20\n");
    let id = Command::new("id").arg("-u").output().unwrap();
    let id = String::from_utf8(id.stdout).unwrap();
    home.write("own-root/etc/passwd", format!("keeper:x:{}:1::/h:/bin/zsh\n", id.trim()));
    home.variables.insert("SHELL".to_owned(), "/bin/bash".to_owned());
    let report = home.wyard(&["receive", &tidelog(&home, "4.2.1"), "--json"]).ends(0).json();
    for shell in ["bash", "zsh"] {
        assert!(report.to_string().contains(&format!("\"caller\":\"{shell}\"")), "{shell}");
    }
    assert!(home.terminal("zsh", "-lc", "tidelog").contains("4.2.1"));
}

#[test]
#[cfg(unix)]
fn startup_files_keep_all_that_they_have() {
    use std::os::unix::fs::MetadataExt as _;
    let home = Home::new();
    let file = home.write("home/.bashrc", "alias ll='ls -l'\n");
    let other = home.path("dotfiles");
    fs::hard_link(&file, &other).unwrap();
    let attribute = |set: &str| {
        let mut command = Command::new("python3");
        command.args(["-c", "import os, sys\nif sys.argv[2]: os.setxattr(sys.argv[1], 'user.note', sys.argv[2].encode())\nprint(os.getxattr(sys.argv[1], 'user.note').decode())"]);
        let told = command.arg(&file).arg(set).output().unwrap();
        String::from_utf8(told.stdout).unwrap()
    };
    let has_attributes = have("python3") && attribute("tide") == "tide\n";
    let profile = home.write("home/.profile", "umask 022\n");
    let list =
        Command::new("setfacl").args(["-m", "u:1:r"]).arg(&profile).status().is_ok_and(|status| status.success());
    let seen = |file: &std::path::Path| {
        let seen = fs::metadata(file).unwrap();
        (seen.nlink(), seen.mode(), seen.uid(), seen.gid())
    };
    let before = (seen(&file), seen(&profile), fs::read(&file).unwrap());
    home.wyard(&["receive", &tidelog(&home, "4.2.1")]).ends(0);
    assert_eq!((seen(&file), seen(&profile)), (before.0, before.1));
    assert!(fs::read_to_string(&other).unwrap().contains("Wagon Yard: begin"), "both names are the one file");
    home.wyard(&["undo"]).ends(0);
    assert_eq!((seen(&file), seen(&profile), fs::read(&other).unwrap()), before);
    if has_attributes {
        assert_eq!(attribute(""), "tide\n");
    }
    if list {
        let told = Command::new("getfacl").arg(&profile).output().unwrap();
        assert!(String::from_utf8_lossy(&told.stdout).contains("user:"), "{told:?}");
    }
    // A file whose group its owner is not in.
    if os::is_superuser() {
        let home = Home::new();
        let file = home.write("home/.bashrc", "alias ll='ls -l'\n");
        let archive = tidelog(&home, "4.2.1");
        assert!(Command::new("chown").args(["-R", "65534:65534"]).arg(home.path("")).status().unwrap().success());
        assert!(Command::new("chown").args(["65534:0"]).arg(&file).status().unwrap().success());
        home.as_user(&["receive", &archive]).ends(0);
        assert_eq!((seen(&file).2, seen(&file).3), (65534, 0));
        home.as_user(&["undo"]).ends(0);
        assert_eq!(fs::read(&file).unwrap(), b"alias ll='ls -l'\n");
    }
}

/// What an ordinary user can write outside of the home is writable in a seal as well, and a home below a folder of somebody else.
#[test]
#[cfg_attr(not(target_os = "linux"), ignore = "seals of this kind are Linux's")]
fn a_seal_shows_what_a_user_may_write() {
    if !have_layers() {
        return;
    }
    if !os::is_superuser() {
        eprintln!("skipped: only the superuser makes folders in other places");
        return;
    }
    let place = tempfile::Builder::new().prefix("wyard-test-").tempdir_in("/opt").unwrap();
    let theirs = tempfile::tempdir().unwrap();
    os::set_folder_mode(theirs.path(), 0o755).unwrap();
    for below in [false, true] {
        let mut home = Home::new();
        let own = if below { theirs.path().join("keeper") } else { home.path("home") };
        if below {
            fs::rename(home.path("home"), &own).unwrap();
            home.variables.insert("HOME".to_owned(), own.to_str().unwrap().to_owned());
            home.variables.insert("WYARD_YARD".to_owned(), own.join("yard").to_str().unwrap().to_owned());
            fs::create_dir_all(own.join("yard")).unwrap();
            fs::write(own.join("yard/settings.toml"), "shells = [\"bash\"]\nshell_seconds = 20\n").unwrap();
        }
        fs::create_dir_all(own.join("old")).unwrap();
        fs::write(own.join("old/tidelog"), script("3.9")).unwrap();
        os::set_folder_mode(&own.join("old/tidelog"), 0o755).unwrap();
        let archive = tidelog(&home, "4.2.1");
        for folder in [home.path(""), own.clone(), place.path().to_owned()] {
            assert!(Command::new("chown").args(["-R", "65534:65534"]).arg(folder).status().unwrap().success());
        }
        home.as_user(&["receive", &archive]).ends(0);
        let block = fs::read_to_string(own.join(".bashrc")).unwrap();
        let writes = format!("[ -w {} ] && PATH=~/old:$PATH\n", place.path().display());
        for (line, code, says) in [
            ("alias tidelog='tidelog -q'\n", 0, "good"),
            ("date > ~/.last-login && PATH=~/old:$PATH\n", 1, "shadowed"),
            (&*writes, 1, "shadowed"),
        ] {
            fs::write(own.join(".bashrc"), format!("{block}{line}")).unwrap();
            home.as_user(&["check"]).ends(code).says(says);
        }
        assert!(!own.join(".last-login").exists() && fs::read_dir(place.path()).unwrap().next().is_none());
    }
}
