//! Installers run under watch: shell self-extractors here, packages of Windows Installer in the Windows lane.

use std::fs;
use std::thread;
use std::time::Duration;

use flate2::Compression;
use flate2::write::GzEncoder;
use wagon_yard_core::os;

use crate::archives::script;
use crate::home::{Home, Ran};

/// A self-extractor for buoyctl: `before` runs first, `behind` when the archive behind its last line is unpacked.
fn self_extractor(home: &Home, before: &str, behind: &str) -> String {
    of_version(home, "2.4", before, behind)
}

fn of_version(home: &Home, version: &str, before: &str, behind: &str) -> String {
    let mut tar = tar::Builder::new(GzEncoder::new(Vec::new(), Compression::default()));
    let content = script(version);
    for (path, content, mode) in [("bin/buoyctl", content.as_str(), 0o755), ("README", "read\n", 0o644)] {
        let mut header = tar::Header::new_gnu();
        header.set_size(content.len() as u64);
        header.set_mode(mode);
        tar.append_data(&mut header, path, content.as_bytes()).unwrap();
    }
    let payload = tar.into_inner().unwrap().finish().unwrap();
    let text = format!(
        "#!/bin/sh\nto=$HOME/buoyctl-{version}\nfor word in \"$@\"; do\n  case $word in --prefix=*) to=${{word#*=}} ;; \
         --accept) accepted=1 ;; esac\ndone\n{before}\nmkdir -p \"$to\"\n\
         sed '1,/^# The archive follows/d' \"$0\" | tar xz -C \"$to\"\n{behind}\nexit 0\n# The archive follows\n"
    );
    let file = home.write(&format!("buoyctl-{version}.run"), [text.as_bytes(), &payload].concat());
    file.to_str().unwrap().to_owned()
}

#[test]
#[cfg_attr(windows, ignore = "shell self-extractors run on Unix")]
fn what_an_installer_left_undone_is_finished() {
    let home = Home::new();
    home.write("home/.bashrc", "# mine\n");
    let file = self_extractor(&home, "", "");
    home.wyard(&["inspect", &file]).ends(0).says("shell self-extractor").says("gzip").says("--prefix=");
    let before = home.files();
    home.wyard(&["receive", &file]).ends(2).says("needs confirmation").says("--yes");
    home.wyard(&["receive", &file, "--dry-run"]).ends(0).says("/bin/sh").says("buoyctl-2.4.run");
    home.wyard(&["receive", &file, "--yes", "--sha256", &"0".repeat(64)]).ends(3).says("not the published file");
    assert_eq!(home.files(), before);
    let told = home.wyard(&["receive", &file, "--yes"]).ends(0);
    told.says("2 new files in ~/buoyctl-2.4\n")
        .says("it did not add its command folder to PATH")
        .says("BUOYCTL_HOME set")
        .says("good");
    assert!(home.fresh("buoyctl").contains("buoyctl 2.4"));
    home.wyard(&["check", "buoyctl"]).ends(0);
    home.wyard(&["retire", "buoyctl"]).ends(0).says("stays");
    // Into another folder, in the installer's own way to say it.
    let elsewhere = home.path("home/tools/buoy");
    fs::create_dir(home.path("home/tools")).unwrap();
    let told = home.wyard(&["receive", &file, "--yes", "--installer-folder", elsewhere.to_str().unwrap()]).ends(0);
    told.says("~/tools/buoy");
    assert!(elsewhere.join("bin/buoyctl").exists());
}

#[test]
#[cfg_attr(windows, ignore = "shell self-extractors run on Unix")]
fn a_waybill_and_the_user_both_have_to_allow_an_installer() {
    let home = Home::new();
    self_extractor(&home, "", "");
    let tool = "waybill = 1\n\n[[tool]]\nname = \"buoyctl\"\nversion = \"2.4\"\nprobe = { arguments = [] }\n\
                source = [{ file = \"buoyctl-2.4.run\" }]\n";
    let refused = home.write("refused.toml", tool);
    let allowed = home.write("allowed.toml", format!("{tool}allow_installer = true\n"));
    let (refused, allowed) = (refused.to_str().unwrap(), allowed.to_str().unwrap());
    let before = home.files();
    for call in [&["deliver", refused, "--yes"][..], &["deliver", allowed]] {
        home.wyard(call).ends(1).says("is an installer; it needs allow_installer = true in the waybill, and --yes");
        assert_eq!(home.files(), before);
    }
    home.wyard(&["deliver", allowed, "--yes"]).ends(0).says("buoyctl 2.4");
    assert!(home.fresh("buoyctl").contains("buoyctl 2.4"));
    home.wyard(&["deliver", allowed]).ends(0).says("nothing to do");
    let card = fs::read_to_string(home.yard().join("cards/buoyctl/2.4.toml")).unwrap();
    assert!(card.contains("arguments = []"), "{card}");
}

