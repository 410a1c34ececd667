package profile

import (
	"strings"
	"testing"

	"roster/core/android"
)

func part(file, split, signer string, version int64) GivenPart {
	return GivenPart{PackageFile: android.PackageFile{Name: "org.open.keys", Split: split, VersionCode: version, Signers: []string{signer}},
		File: file, Stored: "put-in/" + file, Size: 1000, SHA256: strings.Repeat("b", 64)}
}

// TestGather makes whole packages of files, and says of the others why they are none.
func TestGather(t *testing.T) {
	signer := strings.Repeat("a", 64)
	unsigned, several := part("u.apk", "", "", 1), part("s.apk", "", "", 1)
	unsigned.Name, unsigned.Signers = "org.unsigned", nil
	several.Name, several.Signers = "org.several", []string{"a", "b"}
	lone := part("lone.apk", "config.de", signer, 7)
	lone.Name = "org.lone"
	list, wrong := Gather([]GivenPart{part("en.apk", "config.en", signer, 7), part("base.apk", "", signer, 7), part("de.apk", "config.de", signer, 8),
		part("en2.apk", "config.en", signer, 7), unsigned, several, lone})
	if len(list) != 1 || list[0].Package != "org.open.keys" || len(list[0].Files) != 2 || list[0].Bytes() != 2000 {
		t.Errorf("%+v", list)
	}
	for i, want := range []string{"u.apk: it has no signature", "s.apk: several have signed it", "de.apk: it is of another version",
		"en2.apk: another file among them is the same part", "lone.apk: it is a part of org.lone"} {
		if i >= len(wrong) || !strings.HasPrefix(wrong[i].Error(), want) {
			t.Errorf("%d: want %q in %v", i, want, wrong)
		}
	}
	g := list[0]
	for what, c := range map[string]struct {
		pin   FilePin
		words string
	}{
		"it":             {FilePin{Signer: signer, SHA256: strings.Repeat("b", 64), Least: 7}, ""},
		"another signer": {FilePin{Signer: strings.Repeat("c", 64)}, "signed by somebody else"},
		"another file":   {FilePin{Signer: signer, SHA256: strings.Repeat("c", 64)}, "not the one that is wanted"},
		"too old":        {FilePin{Signer: signer, Least: 8}, "too old: version code 7"},
	} {
		if err := c.pin.Admits(g); (err == nil) != (c.words == "") || err != nil && !strings.Contains(err.Error(), c.words) {
			t.Errorf("%s: %v", what, err)
		}
	}
	g.Files = g.Files[:1]
	if err := (FilePin{Signer: signer}).Admits(g); err == nil || !strings.Contains(err.Error(), "own file") {
		t.Error(err)
	}
	g.MinSDK, g.ABIs = 30, []string{"arm64-v8a"}
	if g.RunsOn(29, nil) == nil || g.RunsOn(30, []string{"x86_64"}) == nil ||
		g.RunsOn(30, []string{"armeabi-v7a", "arm64-v8a"}) != nil || g.RunsOn(30, nil) != nil {
		t.Error("what a phone can run is judged wrongly")
	}
	for _, bad := range []Extra{
		{Kind: PutIn, Label: "keys", File: &FilePin{Signer: signer}},
		{Kind: PutIn, Package: "a.b", File: &FilePin{Signer: "x"}},
		{Kind: PutIn, Package: "a.b", File: &FilePin{Signer: signer, SHA256: "x"}},
		{Kind: PutIn, Package: "a.b", Grants: []string{"a.b;reboot"}},
		{Kind: PutIn, Package: "a.b", Seconds: 601},
		{Kind: PutIn, Package: "a.b", File: &FilePin{Signer: signer, From: "two\nlines"}},
	} {
		if err := bad.check(); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}
