# Maker Model, Edition, no. 1
# Published 2026-11-23T08:00:00Z by Somebody. SHA-256 of the release: 0123
# Whether it was withdrawn since: https://roster.example/r/m/d/e/1
# Runs on a computer that has adb: powershell -ExecutionPolicy Bypass -File SCRIPT
# Exit code: 0 all is well, 1 the phone refused something, 3 no phone or it
# vanished, 4 another model or firmware, 5 it would have no home screen,
# keyboard or dialler, 6 withdrawn, 7 it would stop something on this firmware,
# 8 what is put in first is missing.
param(
    [string]$Serial = '',
    [switch]$Anyway,
    [switch]$Rehearse,
    [string]$Log = '',
    [string]$Files = '' # a folder with what is put in: NAME.apk, or NAME with all of its parts
)
$ErrorActionPreference = 'Continue'
$adb = if ($env:ADB) { $env:ADB } else { 'adb' }
if ($Serial -ne '') { $env:ANDROID_SERIAL = $Serial }
$devices = @('dev')
$builds = @(
    'b/p/d:1/i/2:user/k'
)
$steps = @(
    @{ Method = 'quieten'; Name = 'a.loud' },
    @{ Method = 'remove-for-user'; Name = 'a.three' },
    @{ Method = 'disable'; Name = 'a.two' },
    @{ Method = 'remove-for-user'; Name = 'a.one' }
)
[array]::Reverse($steps)
$settings = @(
    @{ Namespace = 'global'; Key = 'window_animation_scale'; Value = '0.5' }
)
$guards = @(
    @{ Job = 'home screen'; Question = 'cmd package query-activities --brief -a android.intent.action.MAIN -c android.intent.category.HOME'; Taken = $true },
    @{ Job = 'keyboard'; Question = 'ime list -s -a'; Taken = $false },
    @{ Job = 'dialler'; Question = 'cmd package query-activities --brief -a android.intent.action.DIAL'; Taken = $false }
)
$count = @{ Done = 0; Already = 0; Absent = 0; Refused = 0; Skipped = 0 }
$step = 0
$goodValue = '^[A-Za-z0-9_.:,/ -]{1,200}$'

# Runs a command on the phone and gives back the phone's words.
function Ask([string]$Command) {
    $answer = & $adb shell $Command 2>&1 | Out-String
    return $answer.Replace("`r", '').Trim()
}

function Vanished {
    $state = & $adb get-state 2>$null | Out-String
    return $state.Trim() -ne 'device'
}

function Stop-With([int]$Code, [string]$Words) {
    [Console]::Error.WriteLine($Words)
    exit $Code
}

function Names([string]$Command) {
    $set = @{}
    foreach ($line in (Ask $Command).Split("`n")) {
        if ($line.StartsWith('package:')) { $set[$line.Substring(8).Trim()] = $true }
    }
    return $set
}

# What a known refusal means.
function Explain([string]$Words) {
    switch -Wildcard ($Words) {
        '*DEVICE_POLICY_MANAGER*' { return 'a device administrator guards it: withdraw that in the phone''s settings first' }
        '*DELETE_FAILED_INTERNAL_ERROR*' { return 'the maker protects it' }
        '*protected package*' { return 'the maker protects it' }
        '*USER_RESTRICTED*' { return 'this user may not remove apps' }
        '*OWNER_BLOCKED*' { return 'the phone''s owner or company blocks it' }
        '*USED_SHARED_LIBRARY*' { return 'another app still uses a library of it' }
        '*APP_PINNED*' { return 'it is pinned on the screen' }
        '*NameNotFound*' { return 'the image holds no copy of it' }
        '*find service*' { return 'the phone''s system is not up yet' }
    }
    return 'the phone does not say why'
}

function Tell([string]$State, [string]$Name, [string]$Words) {
    Write-Output ('{0,3}/{1}  {2,-8} {3}  {4}' -f $script:step, $steps.Count, $State, $Name, $Words)
}