#[test]
#[cfg_attr(windows, ignore = "shell self-extractors run on Unix")]
fn what_an_installer_hands_on_is_waited_for() {
    let home = Home::new();
    let before = "if [ -z \"$SECOND\" ]; then SECOND=1 sh \"$0\" \"$@\" & exit 0; fi; sleep 1";
    let file = self_extractor(&home, before, "");
    home.wyard(&["receive", &file, "--yes"]).ends(0).says("2 new files in ~/buoyctl-2.4\n").says("good");
}

#[test]
#[cfg_attr(windows, ignore = "shell self-extractors run on Unix")]
fn an_installer_hears_every_byte_and_runs_as_it_was_hashed() {
    let home = Home::new();
    // What stands at its name by the time it runs is something else.
    let before = "printf '%s' \"$2\" > \"$HOME/heard\"; sha256sum < \"$0\" > \"$HOME/ran\"; rm -f ./buoyctl-2.4.run";
    let file = self_extractor(&home, before, "");
    let odd = b"b\xf6je \"x\" $y; \\z".to_vec();
    let mut call = home.command(&["receive", &file, "--yes", "--json", "--", "--accept"]);
    let ran = call.arg(os::name_from_bytes(odd.clone())).output().unwrap();
    let ran = Ran::from(ran).ends(0).json();
    assert_eq!(fs::read(home.path("home/heard")).unwrap(), odd);
    let summed = fs::read_to_string(home.path("home/ran")).unwrap();
    assert_eq!(ran["plan"]["sha256"], summed.split(' ').next().unwrap());
    assert_eq!(ran["plan"]["command"].as_array().unwrap().last().unwrap()["path_bytes"], hex(&odd));
}

fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

#[test]
#[cfg_attr(windows, ignore = "shell self-extractors run on Unix")]
fn what_an_installer_did_rightly_is_not_done_twice() {
    let home = Home::new();
    let lines = "for file in .bashrc .profile; do\n  printf 'export BUOYCTL_HOME=%s\\nPATH=$BUOYCTL_HOME/bin:$PATH\\n' \
                 \"$to\" >> \"$HOME/$file\"\ndone";
    home.write("home/.bashrc", "# mine\n");
    let file = self_extractor(&home, "", lines);
    let told = home.wyard(&["receive", &file, "--yes"]).ends(0);
    told.says("+ export BUOYCTL_HOME=").says("already registered; no changes").says("good");
    assert!(!fs::read_to_string(home.path("home/.bashrc")).unwrap().contains("Wagon Yard"));
}

