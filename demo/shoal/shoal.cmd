@echo off
rem shoal of the Brackwater Tide Office: a made-up tool for Wagon Yard's demo. It knows no --version, only "version".
if not "%~1"=="version" goto usage
echo shoal: version v@VERSION@ (built for the Brackwater Tide Office)
exit /b 0

:usage
echo shoal: say 'shoal version' 1>&2
exit /b 1
