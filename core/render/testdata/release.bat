@echo off
rem Maker Model, Edition, no. 1
rem Published 2026-11-23T08:00:00Z by Somebody
rem SHA-256 of the release: 0123
rem Whether it was withdrawn since: https://roster.example/r/m/d/e/1
rem Runs on a computer that has adb.
rem Exit code: 0 all is well, 1 the phone refused something, 2 used wrongly,
rem 3 no phone or it vanished, 4 another model or firmware, 5 it would have no
rem home screen, keyboard or dialler, 6 withdrawn, 7 it would stop something
rem on this firmware, 8 what is put in first is missing.
setlocal EnableExtensions DisableDelayedExpansion
if not defined ADB set "ADB=adb"
set "ANYWAY=no"
set "REHEARSE=no"
set "LOG="
set "STEPS=4"
set "STEP=0"
set "DONE=0"
set "ALREADY=0"
set "ABSENT=0"
set "REFUSED=0"
set "OUT=%TEMP%\roster-%RANDOM%%RANDOM%.txt"

:arguments
if "%~1"=="" goto begin
if /i "%~1"=="--anyway" (
    set "ANYWAY=yes"
    shift
    goto arguments
)
if /i "%~1"=="--rehearse" (
    set "REHEARSE=yes"
    shift
    goto arguments
)
if /i "%~1"=="-s" (
    set "ANDROID_SERIAL=%~2"
    shift
    shift
    goto arguments
)
if /i "%~1"=="--log" (
    set "LOG=%~2"
    shift
    shift
    goto arguments
)
echo usage: SCRIPT [-s SERIAL] [--rehearse] [--anyway] [--log FILE]
exit /b 2

:begin
call :vanished
if not errorlevel 1 (
    echo No phone answers. Attach one phone, turn on USB debugging and accept this computer on its screen; see: adb devices -l
    exit /b 3
)
call :read DEVICE "getprop ro.product.device"
set "RIGHT=no"
if "%DEVICE%"=="dev" set "RIGHT=yes"
if "%RIGHT%%ANYWAY%"=="nono" (
    echo This is for another model. Nothing was done; --anyway goes on all the same.
    exit /b 4
)
call :read BUILD "getprop ro.build.fingerprint"
if not defined BUILD call :read BUILD "getprop ro.system.build.fingerprint"
if "%BUILD%"=="b/p/d:1/i/3:user/k" (
    echo This release is not for 15.0.1: a.home rests on it: it's needed ?so 100? true?. Nothing was done.
    exit /b 7
)
set "RIGHT=no"
if "%BUILD%"=="b/p/d:1/i/2:user/k" set "RIGHT=yes"
if "%RIGHT%%ANYWAY%"=="nono" (
    echo This was not made for the firmware of the phone. Nothing was done; --anyway goes on all the same.
    exit /b 4
)
call :list K_ "pm list packages -u --user 0"
call :list I_ "pm list packages --user 0"
call :list D_ "pm list packages -d --user 0"
if not defined LISTED_I_ (
    echo The phone does not list its packages.
    exit /b 3
)
if "%REHEARSE%"=="yes" echo Rehearsing: nothing is changed.

set "G_a.one=1"
set "G_a.two=1"
set "G_a.three=1"
if not defined I_org.open.home (
    echo org.open.home has to be put in first, from its file. This script can not do that: the script for a Linux computer, the bench and the page of the release in a browser can. the shelf; it's free
    if "%ANYWAY%"=="no" exit /b 8
)
call :guard "home screen" "cmd package query-activities --brief -a android.intent.action.MAIN -c android.intent.category.HOME"
if errorlevel 5 exit /b 5
call :guard "keyboard" "ime list -s -a"
if errorlevel 5 exit /b 5
call :guard "dialler" "cmd package query-activities --brief -a android.intent.action.DIAL"
if errorlevel 5 exit /b 5
if "%REHEARSE%"=="yes" goto steps
if not defined LOG set "LOG=model-edition-1-%RANDOM%%RANDOM%.log"
>"%LOG%" echo # roster-log/1
if not exist "%LOG%" (
    echo The log can not be written. Nothing was done; name another with --log.
    exit /b 2
)
>>"%LOG%" echo # release 0123

