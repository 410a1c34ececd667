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
		if _, err := speakers()["en"].say("load." + string(l)); err != nil {
			t.Error(err)
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
	shown := pageOf(r, d, about, store.Spoken{Labels: map[string]string{"a.c": bad}, Abouts: map[string]string{"a.c": bad}, Functions: map[string]string{bad: bad}})
	shown.NotFor = marks[r.ID]
	held := []handed{{goes: goes{Step: profile.Step{Label: bad, Conditions: []string{bad}}}, Hand: store.ByHand{Sure: true, Phones: 2}}}
	for _, l := range Languages {
		s := s.In(l.Code)
		told, wrong := s.ToldPage(store.OutsideReport{
			Release: bad, ReleasePath: bad, Outcome: store.ToldBroken, Function: bad, Words: bad, Log: bad,
			State: "put-away", Reason: bad, Capture: &store.ReportCapture{Model: bad, Packages: 3}, Notes: []store.ReportNote{{By: bad, Words: bad}},
		}, "/told/x")
		pages := map[string]File{"told": told}
		for name, data := range map[string]any{
			"release": shown, "sheet": shown, "hand": handPage{shown, byHand{Icon: held, Hidden: held, Untold: held, Grey: held}},
			"tell":     Told{To: "/tell", Release: "/r/m/d/e/3", Name: bad, Outcomes: outcomes},
			"releases": index{Title: bad, List: []store.ReleaseLine{r.ReleaseLine}, Purposes: map[uuid.UUID]string{r.ID: bad}, NotFor: marks},
		} {
			var err error
			if pages[name], err = s.page(name+".html", data); err != nil {
				t.Errorf("%s, %s: %v", l.Code, name, err)
			}
		}
		for name, page := range pages {
			text := string(page.Body)
			spoken := `lang="` + l.Code + `" dir="` + map[bool]string{true: "rtl", false: "ltr"}[l.Left] + `"`
			if strings.Contains(text, "<script") || !strings.Contains(text, "&lt;script") || !strings.Contains(text, spoken) || wrong != nil {
				t.Errorf("%s, %s: %.2000s", l.Code, name, text)
			}
			if strings.Contains(text, "{n}") || strings.Contains(text, "{name}") || strings.Contains(text, "{why}") {
				t.Errorf("%s, %s: a sentence is not filled in: %.3000s", l.Code, name, text)
			}
		}
		if text := string(pages["release"].Body); !strings.Contains(text, "15.0.1") || !strings.Contains(text, "cmd package") {
			t.Errorf("%s: the page does not say for which firmware it is not, or how to put a package back", l.Code)
		}
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
