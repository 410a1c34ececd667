# Puts back: Maker Model, Edition, no. 1
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
    [string]$Log = ''
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
    if ($Rehearse) { Write-Output ('' + $count.Done + ' would come back, ' + $count.Already + ' already there, ' + $count.Absent + ' absent, ' + $count.Refused + ' refused, of ' + $steps.Count) }
    else { Write-Output ('' + $count.Done + ' put back, ' + $count.Already + ' already there, ' + $count.Absent + ' absent, ' + $count.Refused + ' refused, of ' + $steps.Count) }
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

# It may do again what it did.
function Louden([string]$Name, [string]$Was) {
    if (-not $installed.ContainsKey($Name)) { $count.Absent++; Tell 'absent' $Name 'not on this phone'; return }
    $now = Hear $Name
    if ($Was -eq '') {
        $list = $now.Split(',')
        $Was = @($(if ($list[0] -eq '-') { '-' } else { 'default' }), $(if ($list[1] -eq '-') { '-' } else { 'default' }),
            $(if ($list[2] -eq '-') { '-' } elseif (@('granted', 'revoked') -contains $list[2]) { 'granted' } else { 'default' }), $list[3], '-') -join ','
    }
    if ($Was -cnotmatch $goodNoise) { return }
    $same = $Was.Substring(0, $Was.LastIndexOf(',') + 1)
    if ($now.StartsWith($same)) { $count.Already++; Tell 'already' $Name 'as before'; return }
    if ($Rehearse) { $count.Done++; Tell 'would' $Name 'may do again what it did'; return }
    $list = $Was.Split(',')
    $words = ''
    if ($list[0] -ne '-') { $words += Ask ('cmd appops set ' + $Name + ' RUN_ANY_IN_BACKGROUND ' + $list[0]) }
    if ($list[1] -ne '-') { $words += Ask ('cmd appops set ' + $Name + ' RUN_IN_BACKGROUND ' + $list[1]) }
    if ($list[2] -eq 'granted') { $words += Ask ('pm grant ' + $Name + ' android.permission.POST_NOTIFICATIONS') }
    elseif (@('revoked', '-') -notcontains $list[2]) { $words += Ask ('cmd appops set ' + $Name + ' POST_NOTIFICATION ' + $list[2]) }
    if ($list[3] -eq 'user') { [void](Ask ('cmd deviceidle whitelist +' + $Name)) }
    $bucket = @{ '10' = 'active'; '20' = 'working_set'; '30' = 'frequent'; '40' = 'rare' }[$list[4]]
    if ($bucket) { [void](Ask ('am set-standby-bucket ' + $Name + ' ' + $bucket)) }
    $now = Hear $Name
    if ($now.StartsWith($same)) { $count.Done++; Tell 'done' $Name 'as before'; return }
    if (Vanished) { Tell 'failed' $Name $words; Total; Stop-With 3 'The phone is no longer there. What was done stays done: attach it and run this again to go on.' }
    $count.Refused++
    Tell 'refused' $Name $words
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

# Who held the role before holds it again, and what the run installed goes.
function Take-Out($One) {
    $name = $One.Name
    $part = $One.Before.Split(' ')
    if ($part.Count -gt 1 -and $part[1] -ne $name -and $One.Role -ne '-' -and -not $Rehearse) { Give $One.Role $part[1] }
    if ($part[0] -ne 'absent') { $count.Already++; Tell 'already' $name 'there'; return }
    if (-not $installed.ContainsKey($name)) { $count.Absent++; Tell 'absent' $name 'not on this phone'; return }
    if ($Rehearse) { $count.Done++; Tell 'would' $name 'taken out again'; return }
    $words = Ask ('pm uninstall --user 0 ' + $name)
    if ($words -like '*Success*') { $count.Done++; Tell 'done' $name 'taken out again'; return }
    if (Vanished) { Tell 'failed' $name $words; Total; Stop-With 3 'The phone is no longer there. What was done stays done: attach it and run this again to go on.' }
    $count.Refused++
    Tell 'refused' $name ($words + ' (' + (Explain $words) + ')')
}

$undo = $true
if (Vanished) { Stop-With 3 ('No phone answers. Attach one phone, turn on USB debugging and accept this computer on its screen.' + ' adb devices -l') }
$device = Ask 'getprop ro.product.device'
if ($devices -notcontains $device -and -not $Anyway) { Stop-With 4 (('This is for ' + 'Model' + ', and the phone says that it is ' + $device + '.') + ' ' + 'Nothing was done; -Anyway goes on all the same.') }
$build = Ask 'getprop ro.build.fingerprint'
if ($build -eq '') { $build = Ask 'getprop ro.system.build.fingerprint' }
if ($builds -notcontains $build -and -not $Anyway) { Stop-With 4 (('This was not made for the phone''s firmware: ' + $build + '.') + ' ' + 'Nothing was done; -Anyway goes on all the same.') }
$known = Names 'pm list packages -u --user 0'
$installed = Names 'pm list packages --user 0'
$disabled = Names 'pm list packages -d --user 0'
if ($installed.Count -eq 0) { Stop-With 3 ('The phone does not list its packages. It said: ' + $(Ask 'pm list packages --user 0')) }
if ($Rehearse) { Write-Output 'Rehearsing: nothing is changed.' }

if ($Log -ne '') {
    if (-not (Test-Path -LiteralPath $Log)) { Stop-With 2 ('There is no log ' + $Log + ' to read. Nothing was done.') }
    $lines = @(Get-Content -LiteralPath $Log)
    if ($lines.Count -eq 0 -or -not $lines[0].StartsWith('# roster-log/1')) { Stop-With 2 ('' + $Log + ' is not the log of such a run. Nothing was done.') }
    [array]::Reverse($lines)
    $steps = @()
    foreach ($line in $lines) {
        $part = $line.Split("`t")
        if ($part.Count -lt 4) { continue }
        if ($part[0] -eq 'put-in' -and $part[1] -cmatch '^(-|[A-Z_]+)$' -and $part[2] -cmatch '^[A-Za-z][A-Za-z0-9_]*(\.[A-Za-z][A-Za-z0-9_]*)+$' -and $part[3] -cmatch '^(absent|there)( [A-Za-z][A-Za-z0-9_.]*)?$') {
            $steps += @{ Method = 'put-in'; Name = $part[2]; Role = $part[1]; Before = $part[3] }
        }
        if (($part[0] -eq 'done' -or $part[0] -eq 'unknown') -and $part[2] -cmatch '^[A-Za-z][A-Za-z0-9_]*(\.[A-Za-z][A-Za-z0-9_]*)*$') {
            $steps += @{ Method = $part[1]; Name = $part[2]; Before = $part[3] }
        }
        if ($part[0] -eq 'setting' -and @('global', 'secure', 'system') -contains $part[1] -and $part[2] -cmatch '^[A-Za-z0-9_.:-]{1,100}$' -and $part[3] -cmatch $goodValue) {
            if ($Rehearse) { Write-Output ($part[2] + ': ' + ('back to ' + $part[3])) }
            elseif ($part[3] -eq 'null') { [void](Ask ('settings delete ' + $part[1] + ' ' + $part[2])); $count.Done++ }
            else { [void](Ask ('settings put ' + $part[1] + ' ' + $part[2] + " '" + $part[3] + "'")); $count.Done++ }
        }
    }
}
foreach ($one in $steps) {
    $step++
    $name = $one.Name
    if ($one.Method -eq 'put-in') { Take-Out $one; continue }
    if ($one.Method -eq 'quieten') { Louden $name $one.Before; continue }
    $off = $one.Method -eq 'disable'
    if (-not $known.ContainsKey($name)) { $count.Absent++; Tell 'absent' $name 'the image holds no copy of it'; continue }
    if ((-not $off -and $installed.ContainsKey($name)) -or ($off -and -not $disabled.ContainsKey($name))) { $count.Already++; Tell 'already' $name 'there'; continue }
    if ($Rehearse) { $count.Done++; Tell 'would' $name 'come back'; continue }
    $words = if ($off) { Ask ('pm enable --user 0 ' + $name) } else { Ask ('cmd package install-existing --user 0 ' + $name) }
    if ($words -like '*installed for user*' -or $words -like '*new state: enabled*') { $count.Done++; Tell 'done' $name $words; continue }
    if (Vanished) { Tell 'failed' $name $words; Total; Stop-With 3 'The phone is no longer there. What was done stays done: attach it and run this again to go on.' }
    $count.Refused++
    Tell 'refused' $name ($words + ' (' + (Explain $words) + ')')
}
Total
if ($count.Refused -gt 0) { exit 1 }
exit 0

