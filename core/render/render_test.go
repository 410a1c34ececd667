package render

import (
	"bytes"
	"encoding/csv"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/posix"
	"roster/core/profile"
)

func document(names ...string) *profile.Document {
	d := &profile.Document{
		Format: profile.DocumentFormat, Maker: profile.Maker{Slug: "m", Name: "Maker", Manufacturer: "Maker"}, Model: profile.Model{Slug: "d", Name: "Model", Device: "dev", Form: "phone"},
		Edition: profile.Edition{Slug: "e", Name: "Edition", Purpose: "For tests."}, Number: 1, Published: "2026-11-23T08:00:00Z", Publisher: "Somebody",
		Builds: []profile.Build{{Fingerprint: "b/p/d:1/i/2:user/k", Version: "1", Android: "1"}},
	}
	for i, n := range names {
		d.Steps = append(d.Steps, profile.Step{Number: i + 1, Kind: "remove", Method: evidence.RemoveForUser, Package: android.PackageName(n)})
	}
	return d
}

// shells is every POSIX shell that this machine has.
func shells(t testing.TB) []string {
	var found []string
	for _, s := range []string{"dash", "bash", "sh", "busybox", "mksh"} {
		if path, err := exec.LookPath(s); err == nil {
			found = append(found, path)
		}
	}
	if len(found) == 0 {
		t.Fatal("no shell to try quoting with")
	}
	return found
}

// with are the arguments for a shell; busybox holds one among others.
func with(shell string, args ...string) []string {
	if filepath.Base(shell) == "busybox" {
		return append([]string{"sh"}, args...)
	}
	return args
}

// about is what the tests' forms say of their release.
var about = About{Digest: "0123", File: "model-edition-1", Where: "https://roster.example/r/m/d/e/1"}

// forms are all scripts.
var forms = map[string]func(*profile.Document, About) ([]byte, error){
	"sh": Shell, "undo.sh": ShellUndo, "phone.sh": PhoneShell, "phone.undo.sh": PhoneShellUndo,
	"ps1": PowerShell, "undo.ps1": PowerShellUndo, "bat": Batch, "undo.bat": BatchUndo,
}

var hostile = []string{
	"'", "''", `"`, "`id`", "$(id)", "$HOME", "a b", "a;id", "a|id", "a&id", "a\nid", "\\", "\\'", "'; id; '", "*", "~", "-n", "--", "{a,b}", "!!", "#x", "\t",
	"\u202eabc", "ü", strings.Repeat("'x", 5000), "a\rb",
}

func TestQuote(t *testing.T) {
	for _, shell := range shells(t) {
		for _, word := range hostile {
			out, err := exec.Command(shell, with(shell, "-c", "printf %s "+posix.Quote(word))...).Output()
			if err != nil || string(out) != word {
				t.Errorf("%s: %.40q came back as %.40q (%v)", shell, word, out, err)
			}
		}
	}
}

func FuzzQuote(f *testing.F) {
	for _, word := range hostile {
		f.Add(word)
	}
	shell := shells(f)[0]
	f.Fuzz(func(t *testing.T, word string) {
		if strings.ContainsRune(word, 0) || len(word) > 20_000 {
			t.Skip() // no shell can carry it
		}
		out, err := exec.Command(shell, with(shell, "-c", "printf %s "+posix.Quote(word))...).Output()
		if err != nil || string(out) != word {
			t.Fatalf("%q came back as %q (%v)", word, out, err)
		}
	})
}

