package render

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"roster/core/evidence"
	"roster/core/profile"
)

// fakeADB is an adb program made of shell: it plays a phone whose answers are
// files, so that scripts can be run against every kind of answer without one.
// What it is asked is written to asked.
const fakeADB = `#!/bin/sh
dir=$(dirname "$0")
case $1 in
get-state)
	[ -f "$dir/gone" ] && { echo "error: no devices/emulators found" >&2; exit 1; }
	printf 'device\r\n'
	exit 0
	;;
install | install-multiple)
	printf '%s\n' "$*" >>"$dir/asked"
	[ -f "$dir/refuses" ] && { echo "adb: failed to install: Failure [INSTALL_FAILED_INSUFFICIENT_STORAGE]"; exit 1; }
	cp "$dir/brings" "$dir/version"
	name=${3##*/}
	[ "$1" = install-multiple ] && name=$(basename "$(dirname "$3")")
	printf '%s\n' "${name%.apk}" >>"$dir/installed"
	echo Success
	exit
	;;
shell) ;;
*) echo "unexpected: $*" >&2; exit 9 ;;
esac
printf '%s\n' "$2" >>"$dir/asked"
case $2 in
"{ echo --noise"* | "cmd appops"* | "cmd deviceidle"* | "am "* | "pm revoke"* | "pm grant"*)
	[ -f "$dir/gone" ] || { cd "$dir" && . ./quiet.sh && eval "$2"; }
	exit
	;;
esac
[ -f "$dir/gone" ] && { echo "error: device '(null)' not found" >&2; exit 1; }
case $2 in
"getprop ro.build.fingerprint") cat "$dir/build" 2>/dev/null || echo b/p/d:1/i/2:user/k ;;
"settings get "*) cat "$dir/setting" ;;
"settings put "*) printf '%s' "$2" | sed "s/.*'\(.*\)'/\1/" >"$dir/setting" ;;
"settings delete "*) echo null >"$dir/setting" ;;
"locksettings verify") cat "$dir/lock" ;;
"cmd role get-role-holders"*) cat "$dir/holder" ;;
"cmd role add-role-holder"*) [ -f "$dir/stubborn" ] || printf '%s\n' "${2##* }" >"$dir/holder" ;;
"pm grant"*) ;;
"dumpsys package "*) printf '    versionCode=%s minSdk=29 targetSdk=34\r\n' "$(cat "$dir/version")" ;;
"ime list -s -a") sed 's#$#/.Service#' "$dir/keyboards" ;;
"cmd package query-activities"*) printf '1 activities found:\r\n  Activity #0:\r\n    priority=0 preferredOrder=0\r\n'; sed 's#^#    #; s#$#/.Main#' "$dir/homes" ;;
"getprop ro.product.device") printf '%s\r\n' "$(cat "$dir/device")" ;;
"pm list packages -u --user 0") sed 's/^/package:/; s/$/\r/' "$dir/known" ;;
"pm list packages --user 0") sed 's/^/package:/; s/$/\r/' "$dir/installed" ;;
"pm list packages -d --user 0") sed 's/^/package:/; s/$/\r/' "$dir/disabled" ;;
*)
	name=${2##* }
	if [ -f "$dir/answer.$name" ]; then
		cat "$dir/answer.$name"
		[ -f "$dir/leaves.$name" ] && touch "$dir/gone"
		exit 1
	fi
	case $2 in
	"pm uninstall"*) printf 'Success\r\n' ;;
	"pm disable-user"*) printf 'Package %s new state: disabled-user\r\n' "$name" ;;
	"pm enable"*) printf 'Package %s new state: enabled\r\n' "$name" ;;
	"cmd package install-existing"*) printf 'Package %s installed for user: 0\r\n' "$name" ;;
	*) echo "unexpected: $2"; exit 9 ;;
	esac
	;;
esac
`

