; An installer program for buoyctl of the Brackwater Tide Office, a made-up tool. /S asks nothing, /D=FOLDER (the last
; word) says where; /HALF breaks off half way, /ROOT puts the wrong folder into PATH, and /LATER ends at once and leaves the
; work to a second program, as some do.
Unicode true
Target amd64-unicode
Name "Buoyctl"
OutFile "buoyctl-2.4.0-setup.exe"
RequestExecutionLevel user
InstallDir "$LOCALAPPDATA\Programs\buoyctl"
VIProductVersion "2.4.0.0"
VIAddVersionKey "FileDescription" "Buoyctl Setup"
VIAddVersionKey "ProductName" "Buoyctl"
VIAddVersionKey "ProductVersion" "2.4.0"
VIAddVersionKey "FileVersion" "2.4.0.0"
VIAddVersionKey "LegalCopyright" "Brackwater Tide Office"
!include FileFunc.nsh
Page instfiles
UninstPage instfiles
!define RECORD "Software\Microsoft\Windows\CurrentVersion\Uninstall\Buoyctl"

Section
  ${GetParameters} $0
  ClearErrors
  ${GetOptions} $0 "/LATER" $1
  IfErrors now
  Exec '"$EXEPATH" /S /WAIT'
  SetErrorLevel 0
  Quit
now:
  ClearErrors
  ${GetOptions} $0 "/WAIT" $1
  IfErrors work
  Sleep 1500
work:
  SetOutPath "$INSTDIR"
  File "README.txt"
  ClearErrors
  ${GetOptions} $0 "/HALF" $1
  IfErrors whole
  SetErrorLevel 1603
  Quit
whole:
  SetOutPath "$INSTDIR\bin"
  File "buoyctl.exe"
  WriteUninstaller "$INSTDIR\uninstall.exe"
  WriteRegStr HKCU "${RECORD}" "DisplayName" "Buoyctl"
  WriteRegStr HKCU "${RECORD}" "DisplayVersion" "2.4.0"
  WriteRegStr HKCU "${RECORD}" "InstallLocation" "$INSTDIR"
  WriteRegStr HKCU "${RECORD}" "UninstallString" '"$INSTDIR\uninstall.exe" /S'
  ClearErrors
  ${GetOptions} $0 "/ROOT" $1
  IfErrors done
  WriteRegExpandStr HKCU "Environment" "PATH" '"$INSTDIR"'
done:
SectionEnd

Section "Uninstall"
  Sleep 1000
  Delete "$INSTDIR\bin\buoyctl.exe"
  Delete "$INSTDIR\README.txt"
  Delete "$INSTDIR\uninstall.exe"
  RMDir "$INSTDIR\bin"
  RMDir "$INSTDIR"
  DeleteRegKey HKCU "${RECORD}"
SectionEnd
