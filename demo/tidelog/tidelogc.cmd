@echo off
rem tidelogc of the Brackwater Tide Office: a made-up tool for Wagon Yard's demo.
if "%~1"=="--version" (
  echo tidelogc (tidelog^) @VERSION@
  exit /b 0
)
echo usage: tidelogc --version 1>&2
exit /b 2
