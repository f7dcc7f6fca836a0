# Sourced by the scripts that need Wine: a prefix of its own, with what Rust's standard library wants and Wine lacks.
wine=/usr/lib/wine/wine64
[ -x "$wine" ] || wine=$(command -v wine64 || command -v wine)
wineserver=$(command -v wineserver || echo /usr/lib/wine/wineserver)
export WINEDEBUG=-all

compile() { x86_64-w64-mingw32-gcc -O2 -o "$@"; }

# start_wine FOLDER: makes the prefix in a folder that does not exist yet.
start_wine() {
  export WINEPREFIX=$1
  mkdir "$WINEPREFIX"
  # A server that stays makes a start ten times faster; none of its children may hold our output open.
  "$wineserver" -p >/dev/null 2>&1
  "$wine" wineboot -i >/dev/null 2>&1
  "$wine" reg add 'HKCU\Software\Wine' /v Version /d win10 /f >/dev/null
  compile "$WINEPREFIX/drive_c/windows/system32/bcryptprimitives.dll" -shared \
    scripts/windows/bcryptprimitives.c -ladvapi32
  compile "$WINEPREFIX/drive_c/desktop.exe" scripts/windows/desktop.c -luser32
  hold_desktop
  # The desktop of the preparations may just have been closing, and is of no use then.
  sleep 3
  hold_desktop
}

hold_desktop() { "$wine" "$WINEPREFIX/drive_c/desktop.exe" >/dev/null 2>&1 </dev/null & }

stop_wine() { "$wineserver" -k || true; }