#[test]
#[cfg_attr(windows, ignore = "shell self-extractors run on Unix")]
fn an_installer_that_fails_is_told_and_taken_back() {
    let edits = "echo 'PATH=$HOME/buoyctl-2.4/bin:$PATH' >> \"$HOME/.bashrc\"";
    // What it does before, what behind; what is said of it.
    let cases = [
        (edits, "echo no tide tables >&2; exit 3", "it failed with status 3; last output: no tide tables"),
        (edits, "kill -9 $$", "ended by a signal"),
        ("printf 'Accept the terms? [y/n] '; read answer || exit 1", "", "asks \"Accept the terms? [y/n]\""),
        (edits, "rm -r \"$to/bin\"", "it created no commands"),
    ];
    for (before, behind, says) in cases {
        let home = Home::new();
        home.write("home/.bashrc", "# mine\n");
        let file = self_extractor(&home, before, behind);
        let told = home.wyard(&["receive", &file, "--yes", "--or-undo"]).ends(1).says(says);
        told.says("were restored");
        assert_eq!(fs::read_to_string(home.path("home/.bashrc")).unwrap(), "# mine\n", "{says}");
        let told = home.wyard(&["receive", &file, "--yes"]).ends(1).says(says);
        assert!(!told.out.contains("brought back"));
    }
    // What others write meanwhile stays, and its own lines go although what they lead to is gone.
    let home = Home::new();
    home.write("home/.bashrc", "# mine\n");
    let other =
        "(echo '# for me'; echo 'alias tide=\"tidelog -q\"') >> \"$HOME/.bashrc\"; echo x=1 >> \"$HOME/.profile\"";
    let file = self_extractor(&home, &format!("{edits}; {other}"), "rm -r \"$to\"; exit 3");
    home.wyard(&["receive", &file, "--yes", "--or-undo"]).ends(1).says("[changed-meanwhile]").says("alias tide=");
    let bashrc = fs::read_to_string(home.path("home/.bashrc")).unwrap();
    assert_eq!(bashrc, "# mine\n# for me\nalias tide=\"tidelog -q\"\n");
    assert_eq!(fs::read_to_string(home.path("home/.profile")).unwrap(), "x=1\n");
    // What it asks for can be passed on.
    let home = Home::new();
    let file = self_extractor(&home, "[ \"$accepted\" ] || { printf 'Accept? '; read answer || exit 1; }", "");
    home.wyard(&["receive", &file, "--yes"]).ends(1).says("[installer-failed]").says("after --");
    home.wyard(&["receive", &file, "--yes", "--", "--accept"]).ends(0).says("good");
    home.wyard(&["receive", &crate::archives::tidelog(&home, "4.2.1"), "--", "--accept"])
        .ends(2)
        .says("is not an installer");
}

#[test]
#[cfg_attr(windows, ignore = "shell self-extractors run on Unix")]
fn what_an_installer_brought_its_uninstaller_removes() {
    let home = Home::new();
    home.write("home/.bashrc", "# mine\n");
    let remove = "printf '#!/bin/sh\\nrm -r \"%s\"\\n' \"$to\" > \"$to/uninstall.sh\"; chmod +x \"$to/uninstall.sh\"";
    let file = self_extractor(&home, "", remove);
    home.wyard(&["receive", &file, "--yes"]).ends(0).says("good");
    // Taking the record back leaves what the installer made, and says so; so it does to one that runs it again.
    home.wyard(&["undo"]).ends(0).says("from its installer; to remove it:").says("uninstall.sh");
    home.wyard(&["receive", &file, "--yes"]).ends(0).says("good");
    home.wyard(&["retire", "buoyctl", "--dry-run"]).ends(0).says("installed by an installer").says("uninstall.sh");
    home.wyard(&["retire", "buoyctl", "--uninstall"]).ends(2).says("--yes");
    assert!(home.path("home/buoyctl-2.4").exists());
    home.wyard(&["retire", "buoyctl", "--uninstall", "--yes"]).ends(0).says("it succeeded");
    assert!(!home.path("home/buoyctl-2.4").exists());
    assert_eq!(fs::read_to_string(home.path("home/.bashrc")).unwrap(), "# mine\n");
    // What it put into startup files itself goes with it, and nothing of what others have written there since.
    let lines = "for file in .bashrc .profile .zshenv; do\n  printf '# buoyctl\\nexport PATH=\"$HOME/buoyctl-2.4/bin:$PATH\"\\n' \
                 >> \"$HOME/$file\"\ndone";
    let file = self_extractor(&home, "", &format!("{remove}\n{lines}"));
    home.write("home/.profile", "# theirs\n");
    let told = home.wyard(&["receive", &file, "--yes", "--home-variable", "BUOY"]).ends(0).says("good");
    assert!(!told.out.contains("changed-meanwhile"), "{}", told.out);
    let profile = fs::read_to_string(home.path("home/.profile")).unwrap();
    assert!(profile.contains("buoyctl-2.4/bin"));
    // Run again, it puts it there again.
    home.wyard(&["receive", &file, "--yes"]).ends(0);
    let profile = fs::read_to_string(home.path("home/.profile")).unwrap();
    assert_eq!(profile.matches("buoyctl-2.4/bin").count(), 2);
    home.write("home/.profile", format!("{profile}# later\n"));
    home.wyard(&["retire", "buoyctl", "--uninstall", "--yes"]).ends(0);
    for (file, expected) in
        [(".bashrc", Some("# mine\n")), (".profile", Some("# theirs\n# later\n")), (".zshenv", None)]
    {
        let content = fs::read_to_string(home.path("home").join(file)).ok();
        assert_eq!(content.as_deref(), expected, "{file}");
    }
    // One that says it has done its work, and has not.
    let file = self_extractor(&home, "", "printf '#!/bin/sh\\n' > \"$to/uninstall.sh\"; chmod +x \"$to/uninstall.sh\"");
    home.wyard(&["receive", &file, "--yes"]).ends(0);
    home.wyard(&["retire", "buoyctl", "--uninstall", "--yes"])
        .ends(1)
        .says("bin/buoyctl still exists")
        .says("kept: its commands still exist");
    home.wyard(&["check", "buoyctl"]).ends(0);
    home.wyard(&["receive", &crate::archives::tidelog(&home, "4.2.1")]).ends(0);
    home.wyard(&["retire", "tidelog", "--uninstall", "--yes"]).ends(2).says("no uninstaller on its card");
}

