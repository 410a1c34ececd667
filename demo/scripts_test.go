package demo

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"roster/bench/adb/adbtest"
	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/core/render"
	"roster/phone"
)

// attached is a stand-in phone at a real adb server, with the scripts of a
// release that was made for it.
type attached struct {
	t               *testing.T
	phone           *phone.Phone
	dir             string
	server, address string
	about           render.About
	doc             *profile.Document
	quiet           android.PackageName // what is quietened
}

// attach plays a build of a sample model; what goes are names, the first disabled
// and the last, which stays, quietened.
func attach(t *testing.T, server, model, build string, names ...string) *attached {
	t.Helper()
	s, err := phone.Of(World, "models/"+model+".yaml", build, "SCRIPT-"+model)
	if err != nil {
		t.Fatal(err)
	}
	return attachScenario(t, server, s, names...)
}

// attachScenario is attach for a scenario that somebody has changed.
func attachScenario(t *testing.T, server string, s *phone.Scenario, names ...string) *attached {
	t.Helper()
	var err error
	model, build := strings.TrimSuffix(strings.TrimPrefix(s.Model, "models/"), ".yaml"), s.Build
	s.Prompt = "none"
	a := &attached{t: t, phone: phone.New(s, slog.New(slog.DiscardHandler)), dir: t.TempDir(), server: server, about: render.About{Digest: "0123", File: model + "-test-1"}}
	ctx, cancel := context.WithCancel(context.Background())
	t.Cleanup(cancel)
	if a.address, err = a.phone.Listen(ctx, "127.0.0.1:0"); err != nil {
		t.Fatal(err)
	}
	a.connect()
	t.Cleanup(func() { a.adb("disconnect", a.address) })
	a.doc = &profile.Document{Format: profile.DocumentFormat, Maker: profile.Maker{Slug: "m", Name: "M"}, Model: profile.Model{Slug: "d", Name: "D", Device: a.adb("-s", a.address, "shell", "getprop ro.product.device"), Form: map[bool]string{true: "television", false: "phone"}[model == "view-43"]},
		Edition: profile.Edition{Slug: "test", Name: "Test"}, Number: 1, Builds: []profile.Build{{Fingerprint: a.adb("-s", a.address, "shell", "getprop ro.build.fingerprint"), Version: build}},
		Steps: []profile.Step{{Number: 1, Kind: profile.Setting, Phase: profile.Before, Namespace: "global", Key: "window_animation_scale", Value: "0.5", Text: "Faster"}}}
	for i, name := range names {
		step := profile.Step{Number: i + 2, Kind: profile.Remove, Method: evidence.RemoveForUser, Package: android.PackageName(name), Load: evidence.Loose}
		switch i {
		case 0:
			step.Method = evidence.Disable
		case len(names) - 1:
			step.Method, a.quiet = evidence.Quieten, step.Package
		}
		a.doc.Steps = append(a.doc.Steps, step)
	}
	return a
}

func (a *attached) adb(args ...string) string {
	raw, _ := exec.Command("adb", append([]string{"-L", a.server}, args...)...).CombinedOutput()
	return strings.TrimSpace(string(raw))
}

// connect attaches the phone, again where it was gone.
func (a *attached) connect() {
	a.t.Helper()
	for end := time.Now().Add(3 * time.Minute); time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		a.adb("connect", a.address)
		if a.adb("-s", a.address, "get-state") == "device" {
			return
		}
		a.adb("disconnect", a.address)
	}
	a.t.Fatalf("%s does not come: %s", a.address, a.adb("devices"))
}

// state is everything on the phone that scripts change.
func (a *attached) state() string {
	return fmt.Sprint(a.adb("-s", a.address, "shell", android.NoiseQuestion(a.quiet)), a.phone.InstalledNames(),
		a.adb("-s", a.address, "shell", "pm list packages -d --user 0"), a.adb("-s", a.address, "shell", "settings get global window_animation_scale"))
}

// onPhone are the programs that a shell on the phone has, each handed on to the
// phone over adb.
func (a *attached) onPhone() string {
	bin := filepath.Join(a.dir, "bin")
	if err := os.MkdirAll(bin, 0o755); err != nil {
		a.t.Fatal(err)
	}
	for _, program := range []string{"pm", "cmd", "getprop", "settings", "ime", "dumpsys", "locksettings", "am"} {
		text := fmt.Sprintf("#!/bin/sh\nexec adb -L %s -s %s shell \"%s $*\"\n", a.server, a.address, program)
		if err := os.WriteFile(filepath.Join(bin, program), []byte(text), 0o755); err != nil {
			a.t.Fatal(err)
		}
	}
	return bin
}

