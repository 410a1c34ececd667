package run

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/impact"
)

// phoneOf plays the moves of a hunt: which packages are off then.
func play(t *testing.T, list []Journal, moves []Step) []Journal {
	t.Helper()
	for _, s := range moves {
		if s.Number != len(list)+1 {
			t.Fatalf("step %d is numbered %d", len(list)+1, s.Number)
		}
		list = append(list, Journal{Step: s, State: Done})
	}
	return list
}

// TestHuntOfQuiet puts back what was quietened to what it might do before, and
// quietens it again.
func TestHuntOfQuiet(t *testing.T) {
	list := []Journal{{Step: Step{Number: 1, Kind: Remove, Method: evidence.Quieten, Package: "a.one"}, State: Done, Before: loud}}
	h := Hunt{Suspects: []Suspect{{Package: "a.one"}}, Asking: []android.PackageName{"a.one"}}
	moves := h.Moves(list)
	if len(moves) != 1 || moves[0].Value != loud || moves[0].Method != evidence.Quieten {
		t.Fatalf("%+v", moves)
	}
	list = play(t, list, moves)
	h.Asking = nil
	if moves = h.Moves(list); len(moves) != 1 || moves[0].Method != evidence.Quieten || moves[0].Again != 1 {
		t.Errorf("%+v", moves)
	}
}

// TestHunt finds every guilty package of runs of every size, in no more
// questions than a halving takes, and leaves only that one on the phone.
func TestHunt(t *testing.T) {
	chance := rand.New(rand.NewPCG(3, 3))
	for _, n := range []int{1, 2, 3, 7, 16, 60} {
		for range 40 {
			var names []android.PackageName
			for i := range n {
				names = append(names, android.PackageName(fmt.Sprintf("a.n%03d", i)))
			}
			guilty := names[chance.IntN(n)]
			list := journalOf(names...)
			h := Hunt{Check: 1, Text: "Print a page", Function: "printing", Suspects: Suspects("printing", Off(list), Pointers{})}
			questions := 0
			for h.Begin(); ; questions++ {
				list = play(t, list, h.Moves(list))
				off := map[android.PackageName]bool{}
				for _, j := range Off(list) {
					off[j.Package] = true
				}
				if h.Over {
					if h.Found != guilty || off[guilty] || len(off) != n-1 {
						t.Fatalf("%d packages: found %s, guilty %s, %d off", n, h.Found, guilty, len(off))
					}
					break
				}
				for _, name := range names {
					if off[name] == slices.Contains(h.Asking, name) {
						t.Fatalf("%s is off: %t, and is asked about: %t", name, off[name], slices.Contains(h.Asking, name))
					}
				}
				h.Answer(!off[guilty])
				if questions > 9 {
					t.Fatalf("%d packages: still asking after %d questions", n, questions)
				}
			}
			if path := h.Path(); !strings.Contains(path, "So it rests on "+string(guilty)) {
				t.Error(path)
			}
		}
	}
}

// TestHuntOfNone: two packages carry it together, or none does. No package is
// called guilty that does not bring it back alone.
func TestHuntOfNone(t *testing.T) {
	for what, works := range map[string]func(on []android.PackageName) bool{
		"none": func([]android.PackageName) bool { return false },
		"two": func(on []android.PackageName) bool {
			return slices.Contains(on, "a.n01") && slices.Contains(on, "a.n05")
		},
	} {
		var names []android.PackageName
		for i := range 8 {
			names = append(names, android.PackageName(fmt.Sprintf("a.n%02d", i)))
		}
		h := Hunt{Text: "Call", Suspects: Suspects("", Off(journalOf(names...)), Pointers{})}
		h.Begin()
		for range 12 {
			if h.Over {
				break
			}
			h.Answer(works(h.Asking))
		}
		if !h.Over || h.Found != "" || !strings.Contains(h.Path(), "No single package") {
			t.Errorf("%s: %+v", what, h)
		}
	}
}

func TestSuspects(t *testing.T) {
	packages := []android.Package{
		{Name: "a.spooler", Installed: true, Provides: []string{"print.lib"}}, {Name: "a.service", Installed: true, Uses: []android.LibraryUse{{Name: "print.lib", Kind: "required"}}},
		{Name: "a.game", Installed: true}, {Name: "a.seen", Installed: true},
	}
	p := Pointers{Carries: map[android.PackageName][]string{"a.spooler": {"printing"}}, Missed: map[android.PackageName][]string{"a.seen": {"printing"}}, Net: impact.Read(impact.Phone{Form: "phone", Packages: packages})}
	list := Suspects("printing", journalOf("a.game", "a.service", "a.spooler", "a.seen"), p)
	var names []string
	for _, s := range list {
		names = append(names, string(s.Package))
	}
	if got := strings.Join(names, " "); got != "a.seen a.spooler a.service a.game" {
		t.Errorf("%s: %+v", got, list)
	}
	if len(list[3].Why) != 0 || list[3].Weight != 1 || len(list[0].Why) == 0 {
		t.Errorf("%+v", list)
	}
	// The fewest that carry half of all weight are asked about, the likeliest first.
	h := Hunt{Suspects: list}
	h.Begin()
	if len(h.Asking) != 2 || h.Asking[0] != "a.seen" {
		t.Errorf("%v", h.Asking)
	}
}

