package site

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/core/evidence"
	"roster/core/profile"
	"roster/core/render"
	"roster/store"
)

func TestAddress(t *testing.T) {
	for path, want := range map[string]string{
		"brannock/lyra-5/lending-desk":              "brannock lyra-5 lending-desk 0 ",
		"brannock/lyra-5/lending-desk/3":            "brannock lyra-5 lending-desk 3 ",
		"brannock/lyra-5/lending-desk/3.undo.sh":    "brannock lyra-5 lending-desk 3 .undo.sh",
		"brannock/lyra-5/lending-desk/3.phone.sh":   "brannock lyra-5 lending-desk 3 .phone.sh",
		"brannock/lyra-5/lending-desk.json.minisig": "brannock lyra-5 lending-desk 0 .json.minisig",
		"brannock/lyra-5/lending-desk/3.txt":        "brannock lyra-5 lending-desk 3 .txt",
	} {
		maker, model, edition, number, f, ok := address(path)
		ending := ""
		if f != nil {
			ending = f.ending
		}
		if got := strings.Join([]string{maker, model, edition, fmt.Sprint(number), ending}, " "); !ok || got != want {
			t.Errorf("%s: %q, %v", path, got, ok)
		}
	}
	for _, bad := range []string{"", "a", "a/b", "a/b/c/d", "a/b/c/0", "a/b/c/01", "a/b/c/+1", "a/b/c/1/2", "a/b/c/1000001", "a/b/c/1.exe"} {
		if _, _, _, _, _, ok := address(bad); ok {
			t.Errorf("%q was taken", bad)
		}
	}
}

func TestWords(t *testing.T) {
	if front("com.brannock.voice.wake") != "com.brannock." || front("android") != "" || front("a.b") != "a." {
		t.Error("the shared namespace of a name")
	}
	if got := breaks(`a.<b>.c`); got != "a.<wbr>&lt;b&gt;.<wbr>c" {
		t.Errorf("%s", got)
	}
	for _, l := range evidence.Loads {
		if LoadWords[l] == "" {
			t.Errorf("%s has no word", l)
		}
	}
}

// TestPages writes the page and the run sheet of a release whose every word is
// hostile.
func TestPages(t *testing.T) {
	bad := `<script>alert(1)</script>"'`
	d := &profile.Document{Maker: profile.Maker{Slug: "m", Name: bad}, Model: profile.Model{Slug: "d", Name: bad, Form: "phone"}, Edition: profile.Edition{Slug: "e", Name: bad, Purpose: bad}, Publisher: bad, Approver: bad,
		Builds: []profile.Build{{Fingerprint: "f", Version: bad, Carrier: bad, Proof: profile.Proven}}, Changes: []string{bad}, Stays: []profile.Stay{{Package: "a.b", Label: bad, Why: bad}},
		Steps: []profile.Step{{Number: 1, Kind: profile.Check, Phase: profile.Before, Text: bad}, {Number: 2, Kind: profile.Remove, Method: evidence.RemoveForUser, Package: "a.c", Label: bad, Load: evidence.Loose, Costs: []string{bad}, Conditions: []string{bad}, Pinned: bad},
			{Number: 3, Kind: profile.Check, Phase: profile.Afterward, Text: bad}}}
	at := time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC)
	r := store.Release{ReleaseLine: store.ReleaseLine{Maker: "m", Model: "d", Edition: "e", Number: 3, State: "withdrawn", Reason: bad, PublishedAt: at, WithdrawnAt: &at}, PublicKey: bad, KeyRetired: &at}
	s := &Site{Base: "https://roster.example"}
	about := render.About{File: "d-e-3", Where: s.Base + "/r/m/d/e/3"}
	marks := map[uuid.UUID][]store.NotFor{r.ID: {{Version: "15.0.1", Why: bad, Since: at.Add(time.Hour)}}}
	shown := pageOf(r, d, about)
	shown.NotFor = marks[r.ID]
	page, err := s.page("release.html", shown)
	sheet, err2 := runSheet(r, d, about)
	if err != nil || err2 != nil {
		t.Fatal(err, err2)
	}
	for what, text := range map[string]string{"page": string(page.Body), "sheet": string(sheet)} {
		if strings.Contains(text, "<script") || !strings.Contains(text, "&lt;script") || !strings.Contains(text, "Withdrawn") || !strings.Contains(text, "cmd package") {
			t.Errorf("%s: %.2000s", what, text)
		}
	}
	if !strings.Contains(string(page.Body), "Not for 15.0.1") {
		t.Error("the page does not say for which firmware it is not")
	}
	covered := coverPage{Rows: []coverRow{{store.ModelCover{MakerName: bad, ModelName: bad, CapturedAt: &at}, []store.BuildCover{{Version: bad, Packages: 10, Tried: 3}, {Version: "2"}}}}, Helpful: []store.BuildCover{{MakerName: bad, Version: bad, Carrier: bad}}}
	cover, err := s.page("coverage.html", covered)
	if err != nil || strings.Contains(string(cover.Body), "<script") || strings.Count(string(cover.Body), "<rect class=\"s3\"") != 2 || !strings.Contains(string(cover.Body), "23 Nov 2026") {
		t.Errorf("coverage: %v\n%.3000s", err, cover.Body)
	}
	f, err := s.feed([]store.ReleaseLine{r.ReleaseLine}, marks)
	var back struct {
		Entries []struct {
			Title   string `xml:"title"`
			Content string `xml:"content"`
		} `xml:"entry"`
	}
	if err != nil || xml.Unmarshal(f.Body, &back) != nil || len(back.Entries) != 2 || !strings.HasPrefix(back.Entries[0].Title, "Not for 15.0.1") || !strings.HasPrefix(back.Entries[1].Title, "Withdrawn") || back.Entries[1].Content != bad {
		t.Errorf("%s, %v", f.Body, err)
	}
	svg, err := QR("https://roster.example/r/m/d/e/3")
	if err != nil || !bytes.Contains(svg, []byte("<path")) || xml.Unmarshal(svg, new(struct{})) != nil {
		t.Errorf("%.200s, %v", svg, err)
	}
}
