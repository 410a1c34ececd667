package render

import (
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"roster/core/evidence"
	"roster/core/profile"
)

// TestWordsOfScripts holds every language to every sentence, with the same things to
// be filled in.
func TestWordsOfScripts(t *testing.T) {
	english := speeches()["en"]
	if len(speeches()) != 8 {
		t.Errorf("%v", slices.Sorted(maps.Keys(speeches())))
	}
	for code, s := range speeches() {
		for key, sentence := range english {
			want, got := filled.FindAllString(sentence, -1), filled.FindAllString(s[key], -1)
			slices.Sort(want)
			slices.Sort(got)
			if s[key] == "" || !slices.Equal(want, got) {
				t.Errorf("%s, %s: %q fills in %v, not %v", code, key, s[key], got, want)
			}
			if strings.ContainsAny(s[key], "\n\r\x00") || s[key] == "END" {
				t.Errorf("%s, %s: a script would take it for something else: %q", code, key, s[key])
			}
		}
		for key := range s {
			if _, ok := english[key]; !ok {
				t.Errorf("%s has %q, which no script says", code, key)
			}
		}
	}
}

// TestSpokenScripts runs the scripts of every language: each speaks it, does the
// same, and writes the same log.
func TestSpokenScripts(t *testing.T) {
	d := document("a.one", "a.two", "a.three")
	d.Steps[2].Method = evidence.RemoveFromImage // for the user, without --root
	d.Steps = append(d.Steps, profile.Step{Number: 4, Kind: profile.Setting, Phase: profile.Before, Namespace: "global", Key: "k", Value: "0.5"})
	for _, code := range Languages() {
		a := about
		a.Language = code
		script, err := Shell(d, a)
		back, err2 := ShellUndo(d, a)
		if err != nil || err2 != nil {
			t.Fatal(err, err2)
		}
		file := filepath.Join(t.TempDir(), "script")
		if err := os.WriteFile(file, script, 0o600); err != nil {
			t.Fatal(err)
		}
		if out, err := exec.Command("shellcheck", "-s", "sh", "-e", "SC2016,SC1112", file).CombinedOutput(); err != nil {
			t.Errorf("shellcheck %s: %v\n%s", code, err, out)
		}
		say := func(key string, filling ...string) string {
			words, err := speeches()[code].words(key)
			if err != nil {
				t.Fatal(err)
			}
			return strings.NewReplacer(filling...).Replace(words)
		}
		all := shells(t)
		if code != "ar" { // they read bytes alike, whatever these say
			all = all[:1]
		}
		for _, shell := range all {
			p := newPhone(t, "a.one a.two", "a.one a.two com.android.launcher com.android.keys", "")
			p.set("answer.a.two", "Failure [DELETE_FAILED_DEVICE_POLICY_MANAGER]\r\n")
			out, exit, did := p.run(shell, script, "--log", "it.log")
			for _, want := range []string{
				say("state.absent"), say("absent"), say("why.admin"), say("instead", "{value}", "0.5", "{before}", "1.0"),
				say("did", "{n}", "1", "{already}", "0", "{absent}", "1", "{refused}", "1", "{skipped}", "0", "{all}", "3"),
			} {
				if !strings.Contains(out, want) {
					t.Errorf("%s, %s: it does not say %q: %s", code, shell, want, out)
				}
			}
			if exit != 1 || len(did) != 3 {
				t.Errorf("%s, %s: exit code %d after %v", code, shell, exit, did)
			}
			log, err := os.ReadFile(filepath.Join(p.dir, "it.log"))
			if err != nil || !strings.Contains(string(log), "done\tremove-for-user\ta.one\t\n") || !strings.Contains(string(log), "setting\tglobal\tk\t1.0\n") {
				t.Errorf("%s, %s: %s, %v", code, shell, log, err)
			}
			p.set("installed", "a.two\ncom.android.launcher\ncom.android.keys\n")
			out, exit, _ = p.run(shell, back, "--log", "it.log")
			put := say("didBack", "{n}", "2", "{already}", "0", "{absent}", "0", "{refused}", "0", "{all}", "1")
			if exit != 0 || !strings.Contains(out, say("backTo", "{value}", "1.0")) || !strings.Contains(out, put) {
				t.Errorf("%s, %s: exit code %d: %s", code, shell, exit, out)
			}
			if out, exit, _ = p.run(shell, script, "--nonsense"); exit != 2 || !strings.Contains(out, say("usage.rehearse")) {
				t.Errorf("%s, %s: exit code %d: %s", code, shell, exit, out)
			}
		}
	}
}

// TestSpokenPowerShell: what is filled in stays apart from what is said, and Windows
// is told which signs these are.
func TestSpokenPowerShell(t *testing.T) {
	for _, code := range Languages() {
		a := about
		a.Language = code
		script, err := PowerShell(document("a.one"), a)
		if err != nil {
			t.Fatal(err)
		}
		if marked := strings.HasPrefix(string(script), "\ufeff"); marked != (code != "en") {
			t.Errorf("%s: marked %t", code, marked)
		}
		if strings.Contains(string(script), "--anyway") || !strings.Contains(string(script), QuotePowerShell(speeches()[code]["rehearsing"])) {
			t.Errorf("%s: %.3000s", code, script)
		}
	}
	s := speech{"x": "l’été {n} 'a'", "y": "a \"$(reboot)` {n} \\"}
	if got, err := s.power("x", "n", "$n"); err != nil || got != "('l’’été ' + $n + ' ''a''')" {
		t.Errorf("%s, %v", got, err)
	}
	if got, err := s.shell("y", "n", "$n"); err != nil || got != "\"a \\\"\\$(reboot)\\` $n \\\\\"" {
		t.Errorf("%s, %v", got, err)
	}
	if _, err := s.shell("x"); err == nil {
		t.Error("nothing was filled in")
	}
}
