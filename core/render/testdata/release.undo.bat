@echo off
rem Puts back: Maker Model, Edition, no. 1
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
if defined LOG goto fromlog
call :bydefault a.loud
if errorlevel 3 exit /b 3
call :restore a.three
if errorlevel 3 exit /b 3
call :switchon a.two
if errorlevel 3 exit /b 3
call :restore a.one
if errorlevel 3 exit /b 3
echo What quietened packages might do is in the log of the run alone: without it they get what the platform gives by default.
goto totals

:fromlog
if not exist "%LOG%" (
    echo There is no such log to read. Nothing was done.
    exit /b 2
)
find "# roster-log/1" "%LOG%" >nul
if errorlevel 1 (
    echo This is not the log of such a run. Nothing was done.
    exit /b 2
)
rem Lines are numbered as they are read, and undone from the last.
set "N=0"
for /f "usebackq eol=# tokens=1-4 delims=	" %%A in ("%LOG%") do (
    set "A1=%%A"
    set "A2=%%B"
    set "A3=%%C"
    set "A4=%%D"
    call :unquote
    call :logline
)
set "STEPS=%N%"
:logundo
if %N%==0 goto totals
call set "STATE=%%S_%N%%%"
call set "KIND=%%T_%N%%%"
call set "NAME=%%N_%N%%%"
call set "REST=%%R_%N%%%"
set /a N-=1
if "%STATE%"=="setting" (
    call :resetto
    goto logundo
)
if "%KIND%"=="disable" (
    call :switchon %NAME%
) else if "%KIND%"=="quieten" (
    call :louden %NAME% %REST%
) else (
    call :restore %NAME%
)
if errorlevel 3 exit /b 3
goto logundo

:unquote
if defined A1 set "A1=%A1:"=?%"
if defined A2 set "A2=%A2:"=?%"
if defined A3 set "A3=%A3:"=?%"
if defined A4 set "A4=%A4:"=?%"
exit /b 0

rem What a file says is not trusted: only names and values of plain signs.
:logline
if not "%A1%"=="done" if not "%A1%"=="unknown" if not "%A1%"=="setting" exit /b 0
set "LINE=%A2% %A3% %A4%"
call :plain
if not defined LINE exit /b 0
set /a N+=1
set "S_%N%=%A1%"
set "T_%N%=%A2%"
set "N_%N%=%A3%"
set "R_%N%=%A4%"
exit /b 0

:resetto
if not "%KIND%"=="global" if not "%KIND%"=="secure" if not "%KIND%"=="system" exit /b 0
if "%REHEARSE%"=="yes" (
    echo would set %NAME% back to %REST%
    exit /b 0
)
if "%REST%"=="null" (
    "%ADB%" shell "settings delete %KIND% %NAME%" <nul >nul 2>&1
) else (
    "%ADB%" shell "settings put %KIND% %NAME% '%REST%'" <nul >nul 2>&1
)
set /a DONE+=1
echo set %NAME% back to %REST%
exit /b 0

:restore
set /a STEP+=1
if not defined K_%1 (
    set /a ABSENT+=1
    echo %STEP%/%STEPS% absent %1
    exit /b 0
)
if defined I_%1 (
    set /a ALREADY+=1
    echo %STEP%/%STEPS% already %1
    exit /b 0
)
call :do "cmd package install-existing --user 0" %1 "installed for user"
exit /b %ERRORLEVEL%

:switchon
set /a STEP+=1
if not defined D_%1 (
    set /a ALREADY+=1
    echo %STEP%/%STEPS% already %1
    exit /b 0
)
call :do "pm enable --user 0" %1 "new state: enabled"
exit /b %ERRORLEVEL%

rem bydefault NAME: what the platform gives a package of which nobody changed that.
:bydefault
call :hear %1
set "WAS="
if not "%NANY%"=="-" set "NANY=default"
if not "%NIN%"=="-" set "NIN=default"
if "%NNOTE%"=="revoked" set "NNOTE=granted"
if not "%NNOTE%"=="-" if not "%NNOTE%"=="granted" set "NNOTE=default"
call :louden %1 %NANY% %NIN% %NNOTE% %NEXEMPT% -
exit /b %ERRORLEVEL%

rem louden NAME ANY IN NOTE EXEMPT BUCKET: may do again what it did.
:louden
set /a STEP+=1
if not defined I_%1 (
    set /a ABSENT+=1
    echo %STEP%/%STEPS% absent %1
    exit /b 0
)
set "WAS=%2,%3,%4,%5"
call :hear %1
if "%NANY%,%NIN%,%NNOTE%,%NEXEMPT%"=="%WAS%" (
    set /a ALREADY+=1
    echo %STEP%/%STEPS% already %1
    exit /b 0
)
if "%REHEARSE%"=="yes" (
    set /a DONE+=1
    echo %STEP%/%STEPS% would %1
    exit /b 0
)
for %%M in (allow ignore deny default foreground) do (
    if "%2"=="%%M" "%ADB%" shell "cmd appops set %1 RUN_ANY_IN_BACKGROUND %%M" <nul
    if "%3"=="%%M" "%ADB%" shell "cmd appops set %1 RUN_IN_BACKGROUND %%M" <nul
    if "%4"=="%%M" "%ADB%" shell "cmd appops set %1 POST_NOTIFICATION %%M" <nul
)
if "%4"=="granted" "%ADB%" shell "pm grant %1 android.permission.POST_NOTIFICATIONS" <nul
if "%5"=="user" "%ADB%" shell "cmd deviceidle whitelist +%1" <nul >nul
if "%6"=="10" "%ADB%" shell "am set-standby-bucket %1 active" <nul
if "%6"=="20" "%ADB%" shell "am set-standby-bucket %1 working_set" <nul
if "%6"=="30" "%ADB%" shell "am set-standby-bucket %1 frequent" <nul
if "%6"=="40" "%ADB%" shell "am set-standby-bucket %1 rare" <nul
call :hear %1
if "%NANY%,%NIN%,%NNOTE%,%NEXEMPT%"=="%WAS%" (
    set /a DONE+=1
    echo %STEP%/%STEPS% done %1
    exit /b 0
)
goto loudfailed

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
