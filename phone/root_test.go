package phone_test

import (
	"log/slog"
	"strings"
	"testing"
	"time"

	"roster/core/android"
	"roster/demo"
	"roster/phone"
)

// rootedPhone makes a stand-in with root from one of the sample world.
func rootedPhone(t *testing.T, change func(*phone.Scenario)) *phone.Phone {
	t.Helper()
	s := &phone.Scenario{Name: t.Name(), Serial: "ROOTED01", Model: "models/lyra-5.yaml", Build: "15.0.0", Root: "su", Image: "read-only",
		Properties: map[string]string{"ro.boot.verifiedbootstate": "orange", "ro.boot.veritymode": "disabled"}}
	if change != nil {
		change(s)
	}
	s, err := phone.Composed(demo.World, s)
	if err != nil {
		t.Fatal(err)
	}
	return phone.New(s, slog.New(slog.DiscardHandler))
}

// imageOf asks a phone how a package lies on its image, as a bench does.
func imageOf(t *testing.T, p *phone.Phone, name android.PackageName) android.Image {
	t.Helper()
	ask := func(line string) string { return string(p.Ask(t.Context(), line)) }
	lies := android.ReadFolders(ask(android.FoldersQuestion([]android.PackageName{name})))[name]
	facts := android.ReadRoot(ask(android.RootQuestion([]string{lies.Folder})))
	if probe := facts.MayWrite([]string{lies.Folder}); len(probe) > 0 {
		facts.ReadProbe(ask(android.ProbeQuestion(facts.Root, probe)))
	}
	return facts.Of(name, lies)
}

// do has root do a line that an image made.
func do(t *testing.T, p *phone.Phone, line string, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
	if said := string(p.Ask(t.Context(), line)); !strings.Contains(said, android.Taken) {
		t.Fatalf("%s\nsaid %q", line, said)
	}
}

const tips = android.PackageName("com.brannock.tips")

// TestOutOfTheImage takes a package out of a read-only and a writable image, with
// su and with an adb that is root, and brings it back.
func TestOutOfTheImage(t *testing.T) {
	for name, c := range map[string]struct {
		change func(*phone.Scenario)
		way    android.Way
		why    android.ImageReason
	}{
		"read-only": {nil, android.Masked, android.ImageReadOnly},
		"writable":  {func(s *phone.Scenario) { s.Image = "writable" }, android.Erased, android.ImageWritable},
		"verified": {func(s *phone.Scenario) {
			s.Image, s.Properties["ro.boot.veritymode"] = "writable", "enforcing"
		}, android.Masked, android.ImageVerified},
		"adb is root": {func(s *phone.Scenario) { s.Root = "adbd" }, android.Masked, android.ImageReadOnly},
	} {
		t.Run(name, func(t *testing.T) {
			p := rootedPhone(t, c.change)
			was := imageOf(t, p, tips)
			if was.State != android.OnImage || was.Way != c.way || was.Why != c.why || was.Bytes == 0 || !android.GoodFolder(was.Folder) {
				t.Fatalf("%+v", was)
			}
			if again, ok := android.ParseImage(was.String()); !ok || again != was {
				t.Errorf("%q was read as %+v, of %+v", was.String(), again, was)
			}
			line, err := was.ListCommand(tips)
			if err != nil {
				t.Fatal(err)
			}
			list, err := was.ReadList(string(p.Ask(t.Context(), line)))
			if err != nil || len(list) != 4 || list[0].Mode != "755" || list[0].Label == "" || !list[0].Folder || list[1].SHA256 == "" {
				t.Fatalf("%+v, %v", list, err)
			}
			line, err = was.TakeOutCommand(tips)
			do(t, p, line, err)
			if there, _ := p.Installed(string(tips)); !there {
				t.Error("it went before the phone started again")
			}
			p.Restart()
			if _, known := p.Installed(string(tips)); known {
				t.Error("it is known after the restart")
			}
			now := imageOf(t, p, tips)
			if string(now.State) != string(c.way) || now.Folder != was.Folder {
				t.Errorf("%+v", now)
			}
			line, err = was.PutBackCommand(tips)
			do(t, p, line, err)
			p.Restart()
			if there, _ := p.Installed(string(tips)); !there {
				t.Error("it is not back")
			}
			line, _ = was.ListCommand(tips)
			again, err := was.ReadList(string(p.Ask(t.Context(), line)))
			if err != nil || len(again) != len(list) {
				t.Fatalf("%+v, %v", again, err)
			}
			for i := range list {
				if list[i] != again[i] {
					t.Errorf("%+v came back as %+v", list[i], again[i])
				}
			}
		})
	}
}