func TestDraft(t *testing.T) {
	list := journalOf("a.clean", "a.radio", "a.refused", "a.back", "a.failed")
	list[2].State, list[2].Words = Refused, "Failure [DELETE_FAILED_INTERNAL_ERROR]"
	list[4].State = Failed
	works := func(text, function string) Check { return Check{Text: text, Function: function, Answer: Works} }
	whole := func() RunRecord {
		return RunRecord{Run: "r", Build: "b", Phone: "p", On: "2026-05-01", WatchedDays: 8, Journal: slices.Clone(list), Restarted: true, Back: map[android.PackageName]string{"a.back": "back-after-restart"},
			Checks:  []Check{works("Call", ""), {Number: 2, Text: "Try radio", Function: "radio", Answer: Works}},
			Carries: map[android.PackageName][]string{"a.radio": {"radio"}}}
	}
	for what, c := range map[string]struct {
		change func(*RunRecord)
		want   string // package=outcome of the drafts
		held   string // why something is withheld
	}{
		"all is well":        {func(*RunRecord) {}, "a.back=clean a.clean=clean a.radio=clean a.refused=refused", ""},
		"not watched":        {func(f *RunRecord) { f.WatchedDays = 0 }, "a.refused=refused", "less than a day"},
		"a general one open": {func(f *RunRecord) { f.Checks[0].Answer = NotYet }, "a.refused=refused", "not tried yet: call"},
		"radio not tried":    {func(f *RunRecord) { f.Checks[1].Answer = NotTried }, "a.back=clean a.clean=clean a.refused=refused", "not tried yet: try radio"},
		"radio broken":       {func(f *RunRecord) { f.Checks[1].Answer = Broken }, "a.refused=refused", "suspected: try radio is broken"},
		"radio found": {func(f *RunRecord) {
			f.Checks[1].Answer, f.Checks[1].Note = Broken, "Only noise."
			f.Hunts = []Hunt{{Check: 2, Text: "Try radio", Function: "radio", Over: true, Found: "a.radio", Suspects: []Suspect{{Package: "a.radio"}}}}
		}, "a.back=clean a.clean=clean a.radio=function-lost a.refused=refused", ""},
		"start found": {func(f *RunRecord) {
			f.Checks[0] = Check{Number: 9, Text: "Restart the phone", Answer: Broken}
			f.Hunts = []Hunt{{Check: 9, Text: "Restart the phone", Over: true, Found: "a.clean"}}
		}, "a.back=clean a.clean=no-start a.radio=clean a.refused=refused", ""},
		"fault found": {func(f *RunRecord) {
			f.Checks[0] = Check{Number: 9, Text: "Type in two languages", Answer: Broken}
			f.Hunts = []Hunt{{Check: 9, Text: "Type in two languages", Over: true, Found: "a.clean"}}
		}, "a.back=clean a.clean=fault a.radio=clean a.refused=refused", ""},
		"put back at once": {func(f *RunRecord) {
			f.Journal = append(f.Journal, Journal{Step: Step{Number: 6, Kind: PutBack, Package: "a.clean", Undoes: 1}, State: Done})
		}, "a.back=clean a.radio=clean a.refused=refused", "put back before anybody could tell"},
	} {
		f := whole()
		c.change(&f)
		drafts, withheld := Draft(f)
		var got []string
		for _, d := range drafts {
			got = append(got, fmt.Sprintf("%s=%s", d.Package, d.Value.Outcome))
			if d.Value.Run != "r" || d.Value.Phone != "p" || d.Value.On != "2026-05-01" {
				t.Errorf("%s: %+v", what, d.Value)
			}
		}
		slices.Sort(got)
		if strings.Join(got, " ") != c.want {
			t.Errorf("%s: %s, want %s", what, strings.Join(got, " "), c.want)
		}
		if c.held != "" && !slices.ContainsFunc(withheld, func(w Withheld) bool { return strings.Contains(w.Why, c.held) }) {
			t.Errorf("%s: withheld %+v, want %q", what, withheld, c.held)
		}
	}
	drafts, _ := Draft(whole())
	for _, d := range drafts {
		want := map[android.PackageName]string{"a.clean": "held", "a.back": "back-after-restart", "a.refused": "not-watched", "a.radio": "held"}[d.Package]
		if d.Value.Persistence != want {
			t.Errorf("%s: %s, want %s", d.Package, d.Value.Persistence, want)
		}
		if d.Package == "a.refused" && d.Value.Note == "" {
			t.Error("a refusal without the phone's words")
		}
	}
	f := whole()
	f.Checks[1].Answer, f.Checks[1].Note = Broken, "Only noise."
	f.Hunts = []Hunt{{Check: 2, Text: "Try radio", Function: "radio", Over: true, Found: "a.radio", Suspects: []Suspect{{Package: "a.radio"}}, Rounds: []Round{{[]android.PackageName{"a.radio"}, true}}}}
	drafts, _ = Draft(f)
	i := slices.IndexFunc(drafts, func(d Drafted) bool { return d.Package == "a.radio" })
	if note := drafts[i].Value.Note; !strings.Contains(note, "With a.radio put back: works") || !strings.Contains(note, "Only noise.") || drafts[i].Value.Function != "radio" {
		t.Errorf("the way there is not its proof: %+v", drafts[i].Value)
	}
}

func TestCheckList(t *testing.T) {
	var got []string
	for _, c := range CheckList(document()) {
		got = append(got, fmt.Sprint(c.Number, " ", c.Text, "=", c.Function))
	}
	if want := "1 Restart the phone= 2 Pay by touch=payments 3 Try file sharing=file-sharing"; strings.Join(got, " ") != want {
		t.Errorf("%s, want %s", strings.Join(got, " "), want)
	}
}