function Note([string]$State, [string]$Kind, [string]$Name, [string]$Rest) {
    if (-not $Rehearse -and -not $undo) { Add-Content -LiteralPath $Log -Value ($State + "`t" + $Kind + "`t" + $Name + "`t" + $Rest) }
}

function Total {
    if ($Rehearse) { Write-Output ('' + $count.Done + ' would go, ' + $count.Already + ' already gone, ' + $count.Absent + ' absent, ' + $count.Skipped + ' skipped, of ' + $steps.Count) }
    else { Write-Output ('' + $count.Done + ' done, ' + $count.Already + ' already gone, ' + $count.Absent + ' absent, ' + $count.Refused + ' refused, ' + $count.Skipped + ' skipped, of ' + $steps.Count) }
}
$goodNoise = '^((allow|ignore|deny|default|foreground|-),){2}(granted|revoked|allow|ignore|deny|default|foreground|-),(user|system|-),([0-9]{1,2}|-)$'

function Mode([string]$Words) {
    if ($Words -cmatch 'No operations') { return 'default' }
    if ($Words -cmatch ': (allow|ignore|deny|default|foreground)') { return $Matches[1] }
    return '-'
}

# What a package may do unasked, as one word: work in the background (two ways),
# notify, whose exception from saving the battery it is, its standby bucket; - for
# what the phone does not tell.
function Hear([string]$Name) {
    $part = @{ any = ''; in = ''; note = ''; may = ''; exempt = ''; bucket = '' }
    $told = Ask ('{ echo --noise-any; cmd appops get NAME RUN_ANY_IN_BACKGROUND; echo --noise-in; cmd appops get NAME RUN_IN_BACKGROUND; echo --noise-note; cmd appops get NAME POST_NOTIFICATION; echo --noise-may; dumpsys package NAME | grep -F android.permission.POST_NOTIFICATIONS; echo --noise-exempt; cmd deviceidle whitelist | grep -F ,NAME,; echo --noise-bucket; am get-standby-bucket NAME; } 2>&1'.Replace('NAME', $Name))
    foreach ($one in ($told -split '--noise-')) {
        $at = $one.IndexOf("`n")
        if ($at -gt 0) { $part[$one.Substring(0, $at).Trim()] = $one.Substring($at).Trim() }
    }
    $note = Mode $part['note']
    if ($part['may'] -cmatch 'granted=(true|false)') { $note = if ($Matches[1] -ceq 'true') { 'granted' } else { 'revoked' } }
    $exempt = if ($part['exempt'] -cmatch 'user,') { 'user' } elseif ($part['exempt'] -cmatch 'system[a-z-]*,') { 'system' } else { '-' }
    $bucket = if ($part['bucket'] -match '^[0-9]{1,2}$') { $part['bucket'] } else { '-' }
    return @((Mode $part['any']), (Mode $part['in']), $note, $exempt, $bucket) -join ','
}

# Does that say that it works in the background?
function Background([string]$Noise) { return $Noise -cnotmatch '^((ignore|deny),|-,(ignore|deny),)' }