// TestScriptsAreClean has shellcheck and each shell's own parser read both
// scripts, with everything around the names as hostile as it can be.
func TestScriptsAreClean(t *testing.T) {
	d := document("com.example.tips", "com.example.feed", "com.example.loud", "com.example.deep")
	d.Steps[1].Method, d.Steps[2].Method, d.Steps[3].Method = evidence.Disable, evidence.Quieten, evidence.RemoveFromImage
	d.Model.Device = "dev'; reboot #"
	for _, text := range []*string{&d.Edition.Name, &d.Edition.Purpose, &d.Publisher, &d.Maker.Name, &d.Model.Name, &d.Published} {
		*text = "x\nreboot\r; $(reboot) `reboot` \u2028reboot\u202e"
	}
	d.Builds = []profile.Build{{Fingerprint: "b/p/d:1/'$(reboot)/2:user/k"}}
	d.Steps = append(d.Steps, profile.Step{Number: 3, Kind: profile.Check, Phase: profile.Before, Text: "x\nreboot $(reboot)"}, profile.Step{Number: 4, Kind: profile.Setting, Phase: profile.Before, Namespace: "global", Key: "a", Value: "1"},
		profile.Step{Number: 5, Kind: profile.Wait, Phase: profile.After, Seconds: 1, Text: "x\nreboot"}, profile.Step{Number: 6, Kind: profile.Check, Phase: profile.Afterward, Text: "'\nreboot"})
	d.Steps[0].Conditions = []string{"not lock-code-set"}
	d.Steps = append(d.Steps, profile.Step{Number: 7, Kind: profile.PutIn, Phase: profile.Before, Package: "org.open.keys", Role: "KEYBOARD", Seconds: 3,
		Grants: []string{"android.permission.CAMERA"},
		File:   &profile.FilePin{Signer: strings.Repeat("a", 64), From: "x $(reboot) `reboot` '"}})
	clean := document("a.one")
	for name, render := range forms {
		if !strings.HasSuffix(name, ".sh") && name != "sh" {
			continue
		}
		a := about
		a.Withdrawn, a.Reason = strings.HasPrefix(name, "phone"), "x\nreboot '; reboot"
		script, err := render(d, a)
		plain, err2 := render(clean, about)
		if err != nil || err2 != nil {
			t.Fatal(err, err2)
		}
		for i, line := range strings.Split(string(script), "\n") {
			if strings.HasPrefix(strings.TrimSpace(line), "reboot") {
				t.Errorf("%s, line %d: hostile text became a command: %q", name, i+1, line)
			}
		}
		file := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(file, script, 0o600); err != nil {
			t.Fatal(err)
		}
		for _, shell := range shells(t) {
			if out, err := exec.Command(shell, with(shell, "-n", file)...).CombinedOutput(); err != nil {
				t.Errorf("%s %s: %s", shell, name, out)
			}
		}
		// The shortest script holds nothing that is never used.
		shortest := filepath.Join(t.TempDir(), name)
		if err := os.WriteFile(shortest, plain, 0o600); err != nil {
			t.Fatal(err)
		}
		if out, err := exec.Command("shellcheck", "-s", "sh", "-e", "SC2016", file, shortest).CombinedOutput(); err != nil {
			t.Errorf("shellcheck %s: %v\n%s", name, err, out)
		}
	}
}

func TestHostileNames(t *testing.T) {
	for _, device := range []string{"", " dev", "dev\nreboot", "dev\x00", "d\u00e9v", "dev\u202e", strings.Repeat("d", 201)} {
		d := document("com.example.good")
		d.Model.Device = device
		for _, form := range []string{"sh", "phone.sh", "ps1", "bat"} {
			if render := forms[form]; render != nil {
				if out, err := render(d, about); err == nil {
					t.Errorf("%s took the device %.40q: %.200s", form, device, out)
				}
			}
		}
	}
	for _, name := range append(slices.Clone(hostile), "a.b;reboot", "a.b\nreboot", "a.$(reboot)", "a.b'", strings.Repeat("a", 10_000)+".b") {
		d := document("com.example.good", name)
		for form, render := range forms {
			if out, err := render(d, about); err == nil {
				t.Errorf("%s took the name %.40q: %.200s", form, name, out)
			}
		}
	}
}