// fakeQuiet plays what packages may do unasked: the mode of an operation, an
// exception from saving the battery, a permission and a standby bucket are files.
const fakeQuiet = `
cmd() {
	case "$1 $2" in
	"appops get") cat "op.$3.$4" 2>/dev/null || printf 'No operations.\r\nDefault mode: allow\r\n' ;;
	"appops set")
		[ -f "stubborn.$3" ] && { echo 'Error: java.lang.SecurityException' >&2; return; }
		if [ "$5" = default ]; then rm -f "op.$3.$4"; else printf '%s: %s\r\n' "$4" "$5" >"op.$3.$4"; fi
		;;
	"deviceidle whitelist") case $3 in
		-*) : >exempt ;;
		+*) printf 'user,%s,10077\r\n' "${3#+}" >exempt ;;
		*) cat exempt 2>/dev/null ;;
		esac ;;
	esac
}
am() {
	case $1 in
	get-standby-bucket) cat "bucket.$2" 2>/dev/null || echo 10 ;;
	set-standby-bucket) case $3 in active) echo 10 ;; restricted) echo 45 ;; *) echo "Error: Unknown bucket: $3" ;; esac >"bucket.$2" ;;
	esac
}
pm() { [ "$1" = revoke ] && echo false >"may.$2" || echo true >"may.$2"; }
dumpsys() { printf '      android.permission.POST_NOTIFICATIONS: granted=%s, flags=[ USER_SET]\r\n' "$(cat "may.$2" 2>/dev/null || echo true)"; }
`

// phone is the folder of a fake adb.
type phone struct {
	t   *testing.T
	dir string
}

func newPhone(t *testing.T, known, installed, disabled string) phone {
	t.Helper()
	p := phone{t, t.TempDir()}
	p.set("adb", fakeADB)
	p.set("quiet.sh", fakeQuiet)
	if err := os.Chmod(filepath.Join(p.dir, "adb"), 0o755); err != nil {
		t.Fatal(err)
	}
	p.set("device", "dev")
	p.set("homes", "com.android.launcher\n")
	p.set("keyboards", "com.android.keys\n")
	p.set("setting", "1.0\n")
	p.set("brings", "7")
	p.set("lock", "Lock credential verified successfully\n")
	for name, list := range map[string]string{"known": known, "installed": installed, "disabled": disabled} {
		text := ""
		for n := range strings.FieldsSeq(list) {
			text += n + "\n"
		}
		p.set(name, text)
	}
	return p
}

func (p phone) set(name, content string) {
	p.t.Helper()
	if err := os.WriteFile(filepath.Join(p.dir, name), []byte(content), 0o600); err != nil {
		p.t.Fatal(err)
	}
}

// questions begin the lines that change nothing on a phone.
var questions = []string{"pm list", "getprop", "ime ", "cmd package query", "settings get", "locksettings", "cmd role get", "{ echo --noise", "dumpsys "}

// run runs a script with a shell and returns what it printed, its exit code
// and the commands that changed something on the phone.
func (p phone) run(shell string, script []byte, args ...string) (out string, code int, did []string) {
	p.t.Helper()
	os.Remove(filepath.Join(p.dir, "asked"))
	p.set("script", string(script))
	cmd := exec.Command(shell, with(shell, append([]string{filepath.Join(p.dir, "script")}, args...)...)...)
	cmd.Dir = p.dir
	cmd.Env = append(os.Environ(), "ADB="+filepath.Join(p.dir, "adb"), "PATH="+filepath.Join(p.dir, "tools")+":"+os.Getenv("PATH"))
	raw, err := cmd.CombinedOutput()
	if _, failed := err.(*exec.ExitError); err != nil && !failed {
		p.t.Fatal(err)
	}
	asked, _ := os.ReadFile(filepath.Join(p.dir, "asked"))
	for line := range strings.Lines(string(asked)) {
		line = strings.TrimSpace(line)
		if !slices.ContainsFunc(questions, func(q string) bool { return strings.HasPrefix(line, q) }) {
			did = append(did, line)
		}
	}
	return string(raw), cmd.ProcessState.ExitCode(), did
}

