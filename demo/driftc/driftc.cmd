@echo off
rem driftc of the Brackwater Tide Office: a made-up compiler for Wagon Yard's demo. It knows two words: "say TEXT" and
rem "sum NUMBER NUMBER". NAME.drift becomes the program NAME.cmd.
setlocal
if "%~1"=="--version" goto version
if not exist "%~1" goto missing
>"%~dpn1.cmd" echo @echo off
for /f "usebackq tokens=1,* eol=#" %%A in ("%~1") do (
  if "%%A"=="say" >>"%~dpn1.cmd" echo echo %%B
  if "%%A"=="sum" for /f "tokens=1,2" %%C in ("%%B") do call :sum "%~dpn1.cmd" %%C %%D
)
exit /b 0

:sum
set /a total=%2+%3
>>%1 echo echo %total%
exit /b 0

:version
echo driftc @VERSION@
exit /b 0

:missing
echo driftc: no such file: %1 1>&2
exit /b 2