// TestHeals starts a phone that does not start without a package: the boot script
// undoes by itself what was taken out.
func TestHeals(t *testing.T) {
	for _, image := range []string{"read-only", "writable"} {
		t.Run(image, func(t *testing.T) {
			p := rootedPhone(t, func(s *phone.Scenario) {
				s.Image, s.NoStart = image, []phone.NoStart{{Without: string(tips), When: "always"}}
			})
			was := imageOf(t, p, tips)
			line, err := was.TakeOutCommand(tips)
			do(t, p, line, err)
			p.Restart()
			if stuck := p.Condition().Stuck; stuck != "" {
				t.Fatal(stuck)
			}
			now := imageOf(t, p, tips)
			if there, _ := p.Installed(string(tips)); !there || now.State != android.IsHealed {
				t.Errorf("there: %t, %+v", there, now)
			}
		})
	}
}

// TestErasedIsRemembered has a phone not start for another reason, long after something
// was erased: what has no copy on it any more stays erased, and is known to be.
func TestErasedIsRemembered(t *testing.T) {
	p := rootedPhone(t, func(s *phone.Scenario) { s.Image = "writable" })
	line, err := imageOf(t, p, tips).TakeOutCommand(tips)
	do(t, p, line, err)
	p.Restart()
	p.Ask(t.Context(), android.SettledCommand(android.RootBySu))
	if err := p.Need("com.brannock.video"); err != nil {
		t.Fatal(err)
	}
	p.Ask(t.Context(), "pm uninstall --user 0 com.brannock.video")
	p.Restart()
	if p.Condition().Stuck == "" {
		t.Fatal("it starts without what it needs")
	}
	if now := imageOf(t, p, tips); now.State != android.IsErased || now.Lies(now.Folder) {
		t.Errorf("%+v", now)
	}
}

// TestMaskStays restarts a phone again and again: starts that finish are not
// counted against what was taken out.
func TestMaskStays(t *testing.T) {
	p := rootedPhone(t, nil)
	line, err := imageOf(t, p, tips).TakeOutCommand(tips)
	do(t, p, line, err)
	for range 4 {
		p.Restart()
		deadline := time.Now().Add(time.Minute)
		for strings.Contains(string(p.Ask(t.Context(), android.Rooted(android.RootBySu, "ls "+android.ImageHome))), "tries") {
			if time.Now().After(deadline) {
				t.Fatal("a start that finished is still counted")
			}
			time.Sleep(time.Millisecond)
		}
		if _, known := p.Installed(string(tips)); known {
			t.Fatal("the mask is gone")
		}
	}
	p.Reset()
	if there, _ := p.Installed(string(tips)); !there {
		t.Error("a reset left it masked")
	}
}

// TestRootRefused asks phones that give nobody root.
func TestRootRefused(t *testing.T) {
	refusing := rootedPhone(t, func(s *phone.Scenario) { s.RefusesRoot = true })
	if i := imageOf(t, refusing, tips); i.Root != android.RootRefused || i.Way != "" || i.Why != android.RootWasDenied {
		t.Errorf("%+v", i)
	}
	refusing.AllowRoot(true)
	if i := imageOf(t, refusing, tips); i.Root != android.RootBySu || i.Way == "" {
		t.Errorf("%+v", i)
	}
	none := rootedPhone(t, func(s *phone.Scenario) { s.Root = "" })
	if i := imageOf(t, none, tips); i.Root != android.RootNone || i.Why != android.NoRoot {
		t.Errorf("%+v", i)
	}
	if _, err := imageOf(t, none, tips).TakeOutCommand(tips); err == nil {
		t.Error("a phone without root got a command for it")
	}
}