// TestNotFor runs scripts on a firmware on which the release would stop
// something: nothing goes on there, and what was run before is undone all the
// same. Its words are hostile.
func TestNotFor(t *testing.T) {
	const words = "it's `reboot` $(reboot) \n; \"quoted\" %PATH% & more"
	d, a := document("a.one"), about
	d.Builds = append(d.Builds, profile.Build{Fingerprint: "b/p/d:1/i/3:user/k"})
	a.NotFor = []NotFor{{"b/p/d:1/i/3:user/k", "15.0.1", words}, {"b/p/d:1/i/4:user/k", "15.0.2", ""}}
	remove, err := Shell(d, a)
	if err != nil {
		t.Fatal(err)
	}
	undo, err := ShellUndo(d, a)
	if err != nil {
		t.Fatal(err)
	}
	for _, shell := range shells(t) {
		p := newPhone(t, "a.one", "a.one", "")
		for _, build := range []string{"3", "4"} {
			p.set("build", "b/p/d:1/i/"+build+":user/k\n")
			for _, args := range [][]string{nil, {"--anyway"}, {"--rehearse"}} {
				out, code, did := p.run(shell, remove, args...)
				if code != 7 || len(did) != 0 || !strings.Contains(out, "This release is not for 15.0.") || !strings.Contains(out, "Nothing was done.") {
					t.Errorf("%s on %s with %q: %d, %v\n%s", shell, build, args, code, did, out)
				}
				if build == "3" && !strings.Contains(out, "it's `reboot` $(reboot)") {
					t.Errorf("%s does not say why as it was written: %s", shell, out)
				}
			}
		}
		p.set("installed", "android\n")
		if out, code, did := p.run(shell, undo, "--anyway"); code != 0 || len(did) != 1 {
			t.Errorf("%s, undo: %d, %v\n%s", shell, code, did, out)
		}
		p.set("build", "b/p/d:1/i/2:user/k\n")
		p.set("installed", "a.one\n")
		if out, code, _ := p.run(shell, remove, "--anyway"); code != 0 {
			t.Errorf("%s on another firmware: %d\n%s", shell, code, out)
		}
	}
	for what, n := range map[string]NotFor{"a line end": {"b/p/d\n:1", "", ""}, "a space": {"a b", "", ""}, "nothing": {"", "x", ""}} {
		a.NotFor = []NotFor{n}
		for name, render := range forms {
			if !strings.HasSuffix(name, "sh") && !strings.HasSuffix(name, "ps1") && !strings.HasSuffix(name, "bat") {
				continue
			}
			if _, err := render(d, a); err == nil {
				t.Errorf("%s: a fingerprint of %s was written into it", name, what)
			}
		}
	}
}

func TestRemoveRuns(t *testing.T) {
	d := document("a.one", "a.two", "a.three", "a.four", "a.five")
	d.Steps[3].Method = evidence.Disable
	script, err := Shell(d, about)
	if err != nil {
		t.Fatal(err)
	}
	for _, shell := range shells(t) {
		p := newPhone(t, "a.one a.two a.four a.five", "a.one a.four a.five", "")
		p.set("answer.a.five", "Failure [DELETE_FAILED_DEVICE_POLICY_MANAGER]\r\n")
		out, code, did := p.run(shell, script)
		if want := "[pm uninstall --user 0 a.one pm disable-user --user 0 a.four pm uninstall --user 0 a.five]"; fmt.Sprint(did) != want {
			t.Errorf("%s did %v", shell, did)
		}
		lines := strings.Split(strings.TrimRight(out, "\n"), "\n")
		for i, want := range []string{"  1/5  done     a.one  Success", "  2/5  already  a.two  gone before", "  3/5  absent   a.three  not on this phone",
			"  4/5  done     a.four  Package a.four new state: disabled-user", "  5/5  refused  a.five  Failure [DELETE_FAILED_DEVICE_POLICY_MANAGER] (a device administrator guards it",
			"2 done, 1 already gone, 1 absent, 1 refused, 0 skipped, of 5"} {
			if i >= len(lines) || !strings.HasPrefix(lines[i], want) {
				t.Errorf("%s, line %d: want %q in\n%s", shell, i+1, want, out)
				break
			}
		}
		if code != 1 || strings.Contains(out, "Nothing was changed") || strings.Contains(out, "\r") {
			t.Errorf("%s: code %d\n%q", shell, code, out)
		}
		// Everything done: nothing is asked of the phone but what it has.
		p = newPhone(t, "a.one a.two a.three a.four a.five", "a.four", "a.four")
		out, code, did = p.run(shell, script)
		if code != 0 || len(did) != 0 || !strings.Contains(out, "5 already gone") || !strings.HasSuffix(out, "Nothing was changed.\n") {
			t.Errorf("%s: code %d, did %v\n%s", shell, code, did, out)
		}
	}
}

func TestUndoRuns(t *testing.T) {
	d := document("a.one", "a.two", "a.three", "a.four")
	d.Steps[3].Method = evidence.Disable
	script, err := ShellUndo(d, about)
	if err != nil {
		t.Fatal(err)
	}
	for _, shell := range shells(t) {
		p := newPhone(t, "a.one a.two a.four", "a.two a.four", "a.four")
		out, code, did := p.run(shell, script)
		if fmt.Sprint(did) != "[pm enable --user 0 a.four cmd package install-existing --user 0 a.one]" || code != 0 || !strings.Contains(out, "2 put back, 1 already there, 1 absent, 0 refused, of 4") {
			t.Errorf("%s: code %d, did %v\n%s", shell, code, did, out)
		}
	}
}

