package render

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
)

func document(names ...string) *profile.Document {
	d := &profile.Document{
		Format: profile.DocumentFormat, Maker: profile.Maker{Slug: "m", Name: "Maker", Manufacturer: "Maker"}, Model: profile.Model{Slug: "d", Name: "Model", Device: "dev", Form: "phone"},
		Edition: profile.Edition{Slug: "e", Name: "Edition", Purpose: "For tests."}, Number: 1, Published: "2026-11-23T08:00:00Z", Publisher: "Somebody",
	}
	for i, n := range names {
		d.Steps = append(d.Steps, profile.Step{Number: i + 1, Kind: "remove", Method: evidence.RemoveForUser, Package: android.PackageName(n)})
	}
	return d
}

// shells is every POSIX shell that this machine has.
func shells(t testing.TB) []string {
	var found []string
	for _, s := range []string{"dash", "bash", "sh"} {
		if path, err := exec.LookPath(s); err == nil {
			found = append(found, path)
		}
	}
	if len(found) == 0 {
		t.Fatal("no shell to try quoting with")
	}
	return found
}

var hostile = []string{
	"'", "''", `"`, "`id`", "$(id)", "$HOME", "a b", "a;id", "a|id", "a&id", "a\nid", "\\", "\\'", "'; id; '", "*", "~", "-n", "--", "{a,b}", "!!", "#x", "\t",
	"\u202eabc", "ü", strings.Repeat("'x", 5000), "a\rb",
}

func TestQuote(t *testing.T) {
	for _, shell := range shells(t) {
		for _, word := range hostile {
			out, err := exec.Command(shell, "-c", "printf %s "+Quote(word)).Output()
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
		out, err := exec.Command(shell, "-c", "printf %s "+Quote(word)).Output()
		if err != nil || string(out) != word {
			t.Fatalf("%q came back as %q (%v)", word, out, err)
		}
	})
}

// TestScriptsAreClean has shellcheck and each shell's own parser read both
// scripts, with everything around the names as hostile as it can be.
func TestScriptsAreClean(t *testing.T) {
	d := document("com.example.tips", "com.example.feed")
	d.Steps[1].Method = evidence.Disable
	d.Model.Device = "dev'; reboot #"
	for _, text := range []*string{&d.Edition.Name, &d.Edition.Purpose, &d.Publisher, &d.Maker.Name, &d.Model.Name, &d.Published} {
		*text = "x\nreboot\r; $(reboot) `reboot` \u2028reboot\u202e"
	}
	for name, render := range map[string]func(*profile.Document, string) ([]byte, error){"remove.sh": Shell, "undo.sh": ShellUndo} {
		script, err := render(d, "0123")
		if err != nil {
			t.Fatal(err)
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
			if out, err := exec.Command(shell, "-n", file).CombinedOutput(); err != nil {
				t.Errorf("%s %s: %s", shell, name, out)
			}
		}
		if out, err := exec.Command("shellcheck", "-s", "sh", file).CombinedOutput(); err != nil {
			t.Errorf("shellcheck %s: %v\n%s", name, err, out)
		}
	}
}

func TestHostileNames(t *testing.T) {
	for _, name := range append(slices.Clone(hostile), "a.b;reboot", "a.b\nreboot", "a.$(reboot)", "a.b'", strings.Repeat("a", 10_000)+".b") {
		d := document("com.example.good", name)
		for form, render := range map[string]func(*profile.Document, string) ([]byte, error){"sh": Shell, "undo.sh": ShellUndo} {
			if out, err := render(d, ""); err == nil {
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
	remove, _ := Shell(d, "")
	undo, _ := ShellUndo(d, "")
	if got := calls(remove, "remove"); fmt.Sprint(got) != "[one two three]" {
		t.Errorf("removes %v", got)
	}
	if got := calls(undo, "restore"); fmt.Sprint(got) != "[three two one]" {
		t.Errorf("restores %v", got)
	}
	if got := string(Names(d)); got != "a.one\na.two\na.three\n" {
		t.Errorf("%q", got)
	}
}
