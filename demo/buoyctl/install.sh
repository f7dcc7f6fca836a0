#!/bin/sh
# The installer of buoyctl of the Brackwater Tide Office: a made-up tool for Wagon Yard's demo. It lays the program out, and
# leaves PATH to whoever runs it.
to=$HOME/harbour/buoyctl-@VERSION@
for word in "$@"; do
  case $word in
    --prefix=*) to=${word#*=} ;;
    *) echo "usage: $0 [--prefix=DIR]" >&2; exit 2 ;;
  esac
done
mkdir -p "$to"
sed '1,/^# What follows is the archive/d' "$0" | tar xz -C "$to" || exit 1
echo "buoyctl @VERSION@ is in $to"
exit 0
# What follows is the archive
