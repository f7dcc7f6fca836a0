# Sourced by the Windows lane: packages of Windows Installer and an installer program for buoyctl, a made-up tool.

# make_packages FOLDER: for the user, for everybody, for everybody with PATH and a variable, which wixl knows nothing of,
# and the installer program.
make_packages() {
  mkdir "$1"
  compile "$1/buoyctl.exe" demo/buoyctl/buoyctl.c
  echo "read me" >"$1/README.txt"
  cp demo/buoyctl/buoyctl.wxs demo/buoyctl/buoyctl.nsi "$1"
  (
    cd "$1"
    wixl -a x64 -D Scope=perUser -D Below=LocalAppDataFolder -o buoyctl-2.4.0-user.msi buoyctl.wxs
    wixl -a x64 -D Scope=perMachine -D Below=ProgramFiles64Folder -o buoyctl-2.4.0-machine.msi buoyctl.wxs
    cp buoyctl-2.4.0-machine.msi buoyctl-2.4.0-path.msi
    printf '%s\t%s\t%s\t%s\n' Environment Name Value Component_ s72 l255 L255 s72 >Environment.idt
    printf 'Environment\tEnvironment\n' >>Environment.idt
    printf '%s\t%s\t%s\t%s\n' BuoyPath '*=-PATH' '[~];[BINDIR]' Program BuoyHome '*=-BUOYCTL_HOME' '[INSTALLDIR]' Program \
      >>Environment.idt
    msibuild buoyctl-2.4.0-path.msi -i Environment.idt
    for action in "WriteEnvironmentStrings', 5200" "RemoveEnvironmentStrings', 3300"; do
      msibuild buoyctl-2.4.0-path.msi -q "INSERT INTO InstallExecuteSequence (Action, Sequence) VALUES ('$action)"
    done
    makensis -V2 buoyctl.nsi
  )
}
