package impact

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"roster/core/android"
	"roster/core/evidence"
)

func pkg(name string, change ...func(*android.Package)) android.Package {
	p := android.Package{Name: android.PackageName(name), Installed: true, Enabled: android.EnabledDefault, System: true, Path: "/product/app/" + name}
	for _, c := range change {
		c(&p)
	}
	return p
}

func uses(library, kind string) func(*android.Package) {
	return func(p *android.Package) { p.Uses = append(p.Uses, android.LibraryUse{Name: library, Kind: kind}) }
}

func provides(library string) func(*android.Package) {
	return func(p *android.Package) { p.Provides = append(p.Provides, library) }
}

func declares(name, protection string) func(*android.Package) {
	return func(p *android.Package) {
		p.Declares = append(p.Declares, android.Declared{Name: name, Protection: protection})
	}
}

func requests(names ...string) func(*android.Package) {
	return func(p *android.Package) { p.Requests = append(p.Requests, names...) }
}

// world has one of everything.
func world() Phone {
	return Phone{Form: "phone",
		Packages: []android.Package{
			pkg("a.suite", provides("a.feedback"), declares("a.SIGN", "signature|privileged"), declares("a.MIC", "dangerous")),
			pkg("a.vibrate", uses("a.feedback", "required"), requests("a.MIC")),
			pkg("a.maybe", uses("a.feedback", "optional"), requests("a.SIGN")),
			pkg("a.night", func(p *android.Package) { p.OverlayTarget = "a.themes" }),
			pkg("a.themes", func(p *android.Package) { p.SharedUser = "a.uid" }),
			pkg("a.ident", func(p *android.Package) { p.SharedUser = "a.uid" }),
			pkg("a.home", func(p *android.Package) { p.StartsAtBoot, p.DataBytes, p.AppBytes = true, 10, 100 }),
			pkg("a.gone", uses("a.feedback", "required"), func(p *android.Package) { p.Installed = false }),
			pkg("a.off", provides("a.nothing"), func(p *android.Package) { p.Enabled = android.EnabledOff }),
			pkg("a.keys"),
			pkg("com.android.settings"),
		},
		Facts: android.PhoneFacts{
			Roles:          []android.Role{{Name: "HOME", Holders: []android.PackageName{"a.home"}, Able: []android.PackageName{"a.home", "com.android.settings"}}, {Name: "SMS", Holders: []android.PackageName{"a.maybe"}}, {Name: "DIALER", Holders: []android.PackageName{"a.gone"}}},
			Keyboards:      []android.Keyboard{{Package: "a.keys", Default: true}},
			Administrators: []android.PackageName{"a.ident"},
		},
		Stated: []Link{{From: "a.home", On: "a.themes", Strength: Hard, By: []string{"icons"}}, {From: "a.home", On: "a.nobody", Strength: Hard}},
	}
}