// form is one of a release's forms.
type form func(*profile.Document, render.About) ([]byte, error)

// scripts are the forms that run and undo a release, and what runs them.
type scripts struct {
	runs, undoes form
	says         string // what runs them
	name         string // of the file
	with         func(a *attached, script string, args ...string) *exec.Cmd
}

// ofShell are those for a shell on a computer.
func ofShell(shell ...string) scripts {
	return scripts{render.Shell, render.ShellUndo, filepath.Base(shell[0]), "script.sh", func(_ *attached, script string, args ...string) *exec.Cmd {
		return exec.Command(shell[0], append(append(slices.Clone(shell[1:]), script), args...)...)
	}}
}

// allShells are the scripts with every shell that Debian has.
func allShells(t *testing.T) (all []scripts) {
	t.Helper()
	for _, s := range []string{"dash", "bash", "busybox", "mksh"} {
		path, err := exec.LookPath(s)
		switch {
		case err != nil:
			t.Fatalf("%v: scripts/test installs it", err)
		case s == "busybox":
			all = append(all, ofShell(path, "sh"))
		default:
			all = append(all, ofShell(path))
		}
	}
	return all
}

// byPhone are those for the phone's own shell.
func (s scripts) byPhone() scripts {
	s.runs, s.undoes, s.says = render.PhoneShell, render.PhoneShellUndo, s.says+" on the phone"
	return s
}

// run runs a form of the release.
func (a *attached) run(how scripts, form form, args ...string) (out string, code int) {
	a.t.Helper()
	script, err := form(a.doc, a.about)
	if err != nil {
		a.t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(a.dir, how.name), script, 0o644); err != nil {
		a.t.Fatal(err)
	}
	cmd := how.with(a, how.name, args...)
	cmd.Dir = a.dir
	if cmd.Env == nil {
		cmd.Env = os.Environ()
	}
	cmd.Env = append(cmd.Env, "ADB_SERVER_SOCKET="+a.server, "ANDROID_SERIAL="+a.address, "PATH="+a.onPhone()+":"+os.Getenv("PATH"))
	raw, err := cmd.CombinedOutput()
	if _, failed := err.(*exec.ExitError); err != nil && !failed {
		a.t.Fatal(err)
	}
	return string(raw), cmd.ProcessState.ExitCode()
}

// TestScripts runs the shell forms with every shell through the real adb
// against stand-ins of three Android releases: refused, wrong phone, a role
// about to be emptied, a cable that falls out, and everything put back.
func TestScripts(t *testing.T) {
	server := adbtest.Start(t).Address
	shells := allShells(t)
	for i, c := range []struct {
		model, build    string
		names           []string
		refused         string
		home, otherHome string
	}{
		{"lyra-5", "15.0.0", []string{"com.brannock.weather.widget", "com.brannock.tips", "com.brannock.devicecare", "app.basketree.shop", "com.brannock.video"}, "com.brannock.devicecare", "com.brannock.home", ""},
		{"nib-2", "Lakeline 11.2.0", []string{"app.basketree.shop", "com.sorrel.simplehome", "news.morrow.reader"}, "", "com.sorrel.launcher", "com.sorrel.simplehome"},
		{"view-43", "12.4.0", []string{"news.morrow.tv", "tv.pellmont.home.nowhere", "tv.pellmont.recommend"}, "", "tv.pellmont.home", ""},
	} {
		t.Run(c.model, func(t *testing.T) {
			a := attach(t, server, c.model, c.build, c.names...)
			for n, shell := range shells {
				if (i+n)%2 == 1 {
					shell = shell.byPhone()
				}
				a.both(shell, c.names, c.refused)
			}
			a.guarded(shells[0], c.home, c.otherHome)
		})
	}
	t.Run("a cable that falls out", func(t *testing.T) {
		a := attach(t, server, "lyra-5-mini", "15.0.0", "com.brannock.weather.widget", "com.brannock.tips", "com.brannock.video", "app.basketree.shop")
		for _, shell := range shells {
			a.interrupted(shell)
		}
	})
}