:steps
echo To see to before: Pocket goes only if: no card is in it
call :setto global window_animation_scale "0.5"
call :remove a.one
if errorlevel 3 exit /b 3
call :switchoff a.two
if errorlevel 3 exit /b 3
call :remove a.three
if errorlevel 3 exit /b 3
call :quieten a.loud
if errorlevel 3 exit /b 3

if "%REHEARSE%"=="no" (
    echo Wait 20 s
    ping -n 20 127.0.0.1 >nul
)
echo To try now, and again in a week: Call, and be called; it's loud
if "%REHEARSE%"=="no" echo Written down in %LOG%; to put it back: model-edition-1.undo.bat --log %LOG%
goto totals

rem guard JOB QUESTION: somebody who can do the job has to stay.
:guard
set "ABLE=0"
set "STAYS=0"
"%ADB%" shell "%~2" <nul >"%OUT%" 2>&1
for /f "usebackq tokens=1,2 delims=/ " %%A in ("%OUT%") do (
    set "LINE=%%A"
    set "TAIL=%%B"
    call :able
)
if %ABLE%==0 (
    if "%ANYWAY%"=="yes" exit /b 0
    echo The phone does not say who can be its %~1. Nothing was done; --anyway goes on all the same.
    exit /b 5
)
if %STAYS%==0 (
    echo This would leave the phone without a %~1: all that can do it would go. Nothing was done. Put another one in first.
    exit /b 5
)
exit /b 0

:able
if not defined TAIL exit /b 0
call :plain
if not defined LINE exit /b 0
if "%LINE:.=%"=="%LINE%" exit /b 0
if "%LINE::=%"=="%LINE%" (
    set /a ABLE+=1
    call :stays
)
exit /b 0

:stays
if not defined G_%LINE% set /a STAYS+=1
exit /b 0

:setto
call :read BEFORE "settings get %1 %2"
if "%BEFORE%"=="%~3" exit /b 0
if "%REHEARSE%"=="yes" (
    echo would set %2 to %~3
    exit /b 0
)
>>"%LOG%" echo setting	%1	%2	%BEFORE%
"%ADB%" shell "settings put %1 %2 '%~3'" <nul >nul 2>&1
echo set %2 to %~3
exit /b 0

:remove
set /a STEP+=1
if not defined K_%1 (
    set /a ABSENT+=1
    echo %STEP%/%STEPS% absent %1
    exit /b 0
)
if not defined I_%1 (
    set /a ALREADY+=1
    echo %STEP%/%STEPS% already %1
    exit /b 0
)
call :do "pm uninstall --user 0" %1 "Success" remove-for-user
exit /b %ERRORLEVEL%

:switchoff
set /a STEP+=1
if not defined I_%1 (
    set /a ABSENT+=1
    echo %STEP%/%STEPS% absent %1
    exit /b 0
)
if defined D_%1 (
    set /a ALREADY+=1
    echo %STEP%/%STEPS% already %1
    exit /b 0
)
call :do "pm disable-user --user 0" %1 "new state: disabled" disable
exit /b %ERRORLEVEL%