func TestOrder(t *testing.T) {
	d := document("a.one", "a.two", "a.three")
	calls := func(script []byte, verb string) (names []string) {
		for line := range strings.Lines(string(script)) {
			if rest, ok := strings.CutPrefix(line, verb+" a."); ok {
				names = append(names, strings.TrimSpace(rest))
			}
		}
		return names
	}
	remove, _ := Shell(d, about)
	undo, _ := ShellUndo(d, about)
	if got := calls(remove, "remove"); fmt.Sprint(got) != "[one two three]" {
		t.Errorf("removes %v", got)
	}
	if got := calls(undo, "restore"); fmt.Sprint(got) != "[three two one]" {
		t.Errorf("restores %v", got)
	}
	if got := string(Names(d)); got != "a.one\na.two\na.three\n" {
		t.Errorf("%q", got)
	}
	if got := string(NamesUndo(d)); got != "a.three\na.two\na.one\n" {
		t.Errorf("%q", got)
	}
}

// TestWindowsText holds that nothing from outside gets out of its place in a
// script for Windows.
func TestWindowsText(t *testing.T) {
	for _, word := range hostile {
		if got := batchText(word); strings.ContainsAny(got, "%!^&|<>\"()\r\n`$") {
			t.Errorf("%.40q came to %.40q", word, got)
		}
		got := QuotePowerShell(word)
		inside := got[1 : len(got)-1]
		for _, quote := range []string{"'", "\u2018", "\u2019", "\u201a", "\u201b"} {
			inside = strings.ReplaceAll(inside, quote+quote, "")
			if strings.Contains(inside, quote) || strings.ContainsAny(got, "\r\n") {
				t.Errorf("%.40q came to %.40q", word, got)
			}
		}
	}
	d := document("a.one")
	d.Model.Device = "dev%PATH%"
	if _, err := Batch(d, about); err == nil {
		t.Error("a hostile device name was written into a batch file")
	}
	d = document("a.one")
	d.Builds = []profile.Build{{Fingerprint: `a"&reboot&"`}}
	if _, err := PowerShell(d, about); err == nil {
		t.Error("a hostile fingerprint was written into a script for Windows")
	}
	if _, err := Shell(document("a.one"), About{File: "x; reboot", Digest: "0"}); err == nil {
		t.Error("a hostile file name was written into a script")
	}
}

// TestTables reads the table and the text back, with hostile words in them.
func TestTables(t *testing.T) {
	d := document("a.one", "a.two")
	d.Steps[0].Label, d.Steps[1].Label = "=HYPERLINK(1)", "a|b\n# c <script>"
	raw, err := CSV(d)
	if err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(bytes.NewReader(raw)).ReadAll()
	if err != nil || len(rows) != 3 || rows[1][4] != "'=HYPERLINK(1)" || rows[1][14] != "pm uninstall --user 0 a.one" || rows[1][15] != "cmd package install-existing --user 0 a.one" {
		t.Errorf("%q, %v", rows, err)
	}
	text := string(Markdown(d, About{Withdrawn: true, Reason: "[x](javascript:1)"}))
	if strings.Contains(text, "<script") || strings.Contains(text, "](java") || strings.Contains(text, "\n# c") || !strings.Contains(text, "Withdrawn") || !strings.Contains(text, "| `a.two` |") {
		t.Errorf("%s", text)
	}
}

var update = flag.Bool("update", false, "write the golden files anew")

