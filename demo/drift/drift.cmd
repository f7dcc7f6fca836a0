@echo off
rem drift of the Brackwater Tide Office: a made-up interpreter for Wagon Yard's demo. It runs class files: the first line of
rem one is its name and version, the others are what it prints.
setlocal
if "%~1"=="" goto version
if "%~1"=="--version" goto version
if not exist "%~1" goto missing
if "%~2"=="--version" goto first
for /f "usebackq skip=1 delims=" %%L in ("%~1") do echo %%L
exit /b 0

:first
set /p line=<"%~1"
echo %line%
exit /b 0

:version
echo drift @VERSION@
exit /b 0

:missing
echo drift: no such file: %1 1>&2
exit /b 2
