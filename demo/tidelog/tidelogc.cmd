@echo off
rem tidelogc of the Brackwater Tide Office: a made-up tool for Wagon Yard's demo.
if not "%~1"=="--version" goto usage
echo tidelogc (tidelog) @VERSION@
exit /b 0

:usage
echo usage: tidelogc --version 1>&2
exit /b 2