# It stays, and neither works in the background nor notifies. What it might do is
# written down before.
function Hush([string]$Name) {
    if (-not $installed.ContainsKey($Name)) { $count.Absent++; Tell 'absent' $Name 'not on this phone'; return }
    if ($disabled.ContainsKey($Name)) { $count.Already++; Tell 'already' $Name 'switched off before'; return }
    $before = Hear $Name
    if ($before.StartsWith('-,-,')) {
        if (Vanished) { Total; Stop-With 3 'The phone is no longer there. What was done stays done: attach it and run this again to go on.' }
        $count.Skipped++
        Note 'skipped' 'quieten' $Name ''
        Tell 'skipped' $Name 'the phone does not tell what it may do, and so nobody could put it back'
        return
    }
    $list = $before.Split(',')
    if (-not (Background $before) -and @('granted', 'allow', 'default') -notcontains $list[2] -and $list[3] -ne 'user') {
        $count.Already++; Tell 'already' $Name 'quiet before'; return
    }
    if ($Rehearse) { $count.Done++; Tell 'would' $Name 'quieten'; return }
    Note 'sent' 'quieten' $Name $before
    $words = Ask ('cmd appops set ' + $Name + ' RUN_ANY_IN_BACKGROUND ignore; cmd appops set ' + $Name + ' RUN_IN_BACKGROUND ignore')
    $now = Hear $Name
    if (Vanished) {
        Note 'unknown' 'quieten' $Name $before
        Tell 'failed' $Name $words
        Total
        Stop-With 3 'The phone is no longer there. What was done stays done: attach it and run this again to go on.'
    }
    if (Background $now) {
        $count.Refused++
        Note 'refused' 'quieten' $Name ''
        Tell 'refused' $Name ('It still works in the background.' + ' ' + $words)
        return
    }
    Note 'done' 'quieten' $Name $before
    $words = ''
    if ($list[2] -eq 'granted') { $words = Ask ('pm revoke ' + $Name + ' android.permission.POST_NOTIFICATIONS') }
    elseif ($list[2] -ne 'revoked') { $words = Ask ('cmd appops set ' + $Name + ' POST_NOTIFICATION ignore') }
    if ($list[3] -eq 'user') { [void](Ask ('cmd deviceidle whitelist -' + $Name)) }
    if ($list[4] -ne '-') { [void](Ask ('am set-standby-bucket ' + $Name + ' restricted || am set-standby-bucket ' + $Name + ' rare')) }
    [void](Ask ('am force-stop ' + $Name))
    $count.Done++
    Tell 'done' $Name ('quiet: it stays' + ' ' + $words)
}


# Who holds a role now.
function HolderOf([string]$Role) {
    if ($Role -eq '') { return '' }
    if ($Role -eq 'KEYBOARD') { return ((Ask 'settings get secure default_input_method') -split '/')[0] }
    return ((Ask ('cmd role get-role-holders --user 0 android.app.role.' + $Role)) -split "`n")[0].Trim()
}

# Makes a package the holder of a role, where the phone lets a computer do that.
function Give([string]$Role, [string]$Name) {
    if ($Role -eq 'KEYBOARD') {
        $id = @((Ask 'ime list -s -a') -split "`n" | ForEach-Object { $_.Trim() } | Where-Object { $_.StartsWith($Name + '/') })
        if ($id.Count -gt 0 -and $id[0] -cmatch '^[A-Za-z0-9_./]+$') { [void](Ask ('ime enable ' + $id[0] + '; ime set ' + $id[0])) }
        return
    }
    [void](Ask ('cmd role add-role-holder --user 0 android.app.role.' + $Role + ' ' + $Name))
}

# Nothing goes before it is there.
function Missing([string]$Name, [string]$Words) {
    [Console]::Error.WriteLine($Name + ': ' + $Words)
    if (-not $Anyway) { Stop-With 8 'Nothing goes before it is there. -Files DIR says where the files are; -Anyway goes on without it.' }
}

# Did they sign it? Only the program apksigner can tell here.
function Signed([string]$File, [string]$Signer) {
    if (-not (Get-Command apksigner -ErrorAction SilentlyContinue)) { return $false }
    return (& apksigner verify --print-certs $File 2>$null | Out-String) -like ('*certificate SHA-256 digest: ' + $Signer + '*')
}

# Does the phone have an older version of it?
function Old([string]$Name, [long]$Least) {
    if ($Least -eq 0) { return $false }
    if ((Ask ('dumpsys package ' + $Name)) -match 'versionCode=(\d{1,18})') { return [long]$Matches[1] -lt $Least }
    return $true
}

