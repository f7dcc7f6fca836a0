@echo off
rem tidelog of the Brackwater Tide Office: a made-up tool for Wagon Yard's demo.
if "%~1"=="--version" goto version
if "%~1"=="summary" goto summary
echo usage: tidelog --version, or summary FILE.csv 1>&2
exit /b 2

:version
echo tidelog @VERSION@
exit /b 0

:summary
if not exist "%~2" goto missing
set readings=-1
for /f "usebackq delims=" %%L in ("%~2") do set /a readings+=1 >nul
echo %readings% readings>"%~dpn2.summary"
echo %readings% readings
exit /b 0

:missing
echo tidelog: no such file: %2 1>&2
exit /b 2