func TestScriptStops(t *testing.T) {
	d := document("a.one", "a.two", "a.three")
	script, err := Shell(d, about)
	if err != nil {
		t.Fatal(err)
	}
	shell := shells(t)[0]
	all := "a.one a.two a.three"

	p := newPhone(t, all, all, "")
	p.set("answer.a.two", "error: closed\n")
	p.set("leaves.a.two", "")
	out, code, did := p.run(shell, script)
	if code != 3 || len(did) != 2 || !strings.Contains(out, "failed   a.two  error: closed") || !strings.Contains(out, "The phone is no longer there") || !strings.Contains(out, "1 done") {
		t.Errorf("the phone vanished: code %d, did %v\n%s", code, did, out)
	}

	p = newPhone(t, all, all, "")
	p.set("device", "another")
	if out, code, did := p.run(shell, script); code != 4 || len(did) != 0 || !strings.Contains(out, "This is for Model, and the phone says that it is another.") {
		t.Errorf("another model: code %d, did %v\n%s", code, did, out)
	}
	if _, code, did := p.run(shell, script, "--anyway"); code != 0 || len(did) != 3 {
		t.Errorf("another model, anyway: code %d, did %v", code, did)
	}

	p = newPhone(t, all, all, "")
	p.set("gone", "")
	if out, code, did := p.run(shell, script); code != 3 || len(did) != 0 || !strings.Contains(out, "No phone answers") {
		t.Errorf("no phone: code %d, did %v\n%s", code, did, out)
	}

	p = newPhone(t, "", "", "")
	if out, code, did := p.run(shell, script); code != 3 || len(did) != 0 || !strings.Contains(out, "does not list its packages") {
		t.Errorf("no list: code %d, did %v\n%s", code, did, out)
	}

	for _, args := range [][]string{{"--help"}, {"-h"}} {
		if out, code, did := p.run(shell, script, args...); code != 0 || len(did) != 0 || !strings.Contains(out, "usage: sh SCRIPT") {
			t.Errorf("%v: code %d\n%s", args, code, out)
		}
	}
	for _, args := range [][]string{{"-s"}, {"--force"}, {"surplus"}} {
		if _, code, did := p.run(shell, script, args...); code != 2 || len(did) != 0 {
			t.Errorf("%v: code %d, did %v", args, code, did)
		}
	}
}

// TestGuards holds that no run leaves a phone without a home screen, a keyboard
// or a dialler, whatever was published and whatever it is told.
func TestGuards(t *testing.T) {
	d := document("a.home", "a.keys", "a.other")
	script, err := Shell(d, about)
	if err != nil {
		t.Fatal(err)
	}
	all := "a.home a.keys a.other"
	for _, shell := range shells(t) {
		for what, file := range map[string]string{"home screen": "homes", "keyboard": "keyboards"} {
			p := newPhone(t, all, all, "")
			p.set(file, map[string]string{"homes": "a.home\n", "keyboards": "a.keys\n"}[file])
			if out, code, did := p.run(shell, script, "--anyway"); code != 5 || len(did) != 0 || !strings.Contains(out, "without a "+what) {
				t.Errorf("%s, the only %s: code %d, did %v\n%s", shell, what, code, did, out)
			}
			// With another one there, its own may go.
			p.set(file, map[string]string{"homes": "a.home\norg.open.home\n", "keyboards": "a.keys\norg.open.keys\n"}[file])
			if out, code, did := p.run(shell, script); code != 0 || len(did) != 3 {
				t.Errorf("%s, another %s: code %d, did %v\n%s", shell, what, code, did, out)
			}
			p.set(file, "")
			if out, code, did := p.run(shell, script); code != 5 || len(did) != 0 || !strings.Contains(out, "does not say") {
				t.Errorf("%s, no word about the %s: code %d, did %v\n%s", shell, what, code, did, out)
			}
		}
	}
}