function Put-In($One) {
    $name = $One.Name
    $was = if ($installed.ContainsKey($name)) { 'there' } else { 'absent' }
    $needed = $was -eq 'absent' -or (Old $name $One.Least)
    if ($needed) {
        $list = @()
        $base = ''
        if ($Files -ne '') {
            $folder = Join-Path $Files $name
            $base = Join-Path $Files ($name + '.apk')
            if (Test-Path -LiteralPath $folder -PathType Container) {
                $base = Join-Path $folder 'base.apk'
                $list = @(Get-ChildItem -LiteralPath $folder -Filter '*.apk' | ForEach-Object { $_.FullName })
            }
        }
        if ($base -eq '' -or -not (Test-Path -LiteralPath $base -PathType Leaf)) { Missing $name ('its file is wanted.' + ' ' + $One.From); return }
        if ($One.Sum -ne '') {
            if ((Get-FileHash -LiteralPath $base -Algorithm SHA256).Hash -ne $One.Sum) { Missing $name 'its file is not the one that is wanted'; return }
        }
        elseif (-not (Signed $base $One.Signer)) { Missing $name 'who signed its file can''t be told here: the program apksigner is wanted for it. The bench and the release''s page in a browser can tell.'; return }
    }
    if ($Rehearse) { Write-Output ('would' + ' ' + $name + ': ' + 'put in, and has what it needs'); return }
    Note 'put-in' $(if ($One.Role -eq '') { '-' } else { $One.Role }) $name ($was + ' ' + (HolderOf $One.Role)).Trim()
    if ($needed) {
        $words = if ($list.Count -gt 0) { & $adb install-multiple -r @list 2>&1 | Out-String } else { & $adb install -r $base 2>&1 | Out-String }
        $script:installed = Names 'pm list packages --user 0'
        if (-not $installed.ContainsKey($name)) { Missing $name $words.Trim(); return }
        if (Old $name $One.Least) { Missing $name (('its version is too old: version code ' + $One.Least + ' or newer is wanted.') + ' ' + $words.Trim()); return }
    }
    foreach ($permission in $One.Grants) {
        $words = Ask ('pm grant ' + $name + ' ' + $permission)
        if ($words -ne '') { Missing $name ($permission + ': ' + $words) }
    }
    if ($One.Role -ne '' -and (HolderOf $One.Role) -ne $name) {
        Give $One.Role $name
        if ((HolderOf $One.Role) -ne $name) { Missing $name ('it does not hold the role ' + $One.Role + ': choose it on the phone') }
    }
    Write-Output ($name + ': ' + 'put in, and has what it needs')
    Start-Sleep -Seconds $One.Seconds
}

$undo = $false
if (Vanished) { Stop-With 3 ('No phone answers. Attach one phone, turn on USB debugging and accept this computer on its screen.' + ' adb devices -l') }
$device = Ask 'getprop ro.product.device'
if ($devices -notcontains $device -and -not $Anyway) { Stop-With 4 (('This is for ' + 'Model' + ', and the phone says that it is ' + $device + '.') + ' ' + 'Nothing was done; -Anyway goes on all the same.') }
$build = Ask 'getprop ro.build.fingerprint'
if ($build -eq '') { $build = Ask 'getprop ro.system.build.fingerprint' }
if ($build -eq 'b/p/d:1/i/3:user/k') { Stop-With 7 ('This release is not for 15.0.1: a.home rests on it: it''s needed (so 100% true).' + ' ' + 'Nothing was done.') }
if ($builds -notcontains $build -and -not $Anyway) { Stop-With 4 (('This was not made for the phone''s firmware: ' + $build + '.') + ' ' + 'Nothing was done; -Anyway goes on all the same.') }
$known = Names 'pm list packages -u --user 0'
$installed = Names 'pm list packages --user 0'
$disabled = Names 'pm list packages -d --user 0'
if ($installed.Count -eq 0) { Stop-With 3 ('The phone does not list its packages. It said: ' + $(Ask 'pm list packages --user 0')) }
if ($Rehearse) { Write-Output 'Rehearsing: nothing is changed.' }