#[test]
#[cfg_attr(windows, ignore = "shell self-extractors run on Unix")]
fn what_others_do_at_the_same_time_is_not_laid_at_its_door_without_a_caveat() {
    let home = Home::new();
    home.write("home/.profile", "# mine\n");
    let file = self_extractor(&home, "sleep 2", "");
    let profile = home.path("home/.profile");
    let other = thread::spawn(move || {
        thread::sleep(Duration::from_millis(1200));
        fs::write(profile, "# mine\nPATH=/opt/harbour/bin:$PATH\n").unwrap();
    });
    let told = home.wyard(&["receive", &file, "--yes"]).ends(0);
    other.join().unwrap();
    told.says("perhaps by another program").says("/opt/harbour/bin").says("[changed-meanwhile]");
}

#[test]
#[cfg_attr(windows, ignore = "shell self-extractors run on Unix")]
fn an_installer_that_is_run_again_renews_what_it_brought() {
    let home = Home::new();
    home.write("home/.bashrc", "# mine\n");
    // Times are kept by the archiver, and the folder is there: nothing is new the second time.
    let file = self_extractor(&home, "", "");
    home.wyard(&["receive", &file, "--yes"]).ends(0).says("BUOYCTL_HOME set").says("good");
    let told = home.wyard(&["receive", &file, "--yes"]).ends(0);
    told.says("2 files changed").says("already on record").says("good");
    assert_eq!(home.wyard(&["stock", "--json"]).ends(0).json()["tools"].as_array().unwrap().len(), 1);
    // A newer one goes into the same folder.
    let newer = of_version(&home, "2.5", "", "");
    let to = home.path("home/buoyctl-2.4");
    let folder = to.to_str().unwrap();
    let told = home.wyard(&["receive", &newer, "--yes", "--installer-folder", folder]).ends(0);
    told.says("buoyctl 2.5").says("replaces 2.4 on record").says("good");
    assert!(home.fresh("buoyctl").contains("buoyctl 2.5"));
    home.wyard(&["check", "buoyctl"]).ends(0).says("2.5");
    // And back again, by the ledger.
    home.wyard(&["undo"]).ends(0);
    home.wyard(&["stock"]).ends(0).says("2.4");
    home.wyard(&["retire", "buoyctl"]).ends(0);
    assert_eq!(fs::read_to_string(home.path("home/.bashrc")).unwrap(), "# mine\n");
}