rem quieten NAME: it stays, and neither works in the background nor notifies.
rem What it might do is written down before.
:quieten
set /a STEP+=1
if not defined I_%1 (
    set /a ABSENT+=1
    echo %STEP%/%STEPS% absent %1
    exit /b 0
)
if defined D_%1 (
    set /a ALREADY+=1
    echo %STEP%/%STEPS% already %1
    exit /b 0
)
call :hear %1
set "BEFORE=%NANY%,%NIN%,%NNOTE%,%NEXEMPT%,%NBUCKET%"
set "WAS=%NNOTE%"
set "WHOSE=%NEXEMPT%"
if "%NANY%%NIN%"=="--" (
    echo %STEP%/%STEPS% skipped %1: the phone does not tell what it may do, and so nobody could put it back
    call :vanished
    if not errorlevel 1 goto loudfailed
    exit /b 0
)
set "QUIET=%LOUD%"
if "%NNOTE%"=="granted" set "QUIET=yes"
if "%NNOTE%"=="allow" set "QUIET=yes"
if "%NNOTE%"=="default" set "QUIET=yes"
if "%NEXEMPT%"=="user" set "QUIET=yes"
if "%QUIET%"=="no" (
    set /a ALREADY+=1
    echo %STEP%/%STEPS% already %1
    exit /b 0
)
if "%REHEARSE%"=="yes" (
    set /a DONE+=1
    echo %STEP%/%STEPS% would quieten %1
    exit /b 0
)
"%ADB%" shell "cmd appops set %1 RUN_ANY_IN_BACKGROUND ignore; cmd appops set %1 RUN_IN_BACKGROUND ignore" <nul >"%OUT%.words" 2>&1
call :hear %1
if "%LOUD%"=="yes" (
    >>"%LOG%" echo unknown	quieten	%1	%BEFORE%
    type "%OUT%.words"
    goto loudfailed
)
>>"%LOG%" echo done	quieten	%1	%BEFORE%
if "%WAS%"=="granted" "%ADB%" shell "pm revoke %1 android.permission.POST_NOTIFICATIONS" <nul
if not "%WAS%"=="granted" if not "%WAS%"=="revoked" "%ADB%" shell "cmd appops set %1 POST_NOTIFICATION ignore" <nul
if "%WHOSE%"=="user" "%ADB%" shell "cmd deviceidle whitelist -%1" <nul >nul
if not "%NBUCKET%"=="-" "%ADB%" shell "am set-standby-bucket %1 restricted || am set-standby-bucket %1 rare" <nul >nul
"%ADB%" shell "am force-stop %1" <nul >nul
set /a DONE+=1
echo %STEP%/%STEPS% done %1: quiet, and stays
exit /b 0

:loudfailed
call :vanished
if not errorlevel 1 (
    echo The phone is no longer there. What was done stays done: attach it and run this again to go on.
    exit /b 3
)
set /a REFUSED+=1
echo %STEP%/%STEPS% refused
exit /b 0

rem hear NAME: what it may do unasked: NANY and NIN, work in the background in
rem two ways; NNOTE, notify; NEXEMPT, whose exception from saving the battery it
rem is; NBUCKET, its standby bucket; - for what is not told. LOUD is yes where it
rem works in the background.
:hear
set "NANY=-"
set "NIN=-"
set "NNOTE=-"
set "NEXEMPT=-"
set "NBUCKET=-"
set "PART="
set "MAY="
"%ADB%" shell "{ echo --noise-any; cmd appops get %1 RUN_ANY_IN_BACKGROUND; echo --noise-in; cmd appops get %1 RUN_IN_BACKGROUND; echo --noise-note; cmd appops get %1 POST_NOTIFICATION; echo --noise-may; dumpsys package %1 | grep -F android.permission.POST_NOTIFICATIONS; echo --noise-exempt; cmd deviceidle whitelist | grep -F ,%1,; echo --noise-bucket; am get-standby-bucket %1; } 2>&1" <nul >"%OUT%" 2>nul
for /f "usebackq tokens=1-4 delims=:;=, " %%A in ("%OUT%") do (
    set "W1=%%A"
    set "W2=%%B"
    set "W3=%%C"
    set "W4=%%D"
    call :hearline
)
set "LOUD=yes"
if "%NANY%"=="ignore" set "LOUD=no"
if "%NANY%"=="deny" set "LOUD=no"
if "%NANY%,%NIN%"=="-,ignore" set "LOUD=no"
if "%NANY%,%NIN%"=="-,deny" set "LOUD=no"
exit /b 0

:hearline
set "LINE=%W1% %W2% %W3% %W4%"
call :plain
if not defined LINE exit /b 0
if "%W1:~0,8%"=="--noise-" (
    set "PART=%W1:~8%"
    exit /b 0
)
if "%W1%"=="No" set "W2=default"
if "%W1%"=="Uid" set "W2=%W4%"
set "GOOD="
for %%M in (allow ignore deny default foreground) do if "%W2%"=="%%M" set "GOOD=yes"
if defined GOOD if "%PART%"=="any" if "%NANY%"=="-" set "NANY=%W2%"
if defined GOOD if "%PART%"=="in" if "%NIN%"=="-" set "NIN=%W2%"
if defined GOOD if "%PART%"=="note" if "%NNOTE%"=="-" set "NNOTE=%W2%"
if "%PART%%W2%"=="maygranted" if not defined MAY set "MAY=%W3%"
if "%MAY%"=="true" set "NNOTE=granted"
if "%MAY%"=="false" set "NNOTE=revoked"
if "%PART%%W1%"=="exemptsystem" if "%NEXEMPT%"=="-" set "NEXEMPT=system"
if "%PART%%W1%"=="exemptsystem-excidle" if "%NEXEMPT%"=="-" set "NEXEMPT=system"
if "%PART%%W1%"=="exemptuser" set "NEXEMPT=user"
if "%PART%"=="bucket" if not "%W1%"=="Error" set "NBUCKET=%W1%"
exit /b 0