// TestLogAndUndo rehearses, runs with settings and a condition, and puts back
// from the log what that run did and nothing else.
func TestLogAndUndo(t *testing.T) {
	d := document("a.one", "a.two", "a.three")
	d.Steps[1].Method = evidence.Disable
	d.Steps[2].Conditions = []string{"not lock-code-set"}
	d.Steps = append(d.Steps, profile.Step{Number: 4, Kind: profile.Setting, Phase: profile.Before, Namespace: "global", Key: "window_animation_scale", Value: "0.5", Text: "Faster"},
		profile.Step{Number: 5, Kind: profile.Check, Phase: profile.Afterward, Text: "Call somebody"})
	run, err := Shell(d, about)
	undo, err2 := ShellUndo(d, about)
	if err != nil || err2 != nil {
		t.Fatal(err, err2)
	}
	for _, shell := range shells(t) {
		p := newPhone(t, "a.one a.two a.three", "a.one a.two a.three", "")
		p.set("lock", "Old password provided but user has no password\nfailed\n")
		if out, code, did := p.run(shell, run, "--rehearse"); code != 0 || len(did) != 0 || !strings.Contains(out, "2 would go, 0 already gone, 0 absent, 1 skipped") || !strings.Contains(out, "0.5 instead of 1.0") {
			t.Errorf("%s, rehearsed: code %d, did %v\n%s", shell, code, did, out)
		}
		if logs, _ := filepath.Glob(filepath.Join(p.dir, "*.log")); len(logs) != 0 {
			t.Errorf("a rehearsal wrote %v", logs)
		}
		out, code, did := p.run(shell, run, "--log", "it.log")
		if code != 0 || fmt.Sprint(did) != "[settings put global window_animation_scale '0.5' pm uninstall --user 0 a.one pm disable-user --user 0 a.two]" || !strings.Contains(out, "skipped  a.three  only if: not lock-code-set") || !strings.Contains(out, "Call somebody") {
			t.Errorf("%s: code %d, did %q\n%s", shell, code, did, out)
		}
		// Since then somebody took a.three off by hand: that stays off.
		p.set("installed", "a.two\n")
		p.set("disabled", "a.two\n")
		out, code, did = p.run(shell, undo, "--log", "it.log")
		if code != 0 || fmt.Sprint(did) != "[pm enable --user 0 a.two cmd package install-existing --user 0 a.one settings put global window_animation_scale '1.0']" {
			t.Errorf("%s, undone: code %d, did %q\n%s", shell, code, did, out)
		}
		// A log is not trusted.
		p.set("bad.log", "# roster-log/1\ndone\tremove-for-user\ta.one;reboot\t\ndone\tremove-for-user\t$(reboot)\t\nsetting\tglobal\tx\t1'; reboot; '\nsetting\tglobal;reboot\tx\t1\n")
		if out, _, did := p.run(shell, undo, "--log", "bad.log"); len(did) != 0 {
			t.Errorf("%s did %q from a hostile log\n%s", shell, did, out)
		}
		for file, text := range map[string]string{"none.log": "", "other.log": "hello\n"} {
			if text != "" {
				p.set(file, text)
			}
			if out, code, did := p.run(shell, undo, "--log", file); code != 2 || len(did) != 0 {
				t.Errorf("%s, %s: code %d\n%s", shell, file, code, out)
			}
		}
	}
	p := newPhone(t, "a.one", "a.one", "")
	a := about
	a.Withdrawn, a.Reason = true, "two people lost their balance"
	if run, err = Shell(d, a); err != nil {
		t.Fatal(err)
	}
	if out, code, did := p.run(shells(t)[0], run); code != 6 || len(did) != 0 || !strings.Contains(out, "two people lost") {
		t.Errorf("withdrawn: code %d, did %v\n%s", code, did, out)
	}
	p.set("build", "b/p/d:2/i/9:user/k\n")
	if out, code, did := p.run(shells(t)[0], run, "--anyway"); code != 0 || len(did) != 2 || !strings.Contains(out, "not made for the phone's firmware") {
		t.Errorf("another build, anyway: code %d, did %v\n%s", code, did, out)
	}
}