// both rehearses, runs and puts back from the log.
func (a *attached) both(how scripts, names []string, refused string) {
	a.t.Helper()
	before := a.state()
	if out, code := a.run(how, how.runs, "--rehearse"); code != 0 || a.state() != before {
		a.t.Errorf("%s, rehearsed: code %d\n%s", how.says, code, out)
	}
	out, code := a.run(how, how.runs, "--log", "run.log")
	if want := map[bool]int{true: 0, false: 1}[refused == ""]; code != want || refused != "" && !regexp.MustCompile("refused +"+refused).MatchString(out) {
		a.t.Errorf("%s: code %d\n%s", how.says, code, out)
	}
	last := names[len(names)-1]
	for _, name := range names[1:] {
		if installed, known := a.phone.Installed(name); known && installed != (name == refused || name == last) {
			a.t.Errorf("%s: %s installed: %t\n%s", how.says, name, installed, out)
		}
	}
	told := a.adb("-s", a.address, "shell", android.NoiseQuestion(android.PackageName(last)))
	if now, ok := android.ReadNoise(told); ok && !now.Quiet() {
		a.t.Errorf("%s: %s is not quiet: %s\n%s", how.says, last, now, out)
	}
	if strings.Contains(a.state(), "1.0") && !strings.Contains(a.state(), "0.5") {
		a.t.Errorf("%s: the setting was not made\n%s", how.says, out)
	}
	if out, code := a.run(how, how.undoes, "--log", "run.log"); code != 0 || a.state() != before {
		a.t.Errorf("%s, put back: code %d\n%s\n%s\nwas\n%s", how.says, code, out, a.state(), before)
	}
	os.Remove(filepath.Join(a.dir, "run.log"))
}

// guarded tries to take the last home screen, and to run on another phone.
func (a *attached) guarded(how scripts, home, otherHome string) {
	a.t.Helper()
	before, steps := a.state(), slices.Clone(a.doc.Steps)
	for _, name := range []string{home, otherHome} {
		if name != "" {
			a.doc.Steps = append(a.doc.Steps, profile.Step{Number: 99, Kind: profile.Remove, Method: evidence.RemoveForUser, Package: android.PackageName(name)})
		}
	}
	// The platform's own settings answer as a home screen of last resort.
	for _, last := range []string{"com.android.settings", "com.android.tv.settings"} {
		a.doc.Steps = append(a.doc.Steps, profile.Step{Number: 99, Kind: profile.Remove, Method: evidence.RemoveForUser, Package: android.PackageName(last)})
	}
	if out, code := a.run(how, how.runs, "--anyway"); code != 5 || !strings.Contains(out, "without a home screen") || a.state() != before {
		a.t.Errorf("the last home screen: code %d\n%s", code, out)
	}
	a.doc.Steps = steps
	device, fingerprint := a.doc.Model.Device, a.doc.Builds[0].Fingerprint
	a.doc.Model.Device = "another"
	if out, code := a.run(how, how.runs); code != 4 || a.state() != before {
		a.t.Errorf("another model: code %d\n%s", code, out)
	}
	a.doc.Model.Device, a.doc.Builds[0].Fingerprint = device, "a/b/c:1/d/2:user/k"
	if out, code := a.run(how, how.runs); code != 4 || !regexp.MustCompile(`not made for the .*firmware`).MatchString(out) || a.state() != before {
		a.t.Errorf("another firmware: code %d\n%s", code, out)
	}
	a.doc.Builds[0].Fingerprint = fingerprint
}

// interrupted pulls the cable in mid-run, goes on, and puts everything back
// from the two logs.
func (a *attached) interrupted(how scripts) {
	a.t.Helper()
	before := a.state()
	if err := a.phone.Do("loosen", "13"); err != nil {
		a.t.Fatal(err)
	}
	out, code := a.run(how, how.runs, "--log", "first.log")
	if code != 3 || !strings.Contains(out, "no longer there") {
		a.t.Fatalf("%s: code %d\n%s", how.says, code, out)
	}
	a.phone.Plug()
	a.connect()
	if a.state() == before {
		a.t.Errorf("%s: the cable fell out before anything was done\n%s", how.says, out)
	}
	if out, code = a.run(how, how.runs, "--log", "second.log"); code != 0 {
		a.t.Errorf("%s, continued: code %d\n%s", how.says, code, out)
	}
	for _, log := range []string{"second.log", "first.log"} {
		if out, code = a.run(how, how.undoes, "--log", log); code != 0 {
			a.t.Errorf("%s, %s put back: code %d\n%s", how.says, log, code, out)
		}
		os.Remove(filepath.Join(a.dir, log))
	}
	if a.state() != before {
		a.t.Errorf("%s: %s\nwas\n%s", how.says, a.state(), before)
	}
}