func TestLinks(t *testing.T) {
	var got []string
	for _, l := range Read(world()).Links {
		got = append(got, fmt.Sprintf("%s>%s %s %s %s", l.From, l.On, l.Kind, l.Strength, strings.Join(l.By, "+")))
	}
	want := []string{
		"a.home>a.themes stated hard icons",
		"a.ident>a.themes shared-uid soft a.uid",
		"a.maybe>a.suite library soft a.feedback",
		"a.maybe>a.suite permission hard a.SIGN",
		"a.night>a.themes overlay hard a.themes",
		"a.themes>a.ident shared-uid soft a.uid",
		"a.vibrate>a.suite library hard a.feedback",
		"a.vibrate>a.suite permission soft a.MIC",
	}
	if !slices.Equal(got, want) {
		t.Errorf("\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

func TestRoles(t *testing.T) {
	var got []string
	for _, r := range Read(world()).Roles {
		got = append(got, fmt.Sprint(r.Name, " ", r.Class, " ", r.Able))
	}
	want := []string{"HOME vital [a.home com.android.settings]", "KEYBOARD vital [a.keys]", "SETTINGS vital [com.android.settings]", "SMS wanted [a.maybe]"}
	if !slices.Equal(got, want) {
		t.Errorf("%q", got)
	}
	if classOf("DIALER", "phone") != Vital || classOf("DIALER", "television") != Optional {
		t.Error("a television calls nobody")
	}
}

func TestConsequences(t *testing.T) {
	user := evidence.RemoveForUser
	known := Known{Conditions: map[android.PackageName][]string{"a.themes": {"no lock code"}}, Refused: map[android.PackageName]int{"a.keys": 2}, ComesBack: map[android.PackageName]int{"a.home": 3}}
	for what, c := range map[string]struct {
		set  Removal
		want string
	}{
		"nothing":               {Removal{}, ""},
		"what is not there":     {Removal{"a.gone": user, "x.y": user}, ""},
		"one of two homes":      {Removal{"a.home": user}, "comes-back note [a.home]; bytes-freed note [a.home]; starter-gone note [a.home]"},
		"the keyboard":          {Removal{"a.keys": user}, "role-emptied stops [a.keys]; will-refuse note [a.keys]"},
		"what others rest on":   {Removal{"a.suite": user}, "link-broken stops [a.suite]<[a.maybe a.vibrate]; link-loosened note [a.suite]<[a.maybe a.vibrate]"},
		"with all that rests":   {Removal{"a.suite": user, "a.vibrate": user, "a.maybe": user}, "role-emptied costs [a.maybe]; permission-gone note [a.vibrate]"},
		"a theme":               {Removal{"a.themes": user}, "link-broken stops [a.themes]<[a.home]; condition costs [a.themes]; link-loosened note [a.themes]<[a.ident]; no-purpose note [a.night]"},
		"an administrator":      {Removal{"a.ident": user}, "administrator stops [a.ident]; link-loosened note [a.ident]<[a.themes]"},
		"both who can be home":  {Removal{"a.home": user, "com.android.settings": user}, "role-emptied stops [a.home com.android.settings]; role-emptied stops [com.android.settings]; bytes-freed note [a.home com.android.settings]; comes-back note [a.home]; starter-gone note [a.home]"},
		"from the image":        {Removal{"a.home": evidence.RemoveFromImage}, "bytes-freed note [a.home]; comes-back note [a.home]; starter-gone note [a.home]"},
		"what rests on nothing": {Removal{"a.night": user}, ""},
	} {
		var got []string
		for _, x := range Read(world()).Consequences(c.set, known) {
			line := fmt.Sprintf("%s %s %v", x.Code, x.Severity, x.Packages)
			if len(x.Stay) > 0 {
				line += fmt.Sprintf("<%v", x.Stay)
			}
			got = append(got, line)
			if x.Why == "" {
				t.Errorf("%s: %s without a reason", what, x.Code)
			}
			if want := map[evidence.Method]int64{user: 10, evidence.RemoveFromImage: 110}[c.set["a.home"]]; x.Code == "bytes-freed" && x.Bytes != want {
				t.Errorf("%s: %d bytes, want %d", what, x.Bytes, want)
			}
		}
		want := strings.Split(c.want, "; ")
		slices.Sort(want)
		slices.Sort(got)
		if strings.Join(got, "; ") != strings.Join(want, "; ") {
			t.Errorf("%s:\n%s\nwant\n%s", what, strings.Join(got, "; "), strings.Join(want, "; "))
		}
	}
}

// random makes a phone whose packages use each other's libraries.
func random(rng *rand.Rand, n, links int) Phone {
	p := Phone{Form: "phone"}
	for i := range n {
		p.Packages = append(p.Packages, pkg(fmt.Sprintf("p.n%d", i), provides(fmt.Sprint("l", i))))
	}
	for range links {
		uses(fmt.Sprint("l", rng.IntN(n)), "required")(&p.Packages[rng.IntN(n)])
	}
	for _, role := range []string{"HOME", "SMS"} {
		p.Facts.Roles = append(p.Facts.Roles, android.Role{Name: role, Holders: []android.PackageName{p.Packages[rng.IntN(n)].Name}, Able: []android.PackageName{p.Packages[rng.IntN(n)].Name}})
	}
	return p
}

func stops(p Phone, names []android.PackageName) bool {
	set := Removal{}
	for _, name := range names {
		set[name] = evidence.RemoveForUser
	}
	return slices.ContainsFunc(Read(p).Consequences(set, Known{}), func(c Consequence) bool { return c.Severity == Stops })
}

// TestLargest compares with trying out every subset.
func TestLargest(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 5))
	shrunk := 0
	for range 200 {
		p := random(rng, 8, rng.IntN(12))
		var candidates []android.PackageName
		for _, x := range p.Packages {
			if rng.IntN(4) > 0 {
				candidates = append(candidates, x.Name)
			}
		}
		kept, dropped := Read(p).Largest(candidates, nil, Before{})
		if stops(p, kept) || len(kept)+len(dropped) != len(candidates) {
			t.Fatalf("%v of %v still stops something", kept, candidates)
		}
		best := 0
		for bits := range 1 << len(candidates) {
			var subset []android.PackageName
			for i, name := range candidates {
				if bits>>i&1 == 1 {
					subset = append(subset, name)
				}
			}
			if len(subset) > best && !stops(p, subset) {
				best = len(subset)
			}
		}
		// Which of several keeps a role is decided by who holds it, not by how
		// much that costs: without a shared role nothing larger exists.
		if home := Read(p).Roles[0]; len(home.Able) == 1 && len(kept) != best {
			t.Fatalf("%v of %v, though %d could go", kept, candidates, best)
		}
		if len(kept) < len(candidates) {
			shrunk++
		}
	}
	if shrunk < 50 {
		t.Errorf("only %d of 200 had anything to drop", shrunk)
	}
	all := []android.PackageName{"a.home", "com.android.settings", "a.keys", "a.suite", "a.vibrate", "a.ident"}
	kept, dropped := Read(world()).Largest(all, nil, Before{})
	if fmt.Sprint(kept) != "[a.vibrate]" {
		t.Errorf("%v, %+v", kept, dropped)
	}
	for _, d := range dropped {
		if d.Why == "" {
			t.Errorf("%+v", d)
		}
	}
}

// TestTouched: what could hold a role, runs as a part of the system, administers or
// has others rest on it by a hard link stays in the image; whatever else they do, the
// others may go.
func TestTouched(t *testing.T) {
	w := world()
	w.Packages = append(w.Packages, pkg("a.always", func(p *android.Package) { p.Persistent = true }),
		pkg("a.system", func(p *android.Package) { p.SharedUser = "android.uid.system" }))
	n := Read(w)
	for name, want := range map[android.PackageName]string{
		"a.home": "it could be the phone's HOME", "a.keys": "it could be the phone's", "a.suite": "rests on it by a", "a.themes": "a.home rests on it",
		"a.ident": "administrator", "a.always": "always runs", "a.system": "runs as a part of the system", "a.vibrate": "", "a.night": "", "a.nobody": "",
	} {
		if got := n.Touched(name); want == "" && got != "" || !strings.Contains(got, want) {
			t.Errorf("%s: %q, want %q", name, got, want)
		}
	}
}

func TestOrder(t *testing.T) {
	rng := rand.New(rand.NewPCG(9, 9))
	for range 100 {
		p := random(rng, 12, rng.IntN(20))
		var names []android.PackageName
		for _, x := range p.Packages {
			names = append(names, x.Name)
		}
		at, n := map[android.PackageName]int{}, 0
		for i, group := range Order(Read(p).Links, names) {
			for _, name := range group {
				at[name] = i
				n++
			}
		}
		if n != len(names) {
			t.Fatalf("%d of %d", n, len(names))
		}
		for _, l := range Read(p).Links {
			if at[l.From] > at[l.On] {
				t.Fatalf("%s goes after %s, which it rests on", l.From, l.On)
			}
		}
	}
	got := Order(Read(world()).Links, []android.PackageName{"a.suite", "a.themes", "a.vibrate", "a.home", "a.night", "a.keys"})
	if want := "[[a.home] [a.keys] [a.night] [a.themes] [a.vibrate] [a.suite]]"; fmt.Sprint(got) != want {
		t.Errorf("%v, want %s", got, want)
	}
	circle := Phone{Packages: []android.Package{pkg("c.a", provides("a"), uses("b", "required")), pkg("c.b", provides("b"), uses("a", "required")), pkg("c.c", uses("a", "required"))}}
	if got := Order(Read(circle).Links, []android.PackageName{"c.b", "c.a", "c.c"}); fmt.Sprint(got) != "[[c.c] [c.a c.b]]" {
		t.Errorf("%v", got)
	}
}

// TestBefore holds what steps before the removal make good.
func TestBefore(t *testing.T) {
	user := evidence.RemoveForUser
	n := Read(world())
	for what, c := range map[string]struct {
		set    Removal
		known  Known
		stops  bool
		reason string
	}{
		"an administrator that is withdrawn": {Removal{"a.ident": user}, Known{Before: Before{Withdrawn: map[android.PackageName]bool{"a.ident": true}}}, false, ""},
		"a keyboard put in":                  {Removal{"a.keys": user}, Known{Before: Before{Held: map[string]android.PackageName{Keyboard: "org.open.keys"}}}, false, ""},
		"one put in that goes, too":          {Removal{"a.keys": user, "a.home": user}, Known{Before: Before{Held: map[string]android.PackageName{Keyboard: "a.home"}}}, true, "nobody else"},
		"a condition that does not hold":     {Removal{"a.home": user}, Known{Conditions: map[android.PackageName][]string{"a.home": {"not role-held:HOME"}}}, true, "that is not so"},
		"one that holds":                     {Removal{"a.home": user}, Known{Conditions: map[android.PackageName][]string{"a.home": {"role-held:HOME", "not lock-code-set", "device-admin:a.ident"}}}, false, ""},
	} {
		var stops []string
		for _, x := range n.Consequences(c.set, c.known) {
			if x.Severity == Stops {
				stops = append(stops, x.Why)
			}
		}
		if (len(stops) > 0) != c.stops || c.stops && !strings.Contains(strings.Join(stops, ";"), c.reason) {
			t.Errorf("%s: %q", what, stops)
		}
	}
	if kept, dropped := n.Largest([]android.PackageName{"a.ident", "a.keys"}, nil, Before{Withdrawn: map[android.PackageName]bool{"a.ident": true}, Held: map[string]android.PackageName{Keyboard: "org.open.keys"}}); len(kept) != 2 {
		t.Errorf("dropped %v", dropped)
	}
	for text, want := range map[string]bool{"lock-code-set": true, "not device-admin:a.b": true, "role-held:HOME": true, "role-held:home": false, "device-admin:$(id)": false, "not while a card is in it": false, "lock-code-set:x": false} {
		if _, ok := ParseCondition(text); ok != want {
			t.Errorf("%q: %t", text, ok)
		}
	}
}

func TestAround(t *testing.T) {
	n := Read(world())
	on, from := n.Around("a.suite")
	if len(on) != 0 || len(from) != 4 || n.Resting()["a.suite"] != (Resting{Hard: 2}) || n.Resting()["a.ident"] != (Resting{}) {
		t.Errorf("%v %v %v", on, from, n.Resting())
	}
	if want := "[Package [a.suite] provides: a.feedback Package [a.vibrate] usesLibraries: a.feedback]"; fmt.Sprint(from[2].Lines) != want {
		t.Errorf("%v", from[2].Lines)
	}
	// A switched-off package holds nothing, and can go.
	if on, from := n.Around("a.off"); on != nil || from != nil || !n.Has("a.off") || n.Has("a.gone") {
		t.Error("what is off has links, or is not there")
	}
}

func TestCompare(t *testing.T) {
	after := world()
	after.Packages[1].Uses = nil
	after.Packages = append(after.Packages, pkg("a.fresh", uses("a.feedback", "static")))
	after.Facts.Keyboards = append(after.Facts.Keyboards, android.Keyboard{Package: "a.fresh"})
	d := Compare(Read(world()), Read(after))
	if len(d.Gained) != 1 || d.Gained[0].From != "a.fresh" || len(d.Lost) != 1 || d.Lost[0].From != "a.vibrate" || len(d.Roles) != 1 || len(d.Roles[0].After) != 2 {
		t.Errorf("%+v", d)
	}
	if d := Compare(Read(after), Read(after)); len(d.Gained)+len(d.Lost)+len(d.Roles) != 0 {
		t.Errorf("%+v", d)
	}
}

// TestStructure holds what the phone's own words call for, of one package alone.
func TestStructure(t *testing.T) {
	p := world()
	p.Packages = append(p.Packages, pkg("a.core", provides("a.boot")), pkg("a.init", uses("a.boot", "required"), func(p *android.Package) { p.Persistent = true }))
	n := Read(p)
	for name, want := range map[string]evidence.Load{
		"a.keys": evidence.LoadBearing, "a.core": evidence.LoadBearing, "a.suite": evidence.TiedIn, "a.themes": evidence.TiedIn,
		"a.home": evidence.LeanedOn, "a.maybe": evidence.LeanedOn, "a.night": "", "a.vibrate": "", "a.off": "", "a.gone": "", "no.such": "",
	} {
		if got := n.Structure(android.PackageName(name)).Called(); got != want {
			t.Errorf("%s calls for %q, want %q", name, got, want)
		}
	}
	for _, c := range []struct{ trials, called, want evidence.Load }{
		{evidence.Loose, "", evidence.Loose}, {evidence.Loose, evidence.TiedIn, evidence.TiedIn}, {evidence.Unproven, evidence.LeanedOn, evidence.LeanedOn},
		{evidence.LoadBearing, evidence.LeanedOn, evidence.LoadBearing}, {evidence.LeanedOn, evidence.TiedIn, evidence.TiedIn}, {evidence.Unproven, "", evidence.Unproven},
	} {
		if got := evidence.Joined(c.trials, c.called); got != c.want {
			t.Errorf("%s and %q come to %s, want %s", c.trials, c.called, got, c.want)
		}
	}
	if n.RolesUnknown() || !Read(Phone{}).RolesUnknown() {
		t.Error("whether roles are known")
	}
}

// TestCircle takes packages that rest on each other: one that stays keeps all,
// and together they can go.
func TestCircle(t *testing.T) {
	circle := Phone{Packages: []android.Package{pkg("c.a", provides("a"), uses("b", "required")), pkg("c.b", provides("b"), uses("c", "required")), pkg("c.c", provides("c"), uses("a", "required"))}}
	n := Read(circle)
	if kept, dropped := n.Largest([]android.PackageName{"c.a", "c.b", "c.c"}, nil, Before{}); len(kept) != 3 || len(dropped) != 0 {
		t.Errorf("all of a circle: %v, %v", kept, dropped)
	}
	if kept, dropped := n.Largest([]android.PackageName{"c.a", "c.b"}, nil, Before{}); len(kept) != 0 || len(dropped) != 2 || dropped[1].Why == "" {
		t.Errorf("part of a circle: %v, %v", kept, dropped)
	}
	if got := n.Consequences(Removal{"c.a": evidence.Disable, "c.b": evidence.Disable, "c.c": evidence.Disable}, Known{}); len(got) != 0 {
		t.Errorf("%+v", got)
	}
}

// BenchmarkRead reads a phone of 600 packages with 5,000 links.
func BenchmarkRead(b *testing.B) {
	p := random(rand.New(rand.NewPCG(1, 1)), 600, 5000)
	for b.Loop() {
		Read(p)
	}
}

// BenchmarkConsequences works out what taking 200 of 600 packages off leads
// to.
func BenchmarkConsequences(b *testing.B) {
	p := random(rand.New(rand.NewPCG(1, 1)), 600, 5000)
	set := Removal{}
	for i := range 200 {
		set[p.Packages[i*3].Name] = evidence.RemoveForUser
	}
	n := Read(p)
	b.ReportAllocs()
	for b.Loop() {
		n.Consequences(set, Known{})
	}
}

// TestConsequencesAllocateLittle holds what every changed choice runs to what it
// takes now.
func TestConsequencesAllocateLittle(t *testing.T) {
	p := random(rand.New(rand.NewPCG(1, 1)), 600, 5000)
	set := Removal{}
	for i := range 200 {
		set[p.Packages[i*3].Name] = evidence.RemoveForUser
	}
	net := Read(p)
	if n := testing.AllocsPerRun(10, func() { net.Consequences(set, Known{}) }); n > 2600 {
		t.Errorf("the consequences of 200 packages of 600 allocate %v times", n)
	}
}