// TestQuietenRuns quietens, writes down what each might do and puts exactly that
// back; what does not go is not counted among what can do a phone's jobs.
func TestQuietenRuns(t *testing.T) {
	d := document("a.one", "com.android.keys", "a.loud", "a.gone")
	for i := range d.Steps {
		d.Steps[i].Method = evidence.Quieten
	}
	run, err := Shell(d, about)
	undo, err2 := ShellUndo(d, about)
	if err != nil || err2 != nil {
		t.Fatal(err, err2)
	}
	there := "a.one com.android.keys a.loud"
	for _, shell := range shells(t) {
		p := newPhone(t, there, there, "")
		p.set("exempt", "user,a.one,10077\r\n")
		p.set("op.a.one.RUN_IN_BACKGROUND", "RUN_IN_BACKGROUND: allow; time=+1m\n")
		p.set("stubborn.a.loud", "")
		if out, code, did := p.run(shell, run, "--rehearse"); code != 0 || len(did) != 0 || !strings.Contains(out, "1/4  would    a.one  quieten") {
			t.Errorf("%s, rehearsed: code %d, did %v\n%s", shell, code, did, out)
		}
		out, code, did := p.run(shell, run, "--log", "it.log")
		want := "[cmd appops set a.one RUN_ANY_IN_BACKGROUND ignore; cmd appops set a.one RUN_IN_BACKGROUND ignore " +
			"pm revoke a.one android.permission.POST_NOTIFICATIONS cmd deviceidle whitelist -a.one " +
			"am set-standby-bucket a.one restricted || am set-standby-bucket a.one rare am force-stop a.one"
		if code != 1 || !strings.HasPrefix(fmt.Sprint(did), want) || !strings.Contains(out, "2 done, 0 already gone, 1 absent, 1 refused") ||
			!strings.Contains(out, "refused  a.loud  It still works in the background. Error") {
			t.Errorf("%s: code %d, did %q\n%s", shell, code, did, out)
		}
		log, _ := os.ReadFile(filepath.Join(p.dir, "it.log"))
		if !strings.Contains(string(log), "done\tquieten\ta.one\tdefault,allow,granted,user,10\n") {
			t.Errorf("%s", log)
		}
		if out, code, did := p.run(shell, run, "--log", "2.log"); code != 1 || strings.Contains(fmt.Sprint(did), "a.one") ||
			!strings.Contains(out, "already  a.one  quiet before") {
			t.Errorf("%s, once more: code %d, did %q\n%s", shell, code, did, out)
		}
		out, code, did = p.run(shell, undo, "--log", "it.log")
		want = "cmd appops set a.one RUN_ANY_IN_BACKGROUND default cmd appops set a.one RUN_IN_BACKGROUND allow " +
			"pm grant a.one android.permission.POST_NOTIFICATIONS cmd deviceidle whitelist +a.one am set-standby-bucket a.one active]"
		if code != 0 || !strings.HasSuffix(fmt.Sprint(did), want) || !strings.Contains(out, "2 put back") {
			t.Errorf("%s, undone: code %d, did %q\n%s", shell, code, did, out)
		}
		if out, code, did := p.run(shell, undo, "--log", "it.log"); code != 0 || len(did) != 0 || !strings.Contains(out, "already  a.one  as before") {
			t.Errorf("%s, undone twice: code %d, did %q\n%s", shell, code, did, out)
		}
		// Without a log the platform's own stands for what nobody knows.
		p.run(shell, run, "--log", "it.log")
		if out, code, did := p.run(shell, undo); code != 0 ||
			!strings.Contains(fmt.Sprint(did), "cmd appops set a.one RUN_IN_BACKGROUND default pm grant a.one") ||
			!strings.Contains(out, "is in the log of the run alone") {
			t.Errorf("%s, without a log: code %d, did %q\n%s", shell, code, did, out)
		}
		p.set("bad.log", "# roster-log/1\ndone\tquieten\ta.one\tallow,allow;reboot,x,-,10\n"+
			"done\tquieten\ta.one\tallow,$(reboot),x,-,10\ndone\tquieten\ta.one\treboot,reboot,reboot,reboot,reboot\n")
		p.run(shell, run, "--log", "it.log")
		if out, _, did := p.run(shell, undo, "--log", "bad.log"); strings.Contains(fmt.Sprint(did), "reboot") {
			t.Errorf("%s did %q from a hostile log\n%s", shell, did, out)
		}
	}
}

