@echo off
rem A command of coastkit, the suite of the Brackwater Tide Office: made up for Wagon Yard's demo.
if not "%~1"=="--version" goto usage
echo %~n0 (coastkit) @VERSION@
exit /b 0

:usage
echo %~n0: give it readings 1>&2
exit /b 2