if (-not $Rehearse) {
    if ($Log -eq '') { $Log = Join-Path (Get-Location) ('model-edition-1' + '-' + (Get-Date -Format 'yyyyMMddTHHmmss') + '.log') }
    try { Set-Content -LiteralPath $Log -Value @('# roster-log/1', '# release 0123', ('# firmware ' + $build)) -ErrorAction Stop }
    catch { Stop-With 2 ('The log ' + $Log + ' can not be written. Nothing was done; name another with -Log.') }
}
Put-In @{ Name = 'org.open.home'; Signer = 'aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa'; Sum = ''; Least = 0; Role = 'HOME'; Seconds = 2; From = 'the shelf; it''s free'; Grants = @('android.permission.CAMERA') }
foreach ($guard in $guards) {
    if ($Rehearse -and $guard.Taken) { continue } # by what is put in first
    $able = @([regex]::Matches((Ask $guard.Question), '(?m)^ *([A-Za-z][A-Za-z0-9_.]*)/[^ =]*$') | ForEach-Object { $_.Groups[1].Value })
    if ($able.Count -eq 0) {
        if ($Anyway) { continue }
        Stop-With 5 ('The phone does not say who can be its ' + $guard.Job + '. Nothing was done; -Anyway goes on all the same.')
    }
    $stays = @($able | Where-Object { @($steps | Where-Object { $_.Method -ne 'quieten' } | ForEach-Object { $_.Name }) -notcontains $_ })
    if ($stays.Count -eq 0) { Stop-With 5 ('This would leave the phone without a ' + $guard.Job + ': all that can do it would go. Nothing was done. Put another one in first.') }
}
Write-Output ('To see to before:' + ' ' + 'Pocket goes only if: no card is in it')
foreach ($one in $settings) {
    $before = Ask ('settings get ' + $one.Namespace + ' ' + $one.Key)
    if ($before -eq $one.Value -or $before -cnotmatch $goodValue) { continue }
    if ($Rehearse) { Write-Output ('would' + ' ' + $one.Key + ': ' + ('' + $one.Value + ' instead of ' + $before)); continue }
    Note 'setting' $one.Namespace $one.Key $before
    [void](Ask ('settings put ' + $one.Namespace + ' ' + $one.Key + " '" + $one.Value + "'"))
    Write-Output ($one.Key + ': ' + ('' + $one.Value + ' instead of ' + $before))
}
foreach ($one in $steps) {
    $step++
    $name = $one.Name
    if ($one.Method -eq 'quieten') { Hush $name; continue }
    $off = $one.Method -eq 'disable'
    if (-not $known.ContainsKey($name)) { $count.Absent++; Tell 'absent' $name 'not on this phone'; continue }
    if (-not $installed.ContainsKey($name) -or ($off -and $disabled.ContainsKey($name))) { $count.Already++; Tell 'already' $name 'gone before'; continue }
    if ($Rehearse) { $count.Done++; Tell 'would' $name $(if ($off) { 'disable' } else { 'remove-for-user' }); continue }
    Note 'sent' $one.Method $name ''
    $words = if ($off) { Ask ('pm disable-user --user 0 ' + $name) } else { Ask ('pm uninstall --user 0 ' + $name) }
    if ($words -like '*Success*' -or $words -like '*new state: disabled*') { $count.Done++; Note 'done' $one.Method $name ''; Tell 'done' $name $words; continue }
    if ($words -like '*not installed for*') { $count.Already++; Note 'already' $one.Method $name ''; Tell 'already' $name $words; continue }
    if (Vanished) {
        Note 'unknown' $one.Method $name ''
        Tell 'failed' $name $words
        Total
        Stop-With 3 'The phone is no longer there. What was done stays done: attach it and run this again to go on.'
    }
    $count.Refused++
    Note 'refused' $one.Method $name ''
    Tell 'refused' $name ($words + ' (' + (Explain $words) + ')')
}
if (-not $Rehearse) { Write-Output 'Wait 20 s'; Start-Sleep -Seconds 20 }
Total
$command = 'model-edition-1.undo.ps1' + ' -Log ' + $Log
if (-not $Rehearse) { Write-Output ('Written down in ' + $Log + '; to put it back: ' + $command) }
Write-Output ('To try now, and again in a week:' + ' ' + 'Call, and be called; it''s loud')
if ($count.Refused -gt 0) { exit 1 }
exit 0