rem do COMMAND NAME GOOD METHOD: one step, judged by the words of the phone.
:do
if "%REHEARSE%"=="yes" (
    set /a DONE+=1
    echo %STEP%/%STEPS% would %2
    exit /b 0
)
"%ADB%" shell "%~1 %2" <nul >"%OUT%" 2>&1
find "%~3" "%OUT%" >nul
if not errorlevel 1 (
    set /a DONE+=1
    echo %STEP%/%STEPS% done %2
    >>"%LOG%" echo done	%4	%2	-
    exit /b 0
)
find "not installed for" "%OUT%" >nul
if not errorlevel 1 (
    set /a ALREADY+=1
    echo %STEP%/%STEPS% already %2
    exit /b 0
)
call :vanished
if not errorlevel 1 (
    >>"%LOG%" echo unknown	%4	%2	-
    echo The phone is no longer there. What was done stays done: attach it and run this again to go on.
    exit /b 3
)
set /a REFUSED+=1
echo %STEP%/%STEPS% refused %2
type "%OUT%"
call :explain
exit /b 0

:explain
find "DEVICE_POLICY_MANAGER" "%OUT%" >nul && echo   a device administrator guards it: withdraw that in the settings of the phone first&& exit /b 0
find "DELETE_FAILED_INTERNAL_ERROR" "%OUT%" >nul && echo   the maker protects it&& exit /b 0
find "protected package" "%OUT%" >nul && echo   the maker protects it&& exit /b 0
find "USER_RESTRICTED" "%OUT%" >nul && echo   this user may not remove apps&& exit /b 0
find "OWNER_BLOCKED" "%OUT%" >nul && echo   the owner of the phone or a company blocks it&& exit /b 0
find "USED_SHARED_LIBRARY" "%OUT%" >nul && echo   another app still uses a library of it&& exit /b 0
find "APP_PINNED" "%OUT%" >nul && echo   it is pinned on the screen&& exit /b 0
find "NameNotFound" "%OUT%" >nul && echo   the image holds no copy of it&& exit /b 0
echo   the phone does not say why
exit /b 0

:totals
echo %DONE% done, %ALREADY% already, %ABSENT% absent, %REFUSED% refused, of %STEPS%
if exist "%OUT%" del "%OUT%"
if exist "%OUT%.state" del "%OUT%.state"
if exist "%OUT%.words" del "%OUT%.words"
if not %REFUSED%==0 exit /b 1
exit /b 0

rem vanished: error level 0 where no phone answers.
:vanished
"%ADB%" get-state <nul >"%OUT%.state" 2>nul
find "device" "%OUT%.state" >nul
if errorlevel 1 exit /b 0
exit /b 1

rem read NAME COMMAND: the first line that the phone answers, where all its
rem signs are plain, else nothing.
:read
set "%1="
set "LINE="
"%ADB%" shell "%~2" <nul >"%OUT%" 2>&1
for /f "usebackq tokens=*" %%L in ("%OUT%") do if not defined LINE set "LINE=%%L"
call :plain
if defined LINE set "%1=%LINE%"
exit /b 0

rem plain: empties LINE where it holds a sign that could mean something here.
:plain
if not defined LINE exit /b 0
set "LINE=%LINE:"=?%"
for /f "delims=abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_.:,/+- " %%X in ("x%LINE%") do set "LINE="
exit /b 0

rem list PREFIX COMMAND: defines PREFIX and name for each package.
:list
"%ADB%" shell "%~2" <nul >"%OUT%" 2>&1
for /f "usebackq tokens=2 delims=: " %%N in ("%OUT%") do (
    set "%1%%N=1"
    set "LISTED_%1=1"
)
exit /b 0