#[test]
#[cfg_attr(windows, ignore = "shell self-extractors run on Unix")]
fn a_program_that_is_put_among_others_is_told_from_them() {
    // The folder, what its owner's startup files say of it, and what is said.
    let in_path = "PATH=\"$HOME/.local/bin:$PATH\"\n";
    for (startup, says) in [(in_path, "already registered; no changes"), ("# mine\n", "1 command folder first in")] {
        let home = Home::new();
        home.write("home/.bashrc", startup);
        home.write("home/.profile", startup);
        let shoal = home.write("home/.local/bin/shoal", script("1.0"));
        os::set_mode(&fs::File::open(shoal).unwrap(), 0o755).unwrap();
        let place = "to=$HOME/.local/bin/.buoy; trap 'mv \"$to/bin/buoyctl\" \"$HOME/.local/bin\"; rm -r \"$to\"' EXIT";
        // Moved there by itself, or put there because the folder that everybody uses was named.
        let shared = home.path("home/.local");
        let into = ["--installer-folder", shared.to_str().unwrap()];
        let (before, into) = if startup == in_path { (place, &[][..]) } else { ("", &into[..]) };
        let file = self_extractor(&home, before, "");
        let told = home.wyard(&[&["receive", &file, "--yes"], into].concat()).ends(0).says(says).says("good");
        let told = told.says("1 command in").says("buoyctl 2.4");
        assert!(!told.out.contains("shoal"), "{}", told.out);
        home.wyard(&["check", "buoyctl"]).ends(0);
        home.wyard(&[&["receive", &file, "--yes"], into].concat()).ends(0).says("already on record");
        home.wyard(&["retire", "buoyctl"]).ends(0);
        assert_eq!(fs::read_to_string(home.path("home/.bashrc")).unwrap(), startup);
        assert!(home.path("home/.local/bin/shoal").exists());
    }
}

#[test]
#[cfg_attr(windows, ignore = "shell self-extractors run on Unix")]
fn of_several_folders_with_commands_the_user_says_which() {
    let second = "mkdir -p \"$HOME/shoal-1.0/bin\"; cp \"$to/bin/buoyctl\" \"$HOME/shoal-1.0/bin/shoal\"";
    let home = Home::new();
    let file = self_extractor(&home, "", second);
    let told = home.wyard(&["receive", &file, "--yes"]).ends(1).says("in 2 folders").says("[several-tools]");
    told.says("wyard adopt FOLDER");
    let home = Home::new();
    let file = self_extractor(&home, "", "");
    let told = home.wyard(&["receive", &file, "--yes", "--command-folder", "sbin"]).ends(1);
    told.says("created no commands in sbin").says("2 new files in ~/buoyctl-2.4");
    for given in ["home/buoyctl-2.4/bin", "bin"] {
        let home = Home::new();
        let file = self_extractor(&home, "", &second.replace("shoal-1.0/bin", "shoal-1.0/commands"));
        let absolute = home.path(given).to_string_lossy().into_owned();
        let given = if given == "bin" { given } else { &absolute };
        let told = home.wyard(&["receive", &file, "--yes", "--command-folder", given]).ends(0);
        told.says("~/buoyctl-2.4").says("good");
    }
}

#[test]
#[cfg_attr(windows, ignore = "shell self-extractors run on Unix")]
fn an_installer_that_registers_the_root_is_told_and_put_right() {
    let home = Home::new();
    let lines =
        "for file in .bashrc .profile; do echo 'export PATH=\"$HOME/buoyctl-2.4:$PATH\"' >> \"$HOME/$file\"; done";
    let file = self_extractor(&home, "", lines);
    let told = home.wyard(&["receive", &file, "--yes"]).ends(0).says("[bin-below]").says("good");
    told.says("it added the tool's root folder to PATH").says("do not add its command folder to every new terminal");
    assert!(home.fresh("buoyctl").contains("buoyctl 2.4"));
}

#[test]
#[cfg_attr(windows, ignore = "shell self-extractors run on Unix")]
fn what_is_in_the_way_after_an_installer_ran_is_told_with_all_it_did() {
    let home = Home::new();
    let file = self_extractor(&home, "", "");
    let elsewhere = home.path("home/elsewhere");
    home.wyard(&["receive", &file, "--yes"]).ends(0);
    let told = home.wyard(&["receive", &file, "--yes", "--installer-folder", elsewhere.to_str().unwrap()]).ends(1);
    told.says("2 new files in ~/elsewhere").says("[installer-unfinished]").says("buoyctl@2.4 is already recorded");
    assert!(home.path("home/elsewhere/bin/buoyctl").exists());
}

#[test]
#[cfg_attr(windows, ignore = "they run there")]
fn installers_for_other_systems_are_told_for_what_they_are() {
    let home = Home::new();
    let file = home.write("buoyctl-2.4.pkg", b"xar!\0\x1c\0\x01rest");
    home.wyard(&["inspect", file.to_str().unwrap()]).ends(0).says("macOS installer package");
    home.wyard(&["receive", file.to_str().unwrap(), "--yes"]).ends(3).says("cannot run on this system");
}
