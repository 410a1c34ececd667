package demo

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"roster/bench/adb/adbtest"
	"roster/core/evidence"
	"roster/core/render"
	"roster/phone"
)

// withRoot is a stand-in with root, and the scripts of a release that takes two
// packages out of its image.
func withRoot(t *testing.T, server string) *attached {
	t.Helper()
	s, err := phone.Of(World, "models/lyra-5.yaml", "15.0.0", "SCRIPT-root")
	if err != nil {
		t.Fatal(err)
	}
	s.Root, s.Image = "su", "read-only"
	a := attachScenario(t, server, s, "com.brannock.weather.widget", "com.brannock.tips", "com.brannock.music", "com.brannock.video")
	for i := range a.doc.Steps {
		if name := a.doc.Steps[i].Package; name == "com.brannock.tips" || name == "com.brannock.music" {
			a.doc.Steps[i].Method = evidence.RemoveFromImage
		}
	}
	su := fmt.Sprintf(`#!/bin/sh
case $2 in
"cat > "*)
	cat >%[3]s/stdin
	adb -L %[1]s -s %[2]s push %[3]s/stdin /data/local/tmp/stdin >/dev/null
	exec adb -L %[1]s -s %[2]s shell "su -c 'cp /data/local/tmp/stdin ${2#cat > }'" </dev/null
	;;
esac
exec adb -L %[1]s -s %[2]s shell "su -c '$2'" </dev/null
`, server, a.address, a.dir)
	bin := a.onPhone()
	for name, text := range map[string]string{"su": su, "id": "#!/bin/sh\necho 2000\n"} {
		if err := os.WriteFile(filepath.Join(bin, name), []byte(text), 0o755); err != nil {
			t.Fatal(err)
		}
	}
	return a
}

// known reports which of the two packages the phone knows.
func (a *attached) known() string {
	var list []string
	for _, name := range []string{"com.brannock.tips", "com.brannock.music"} {
		if _, known := a.phone.Installed(name); known {
			list = append(list, name)
		}
	}
	return strings.Join(list, " ")
}

// TestScriptsWithRoot takes packages out of the image by the shell forms with every
// shell, on a computer and on the phone: rehearsed, run, restarted, put back by the
// log; without --root, refused, and where the phone does not start without them.
func TestScriptsWithRoot(t *testing.T) {
	server := adbtest.Start(t).Address
	a := withRoot(t, server)
	both := a.known()
	for n, how := range allShells(t) {
		if n%2 == 1 {
			how = how.byPhone()
		}
		s := how.says
		if out, code := a.run(how, how.runs, "--root", "--rehearse"); code != 0 || !strings.Contains(out, "would    com.brannock.tips  out of the image") {
			t.Errorf("%s, rehearsed: code %d\n%s", s, code, out)
		}
		log := "root-" + s + ".log"
		out, code := a.run(how, how.runs, "--root", "--log", log)
		if code != 0 || strings.Count(out, "out of the image: gone when") != 2 || !strings.Contains(out, "Restart the phone now") || a.known() != both {
			t.Fatalf("%s: code %d, knows %s\n%s", s, code, a.known(), out)
		}
		a.phone.Restart()
		a.connect()
		if a.known() != "" {
			t.Errorf("%s: after the restart the phone knows %s", s, a.known())
		}
		out, code = a.run(how, how.undoes, "--root", "--log", log)
		if code != 0 || strings.Count(out, "in the image again: there") != 2 || !strings.Contains(out, "Restart the phone now") {
			t.Errorf("%s, put back: code %d\n%s", s, code, out)
		}
		a.phone.Restart()
		a.connect()
		if a.known() != both {
			t.Errorf("%s: put back, the phone knows %s", s, a.known())
		}
	}
	t.Run("without --root", func(t *testing.T) {
		before := a.phone.TakenOff()["com.brannock.tips"]
		if out, code := a.run(ofShell("dash"), render.Shell, "--log", "user.log"); code != 0 || a.phone.TakenOff()["com.brannock.tips"] != before+1 {
			t.Errorf("code %d\n%s", code, out)
		}
		if out, code := a.run(ofShell("dash"), render.ShellUndo, "--log", "user.log"); code != 0 || a.known() != both {
			t.Errorf("put back: code %d\n%s", code, out)
		}
	})
	t.Run("refused", func(t *testing.T) {
		a.phone.AllowRoot(false)
		defer a.phone.AllowRoot(true)
		out, code := a.run(ofShell("dash"), render.Shell, "--root", "--log", "refused.log")
		if code != 1 || strings.Count(out, "out of the image only with root") != 2 {
			t.Errorf("code %d\n%s", code, out)
		}
		a.run(ofShell("dash"), render.ShellUndo, "--log", "refused.log")
	})
}