// TestPutInRuns puts in from files before anything goes, and nothing goes where that
// does not work; the log takes it out again and gives its role back.
func TestPutInRuns(t *testing.T) {
	d := document("com.android.launcher", "a.two")
	sum := sha256.Sum256([]byte("a home screen"))
	pin := &profile.FilePin{Signer: strings.Repeat("a", 64), SHA256: hex.EncodeToString(sum[:]), From: "the shelf; it's $(reboot)"}
	d.Steps = append([]profile.Step{{Number: 9, Kind: profile.PutIn, Phase: profile.Before, Package: "org.open.home", Role: "HOME", File: pin,
		Grants: []string{"android.permission.CAMERA"}}}, d.Steps...)
	run, err := Shell(d, about)
	undo, err2 := ShellUndo(d, about)
	if err != nil || err2 != nil {
		t.Fatal(err, err2)
	}
	for _, shell := range shells(t) {
		there := "com.android.launcher a.two"
		fresh := func() phone {
			p := newPhone(t, there, there, "")
			p.set("holder", "com.android.launcher\n")
			p.set("homes", "com.android.launcher\norg.open.home\n")
			if err := os.MkdirAll(filepath.Join(p.dir, "files", "org.open.home"), 0o755); err != nil {
				t.Fatal(err)
			}
			p.set("files/org.open.home/base.apk", "a home screen")
			p.set("files/org.open.home/split_config.en.apk", "a part of it")
			return p
		}
		stops := func(what, words string, p phone, args ...string) {
			t.Helper()
			if out, code, did := p.run(shell, run, args...); code != 8 || strings.Contains(fmt.Sprint(did), "uninstall") || !strings.Contains(out, words) {
				t.Errorf("%s, %s: code %d, did %q\n%s", shell, what, code, did, out)
			}
		}
		stops("no files", "org.open.home: its file is wanted. the shelf; it's $(reboot)", fresh())
		p := fresh()
		p.set("files/org.open.home/base.apk", "another")
		stops("another file", "not the one that is wanted", p, "--files", "files")
		p = fresh()
		p.set("refuses", "")
		stops("a refusal", "INSUFFICIENT_STORAGE", p, "--files", "files")
		p = fresh()
		p.set("stubborn", "")
		stops("no role", "does not hold the role HOME", p, "--files", "files")
		p = fresh()
		if out, code, did := p.run(shell, run, "--rehearse", "--files", "files"); code != 0 || len(did) != 0 || !strings.Contains(out, "would    org.open.home") {
			t.Errorf("%s, rehearsed: code %d, did %q\n%s", shell, code, did, out)
		}
		out, code, did := p.run(shell, run, "--files", "files", "--log", "it.log")
		want := "[install-multiple -r files/org.open.home/base.apk files/org.open.home/split_config.en.apk " +
			"pm grant org.open.home android.permission.CAMERA cmd role add-role-holder --user 0 android.app.role.HOME org.open.home " +
			"pm uninstall --user 0 com.android.launcher pm uninstall --user 0 a.two]"
		if code != 0 || fmt.Sprint(did) != want {
			t.Errorf("%s: code %d, did %q\n%s", shell, code, did, out)
		}
		if log, _ := os.ReadFile(filepath.Join(p.dir, "it.log")); !strings.Contains(string(log), "put-in\tHOME\torg.open.home\tabsent com.android.launcher\n") {
			t.Errorf("%s", log)
		}
		out, code, did = p.run(shell, undo, "--log", "it.log")
		back := "cmd role add-role-holder --user 0 android.app.role.HOME com.android.launcher pm uninstall --user 0 org.open.home]"
		if code != 0 || !strings.HasSuffix(fmt.Sprint(did), back) {
			t.Errorf("%s, undone: code %d, did %q\n%s", shell, code, did, out)
		}
		p.set("bad.log", "# roster-log/1\nput-in\tHOME;reboot\torg.open.home\tabsent x;reboot\n"+
			"put-in\tHOME\t$(reboot)\tabsent\nput-in\tHOME\torg.open.home\tthere $(reboot)\n")
		if out, _, did := p.run(shell, undo, "--log", "bad.log"); strings.Contains(fmt.Sprint(did), "reboot") {
			t.Errorf("%s did %q from a hostile log\n%s", shell, did, out)
		}
	}
	for name, render := range forms {
		if out, err := render(d, about); err != nil || strings.Contains(string(out), "\nreboot") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// fakeSigned is apksigner, as far as saying who signed a file goes: it says what
// stands in the file.
const fakeSigned = `#!/bin/sh
printf 'Signer #1 certificate SHA-256 digest: %s\n' "$(cat "$3")"
`

// TestPutInBySigner pins by the signer and a version alone: only apksigner can tell
// the one, and only the phone the other. A phone whose version is too old gets the
// file, and keeps it when the run is undone: it had the package before.
func TestPutInBySigner(t *testing.T) {
	const least = 1 << 32 // more than 32 bits hold
	signer := strings.Repeat("a", 64)
	d := document("a.two")
	d.Steps = append([]profile.Step{{Number: 9, Kind: profile.PutIn, Phase: profile.Before, Package: "org.open.home",
		File: &profile.FilePin{Signer: signer, Least: least, From: "the shelf"}}}, d.Steps...)
	run, err := Shell(d, about)
	undo, err2 := ShellUndo(d, about)
	if err != nil || err2 != nil {
		t.Fatal(err, err2)
	}
	const installs, removes = "install -r files/org.open.home.apk", "pm uninstall --user 0 a.two"
	for name, c := range map[string]struct {
		there, signed, brings string
		want, words           string
		code                  int
	}{
		"not there":             {"", signer, "4294967296", installs + " " + removes, "1 done", 0},
		"another's":             {"", strings.Repeat("b", 64), "4294967296", "", "apksigner", 8},
		"too old":               {"4294967295", signer, "4294967297", installs + " " + removes, "1 done", 0},
		"too old, another's":    {"9", strings.Repeat("b", 64), "4294967297", "", "apksigner", 8},
		"new enough":            {"4294967296", "", "", removes, "1 done", 0},
		"newer, of more digits": {"10000000000", "", "", removes, "1 done", 0},
		"a file as old":         {"9", signer, "9", installs, "version code 4294967296 or newer", 8},
	} {
		for _, shell := range shells(t) {
			there := "a.two"
			if c.there != "" {
				there += " org.open.home"
			}
			p := newPhone(t, there, there, "")
			for _, folder := range []string{"files", "tools"} {
				if err := os.Mkdir(filepath.Join(p.dir, folder), 0o755); err != nil {
					t.Fatal(err)
				}
			}
			p.set("tools/apksigner", fakeSigned)
			if err := os.Chmod(filepath.Join(p.dir, "tools", "apksigner"), 0o755); err != nil {
				t.Fatal(err)
			}
			p.set("files/org.open.home.apk", c.signed)
			p.set("version", c.there)
			p.set("brings", c.brings)
			out, code, did := p.run(shell, run, "--files", "files", "--log", "it.log")
			if code != c.code || strings.Join(did, " ") != c.want || !strings.Contains(out, c.words) {
				t.Errorf("%s, %s: code %d, did %q\n%s", shell, name, code, did, out)
			}
			if c.there != "" && code == 0 {
				if _, _, did := p.run(shell, undo, "--log", "it.log"); strings.Contains(fmt.Sprint(did), "uninstall") {
					t.Errorf("%s, %s, undone: did %q", shell, name, did)
				}
			}
		}
	}
}

// TestRefusalsAreExplained holds the words for each refusal that phones are
// known to give.
func TestRefusalsAreExplained(t *testing.T) {
	d := document("a.one")
	script, err := Shell(d, about)
	if err != nil {
		t.Fatal(err)
	}
	for words, means := range map[string]string{
		"Failure [DELETE_FAILED_INTERNAL_ERROR]":                                        "the maker protects it",
		"Failure [DELETE_FAILED_DEVICE_POLICY_MANAGER]":                                 "administrator",
		"Failure [DELETE_FAILED_USER_RESTRICTED]":                                       "this user may not",
		"Failure [DELETE_FAILED_OWNER_BLOCKED]":                                         "company blocks it",
		"Failure [DELETE_FAILED_USED_SHARED_LIBRARY]":                                   "a library of it",
		"Failure [DELETE_FAILED_APP_PINNED]":                                            "pinned",
		"cmd: Can't find service: package":                                              "not up yet",
		"Error: java.lang.SecurityException: Cannot disable a protected package: a.one": "the maker protects it",
		"something that nobody has seen before $(reboot) `id` %s %d \\n":                "does not say why",
	} {
		p := newPhone(t, "a.one", "a.one", "")
		p.set("answer.a.one", words+"\n")
		out, code, _ := p.run(shells(t)[0], script)
		if code != 1 || !strings.Contains(out, "refused  a.one  "+words+" (") || !strings.Contains(out, means) {
			t.Errorf("%q: code %d\n%s", words, code, out)
		}
	}
	p := newPhone(t, "a.one", "a.one", "")
	p.set("answer.a.one", "Failure [not installed for 0]\n")
	if out, code, _ := p.run(shells(t)[0], script); code != 0 || !strings.Contains(out, "already  a.one") {
		t.Errorf("gone between list and removal: code %d\n%s", code, out)
	}
}