// TestGolden compares the scripts that no test here can run with what was
// looked at: the batch files were run by hand under Wine, the PowerShell ones
// are read by a parser in the browser tests. See docs/forms.md.
func TestGolden(t *testing.T) {
	d := document("a.one", "a.two", "a.three", "a.loud")
	d.Steps[1].Method, d.Steps[3].Method = evidence.Disable, evidence.Quieten
	d.Steps = append(d.Steps, profile.Step{Number: 4, Kind: profile.Setting, Phase: profile.Before, Namespace: "global", Key: "window_animation_scale", Value: "0.5", Text: "Windows open faster"},
		profile.Step{Number: 5, Kind: profile.Check, Phase: profile.Before, Text: "Pocket goes only if: no card is in it"}, profile.Step{Number: 6, Kind: profile.Wait, Phase: profile.After, Seconds: 20, Text: "Wait 20 s"},
		profile.Step{Number: 7, Kind: profile.Check, Phase: profile.Afterward, Text: "Call, and be called; it's loud"},
		profile.Step{Number: 8, Kind: profile.PutIn, Phase: profile.Before, Package: "org.open.home", Role: "HOME", Seconds: 2,
			Grants: []string{"android.permission.CAMERA"}, File: &profile.FilePin{Signer: strings.Repeat("a", 64), From: "the shelf; it's free"}})
	for name, render := range forms {
		if !strings.HasSuffix(name, "ps1") && !strings.HasSuffix(name, "bat") {
			continue
		}
		a := about
		a.NotFor = []NotFor{{"b/p/d:1/i/3:user/k", "15.0.1", "a.home rests on it: it's needed (so 100% true)"}}
		got, err := render(d, a)
		if err != nil {
			t.Fatal(err)
		}
		if bytes.Contains(bytes.ReplaceAll(got, []byte("\r\n"), nil), []byte("\n")) {
			t.Errorf("%s: a line does not end as lines do on Windows", name)
		}
		file := filepath.Join("testdata", "release."+name)
		if *update {
			if err := os.WriteFile(file, got, 0o644); err != nil {
				t.Fatal(err)
			}
		}
		want, err := os.ReadFile(file)
		if err != nil || !bytes.Equal(got, want) {
			t.Errorf("%s is not what it was (%v); look at the difference, run it by hand as docs/forms.md says, then go test ./core/render -update", file, err)
		}
	}
}

// BenchmarkForms writes a release of 90 removals in every form.
func BenchmarkForms(b *testing.B) {
	var names []string
	for i := range 90 {
		names = append(names, fmt.Sprintf("com.example.p%d", i))
	}
	d := document(names...)
	for b.Loop() {
		for _, render := range forms {
			if _, err := render(d, about); err != nil {
				b.Fatal(err)
			}
		}
		if _, err := CSV(d); err != nil {
			b.Fatal(err)
		}
		Markdown(d, about)
	}
}

// FuzzForms writes releases with any name and any words: a name that breaks
// the platform's grammar is refused by every form, and words stay words.
func FuzzForms(f *testing.F) {
	for _, word := range hostile {
		f.Add(word, word)
	}
	f.Add("com.example.good", "\nreboot\n'; reboot; '\"&reboot&\"%PATH%`reboot`$(reboot)\u2028reboot")
	shell := shells(f)[0]
	f.Fuzz(func(t *testing.T, name, words string) {
		d := document("com.example.first", name)
		for _, text := range []*string{&d.Edition.Name, &d.Edition.Purpose, &d.Publisher, &d.Maker.Name, &d.Model.Name, &d.Published, &d.Steps[0].Label, &d.Steps[0].Pinned} {
			*text = words
		}
		d.Steps[0].Conditions = []string{words, "not lock-code-set"}
		d.Steps = append(d.Steps, profile.Step{Number: 3, Kind: profile.Check, Phase: profile.Before, Text: words}, profile.Step{Number: 4, Kind: profile.Check, Phase: profile.Afterward, Text: words})
		a := about
		a.Withdrawn, a.Reason = true, words
		good := android.PackageName(name).Valid()
		for form, render := range forms {
			out, err := render(d, a)
			if (err == nil) != good {
				t.Fatalf("%s with the name %q: %v", form, name, err)
			}
			for line := range strings.Lines(string(out)) {
				if strings.HasPrefix(strings.TrimSpace(line), "reboot") {
					t.Fatalf("%s: words became a command: %q", form, line)
				}
			}
			if good && form == "sh" {
				check := exec.Command(shell, with(shell, "-n")...)
				check.Stdin = bytes.NewReader(out)
				if said, err := check.CombinedOutput(); err != nil {
					t.Fatalf("%q: %s", words, said)
				}
			}
		}
	})
}
