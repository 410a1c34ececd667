package profile

import (
	"bytes"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/evidence"
	"roster/core/impact"
)

func candidate(name string, load evidence.Load, ceiling float64) Candidate {
	c := Candidate{Package: android.PackageName(name), Origin: "maker", Load: load, Figures: Figures{Ceiling: ceiling, Standing: evidence.Fair, Phones: 9, People: 3}}
	if ceiling == 1 {
		c.Standing, c.Phones, c.People = evidence.Untried, 0, 0
	}
	return c
}

func sample() []Candidate {
	list := []Candidate{
		candidate("a.heavy", evidence.TiedIn, 0.2), candidate("a.unknown", evidence.Unproven, 0.4), candidate("a.bearing", evidence.LoadBearing, 1),
		candidate("a.untried", evidence.Loose, 1), candidate("a.high", evidence.LeanedOn, 0.5), candidate("a.low", evidence.Loose, 0.081234),
		candidate("a.tie2", evidence.LeanedOn, 0.25), candidate("a.tie1", evidence.Loose, 0.25),
	}
	list[6].Lost = []string{"weather"}
	list[5].StartsAtBoot = true
	return list
}

func names(rows []Row, goes bool) (list []string) {
	for _, r := range rows {
		if r.Goes == goes {
			list = append(list, strings.TrimPrefix(string(r.Package), "a."))
		}
	}
	return list
}

// basis is the sample's packages on two builds, of which only the older one has
// all of them.
func basis(change ...func(*impact.Phone)) Basis {
	phone := impact.Phone{Form: "phone", Facts: android.PhoneFacts{Roles: []android.Role{{Name: "HOME", Holders: []android.PackageName{"a.heavy"}}}}}
	for _, c := range sample() {
		phone.Packages = append(phone.Packages, android.Package{Name: c.Package, Installed: true, DataBytes: 1000})
	}
	for _, c := range change {
		c(&phone)
	}
	older := impact.Read(phone)
	phone.Packages = phone.Packages[:len(phone.Packages)-1]
	return Basis{Form: "phone", Candidates: sample(), Builds: []Ground{
		{Build: Build{Fingerprint: "b/p/d:15/I/2:user/k", Version: "15.0.0", Android: "15"}, Model: "lyra-5", Net: impact.Read(phone), Tried: map[android.PackageName][]evidence.Method{"a.low": {evidence.RemoveForUser}, "a.tie2": {evidence.RemoveForUser}}},
		{Build: Build{Fingerprint: "b/p/d:14/I/1:user/k", Version: "14.1.0", Android: "14", Carrier: "Norrwave"}, Model: "lyra-5", Net: older},
	}}
}

func needs(from, on string) func(*impact.Phone) {
	return func(p *impact.Phone) {
		p.Stated = append(p.Stated, impact.Link{From: android.PackageName(from), On: android.PackageName(on), Strength: impact.Hard, By: []string{"words"}})
	}
}

func TestCompose(t *testing.T) {
	rules := DefaultRules
	c := Compose(basis(), rules)
	if got := names(c.Rows, true); !reflect.DeepEqual(got, []string{"low", "tie1", "tie2"}) {
		t.Errorf("goes %v", got)
	}
	if got := names(c.Rows, false); !reflect.DeepEqual(got, []string{"high", "untried", "heavy", "unknown", "bearing"}) {
		t.Errorf("stays %v", got)
	}
	if c.Cut != 3 || c.Goes != 3 || c.Stays != 5 || c.StartsAtBoot != 1 || len(c.Stops) != 0 || len(c.Lost) != 1 || c.Lost[0].Function != "weather" || len(c.Freed) != 1 || c.Freed[0].Bytes != 2000 {
		t.Errorf("%+v", c)
	}
	if !reflect.DeepEqual(c.LineStops, []float64{0, 0.082, 0.25, 0.5}) {
		t.Errorf("the line can stand at %v", c.LineStops)
	}
	// Everything that goes and is on the newer build was tried there.
	if c.Builds[0].Proof != Proven || c.Builds[0].Ships != 2 || c.Builds[1].Proof != NotKnown {
		t.Errorf("%+v", c.Builds)
	}
	// Each stop is a place of the line: setting it takes exactly the rows
	// above, so moving by keys never sticks.
	for i, s := range c.LineStops {
		rules.HighestCeiling = s
		if got := Compose(basis(), rules).Cut; got != []int{0, 1, 3, 4}[i] {
			t.Errorf("at %v the line stands after %d rows", s, got)
		}
	}
	for what, one := range map[string]struct {
		change func(*Rules)
		goes   []string
	}{
		"Loose alone":           {func(r *Rules) { r.HighestLoad = evidence.Loose }, []string{"low", "tie1"}},
		"surer":                 {func(r *Rules) { r.LeastStanding = evidence.Firm }, nil},
		"weather kept":          {func(r *Rules) { r.Keep = []string{"weather"} }, []string{"low", "tie1"}},
		"nobody's packages go":  {func(r *Rules) { r.Origins = []catalog.Origin{"carrier"} }, nil},
		"the maker's may go":    {func(r *Rules) { r.Origins = []catalog.Origin{"maker"} }, []string{"low", "tie1", "tie2"}},
		"a method of their own": {func(r *Rules) { r.Methods = map[evidence.Load]evidence.Method{evidence.LeanedOn: evidence.Disable} }, []string{"low", "tie1"}},
	} {
		rules := DefaultRules
		one.change(&rules)
		b := basis()
		// By the other method nobody has tried it.
		b.Candidates[6].By = map[evidence.Method]Figures{evidence.Disable: {Ceiling: 1, Standing: evidence.Untried}}
		if got := names(Compose(b, rules).Rows, true); !reflect.DeepEqual(got, one.goes) {
			t.Errorf("%s: %v", what, got)
		}
	}
}

// TestConsistent holds that nothing goes on which something rests that stays on
// any claimed build, and that what is left without a purpose is offered.
func TestConsistent(t *testing.T) {
	row := func(c Composition, name string) Row {
		for _, r := range c.Rows {
			if string(r.Package) == name {
				return r
			}
		}
		t.Fatal(name)
		return Row{}
	}
	// a.tie1 is on the older build alone, and with it what rests on a.low.
	c := Compose(basis(needs("a.tie1", "a.low"), needs("a.untried", "a.tie1")), DefaultRules)
	if got := names(c.Rows, true); !reflect.DeepEqual(got, []string{"tie2"}) || c.Dropped != 2 || !row(c, "a.low").Dropped || !strings.Contains(row(c, "a.low").Why, "a.tie1 stays") {
		t.Errorf("%v, %+v", got, row(c, "a.low"))
	}
	// Not claimed, the older build's links bind nobody.
	rules := DefaultRules
	rules.NotFor = []string{"b/p/d:14/I/1:user/k"}
	if c := Compose(basis(needs("a.tie1", "a.low"), needs("a.untried", "a.tie1")), rules); c.Dropped != 0 || c.Builds[1].Claimed {
		t.Errorf("%+v", c.Builds)
	}
	// Only what a pin takes holds the home screen.
	rules = DefaultRules
	rules.Pins = []Pin{{Package: "a.heavy", Goes: true, Reason: "we put in another"}}
	if c := Compose(basis(), rules); row(c, "a.heavy").Goes || !strings.Contains(row(c, "a.heavy").Why, "HOME") || len(c.Stops) != 0 {
		t.Errorf("%+v", row(c, "a.heavy"))
	}
	rules.Extras = []Extra{{Kind: PutIn, Package: "org.open.home", Label: "Open Home", Role: "HOME"}}
	c = Compose(basis(), rules)
	if !row(c, "a.heavy").Goes || c.Steps[0].Kind != PutIn || c.Jobs[0].State != "put-in" {
		t.Errorf("%+v", c.Jobs)
	}
	c = Compose(basis(needs("a.low", "a.high")), DefaultRules)
	if len(c.Offers) != 1 || c.Offers[0].Package != "a.high" {
		t.Errorf("%+v", c.Offers)
	}
	// All that would go has to stay: each says why.
	c = Compose(basis(needs("a.untried", "a.low"), needs("a.untried", "a.tie1"), needs("a.untried", "a.tie2")), DefaultRules)
	if c.Goes != 0 || len(c.Stops) != 1 || !strings.Contains(c.Stops[0], "3 packages that could have all to stay") {
		t.Errorf("%q", c.Stops)
	}
	b := basis()
	for i := range b.Candidates {
		b.Candidates[i].Standing = evidence.Untried
	}
	if c := Compose(b, DefaultRules); len(c.Stops) != 1 || !strings.Contains(c.Stops[0], "nobody has tried") {
		t.Errorf("%q", c.Stops)
	}
	// A phone that told of no roles says so.
	c = Compose(basis(func(p *impact.Phone) { p.Facts = android.PhoneFacts{} }), DefaultRules)
	if !c.Builds[0].RolesUnknown || c.Jobs[len(c.Jobs)-1].State != "unknown" {
		t.Errorf("%+v", c.Jobs)
	}
}

func TestPins(t *testing.T) {
	rules := DefaultRules
	rules.Pins = []Pin{
		{Package: "a.low", Goes: false, Reason: "people like it"},
		{Package: "a.unknown", Goes: true, Reason: "seen on the bench"},
		{Package: "a.gone", Goes: true, Reason: "not on this model"},
	}
	c := Compose(basis(), rules)
	if got := names(c.Rows, true); !reflect.DeepEqual(got, []string{"tie1", "tie2", "unknown"}) || len(c.Stops) != 0 {
		t.Errorf("goes %v, stopped %q", got, c.Stops)
	}
	rules.Unproven = Never
	if c := Compose(basis(), rules); len(c.Stops) != 1 || len(names(c.Rows, true)) != 2 {
		t.Errorf("an Unproven package was pinned though none may go: %q", c.Stops)
	}
	rules = DefaultRules
	rules.Pins = []Pin{{Package: "a.bearing", Goes: true, Reason: "no reason is good enough"}}
	if c := Compose(basis(), rules); len(c.Stops) != 1 || !strings.Contains(c.Stops[0], "Load-bearing") || len(names(c.Rows, true)) != 3 {
		t.Errorf("a load-bearing package can be pinned: %q", c.Stops)
	}
	rules.Pins, rules.HighestCeiling = nil, 0
	if c := Compose(basis(), rules); len(c.Stops) == 0 {
		t.Error("nothing goes, and it can be published")
	}
}

func TestRunSheet(t *testing.T) {
	b := basis(needs("a.tie2", "a.low"), func(p *impact.Phone) { p.Facts.Administrators = []android.PackageName{"a.low"} })
	b.Candidates[5].Conditions, b.Candidates[5].Substitutes = []string{"no card is in it"}, []catalog.Substitute{{Name: "another", For: "weather"}}
	b.Candidates[6].ComesBack = 2
	rules := DefaultRules
	rules.Extras = []Extra{{Kind: Wait, Seconds: 60}, {Kind: Setting, Namespace: "global", Key: "window_animation_scale", Value: "0.5"}, {Kind: HoldUpdates}}
	rules.Checks, rules.NotChecks = []string{"The torch"}, []string{"Type in two languages"}
	var got []string
	c := Compose(b, rules)
	if !reflect.DeepEqual(c.Extras, []int{9, 4, 5}) {
		t.Errorf("the steps that were added are %v", c.Extras)
	}
	for _, s := range c.Steps {
		got = append(got, strings.TrimSpace(string(s.Phase+" "+Phase(s.Kind)+" "+Phase(s.Package)+Phase(s.Key))))
		if s.Number != len(got) {
			t.Errorf("step %d has number %d", len(got), s.Number)
		}
	}
	want := []string{"before put-in", "before withdraw-admin a.low", "before check a.low", "before setting window_animation_scale", "before hold-updates ota_disable_automatic_update",
		"remove remove a.tie1", "remove remove a.tie2", "remove remove a.low", "after wait", "check check", "check check", "check check", "check check", "check check"}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("\n%q\nwant\n%q", got, want)
	}
}

func TestCompare(t *testing.T) {
	before := Compose(basis(), DefaultRules).Made()
	rules := DefaultRules
	rules.HighestCeiling, rules.Extras = 0.1, []Extra{{Kind: HoldUpdates}}
	c := Compare(before, Compose(basis(), rules).Made())
	if len(c.Added) != 0 || len(c.Removed) != 2 || c.Same != 1 || !strings.HasPrefix(c.Log()[0], "Stays now: a.tie1") || !strings.HasPrefix(c.Log()[2], "new step: Hold") {
		t.Errorf("%+v %q", c, c.Log())
	}
	if c := Compare(before, before); len(c.Log()) != 1 || !strings.HasPrefix(c.Log()[0], "Does the same") {
		t.Errorf("%q", c.Log())
	}
}

// TestCompareEverything: nothing that a release does otherwise is left out of what
// is told of it.
func TestCompareEverything(t *testing.T) {
	setting := Step{Kind: Setting, Phase: Before, Text: "Windows open faster", Key: "window_animation_scale", Value: "0.5"}
	wait := Step{Kind: Wait, Phase: After, Text: "Let it settle", Seconds: 20}
	off := Step{Kind: Remove, Package: "a.b", Method: evidence.RemoveForUser, Load: evidence.Loose, Conditions: []string{"x"}}
	base := func() Made {
		return Made{[]Step{setting, off, wait}, []Build{{Fingerprint: "f/1", Version: "14.1"}, {Fingerprint: "f/2", Version: "14.1", Carrier: "Norrwave"}}}
	}
	for want, change := range map[string]func(*Made){
		"new step: Windows open faster (window_animation_scale = 1)":        func(m *Made) { m.Steps[0].Value = "1" },
		"step left out: Windows open faster (window_animation_scale = 0.5)": func(m *Made) { m.Steps = m.Steps[1:] },
		"new step: Let it settle (30 s)":                                    func(m *Made) { m.Steps[2].Seconds = 30 },
		"new step: Let it settle (20 s)":                                    func(m *Made) { m.Steps = append(m.Steps, wait) },
		"a.b: disabled instead of removed":                                  func(m *Made) { m.Steps[1].Method = evidence.Disable },
		"a.b: Leaned on instead of Loose":                                   func(m *Made) { m.Steps[1].Load = evidence.LeanedOn },
		"a.b: other conditions":                                             func(m *Made) { m.Steps[1].Conditions = nil },
		"firmware left out: 14.1":                                           func(m *Made) { m.Builds = m.Builds[1:] },
		"new firmware: Norrwave 14.2":                                       func(m *Made) { m.Builds = append(m.Builds, Build{Version: "14.2", Carrier: "Norrwave"}) },
		"Goes now: Something (a.c)": func(m *Made) {
			m.Steps = append(m.Steps, Step{Kind: Remove, Package: "a.c", Label: "Something"})
		},
	} {
		after := base()
		change(&after)
		if log := Compare(base(), after).Log(); !slices.Contains(log, want) {
			t.Errorf("%q is not in %q", want, log)
		}
	}
	// What is asked for is all of it.
	d := Document{Steps: base().Steps, Builds: base().Builds}
	d.Differ(nil)
	first := AskedDigest(&d)
	d.Differ(&Document{Number: 3, Steps: base().Steps, Builds: base().Builds[:1]})
	if second := AskedDigest(&d); d.Since != 3 || !slices.Equal(d.Differences, []string{"new firmware: Norrwave 14.1"}) || first == second {
		t.Errorf("%d %q", d.Since, d.Differences)
	}
	d.Builds = d.Builds[:1]
	if AskedDigest(&d) == first {
		t.Error("another firmware makes no difference")
	}
}

func TestAdopt(t *testing.T) {
	rules := DefaultRules
	rules.Pins = []Pin{{Package: "a.heavy", Goes: false, Reason: "x"}, {Package: "a.elsewhere", Goes: true, Reason: "y"}}
	rules.NotFor = []string{"b/p/d:14/I/1:user/k"}
	here := basis()
	here.Candidates = here.Candidates[:7]
	here.Candidates[5].Standing = evidence.Untried
	a := Adopt(rules, Compose(basis(), rules), here)
	if len(a.Rules.Pins) != 1 || len(a.Rules.NotFor) != 0 || len(a.Carries) != 1 || len(a.Absent) != 1 || len(a.Unproven) != 1 || a.Absent[0] != "a.tie1" || a.Unproven[0].Package != "a.low" {
		t.Errorf("%+v", a)
	}
}

func TestRules(t *testing.T) {
	for what, change := range map[string]func(*Rules){
		"method": func(r *Rules) { r.Method = "burn" }, "load": func(r *Rules) { r.HighestLoad = evidence.TiedIn },
		"ceiling": func(r *Rules) { r.HighestCeiling = 1.5 }, "name": func(r *Rules) { r.Pins = []Pin{{Package: "a;b", Goes: true, Reason: "x"}} },
		"standing": func(r *Rules) { r.LeastStanding = evidence.Untried }, "origin": func(r *Rules) { r.Origins = []catalog.Origin{"x"} }, "unproven": func(r *Rules) { r.Unproven = "always" },
		"method of a load": func(r *Rules) { r.Methods = map[evidence.Load]evidence.Method{evidence.LoadBearing: evidence.Disable} }, "lines": func(r *Rules) { r.Checks = []string{"a\nb"} },
		"setting": func(r *Rules) { r.Extras = []Extra{{Kind: Setting, Namespace: "global", Key: "a;b", Value: "1"}} }, "value": func(r *Rules) { r.Extras = []Extra{{Kind: Setting, Namespace: "global", Key: "a", Value: "$(id)"}} },
		"wait": func(r *Rules) { r.Extras = []Extra{{Kind: Wait}} }, "put in": func(r *Rules) { r.Extras = []Extra{{Kind: PutIn, Role: "HOME", Label: "x"}} }, "kind": func(r *Rules) { r.Extras = []Extra{{Kind: Remove, Package: "a.b"}} },
		"reason": func(r *Rules) { r.Pins = []Pin{{Package: "a.b", Goes: true, Reason: " "}} }, "twice": func(r *Rules) {
			r.Pins = []Pin{{Package: "a.b", Goes: true, Reason: "x"}, {Package: "a.b", Goes: false, Reason: "y"}}
		},
	} {
		r := DefaultRules
		change(&r)
		if r.Check() == nil {
			t.Errorf("%s: bad rules were accepted", what)
		}
	}
	if err := DefaultRules.Check(); err != nil {
		t.Error(err)
	}
}

func heading() Heading {
	return Heading{
		Maker: Maker{"brannock", "Brannock", "Brannock"}, Model: Model{"lyra-5", "Lyra 5", "lyra5", "phone"}, Edition: Edition{"lending-desk", "Lending desk", "For a stranger's month."},
		Number: 1, Published: time.Date(2026, 11, 23, 8, 0, 0, 5, time.UTC), Publisher: "Mirja", Approver: "Piet", Changes: []string{"First of its kind."},
	}
}

func TestDocument(t *testing.T) {
	rules := DefaultRules
	rules.Methods = map[evidence.Load]evidence.Method{evidence.LeanedOn: evidence.Disable}
	rules.Extras = []Extra{{Kind: PutIn, Package: "org.open.home", Label: "Open Home", Role: "HOME"}, {Kind: Wait, Seconds: 9}, {Kind: HoldUpdates}}
	doc, err := Compile(heading(), rules, Compose(basis(), rules))
	if err != nil {
		t.Fatal(err)
	}
	raw, err := doc.Canonical()
	if err != nil {
		t.Fatal(err)
	}
	again, err := doc.Canonical()
	if err != nil || !bytes.Equal(raw, again) || !bytes.HasPrefix(raw, []byte(`{"approver":"Piet","builds":[{"android":"14"`)) {
		t.Errorf("not canonical: %.80s", raw)
	}
	if doc.Removals()[0].Evidence.Ceiling != 0.082 || len(doc.Stays) != 5 || len(doc.Before()) != 2 || len(doc.After()) != 1 || doc.Published != "2026-11-23T08:00:00Z" {
		t.Errorf("%+v", doc)
	}
	schema := compiled(t)
	validate := func(raw []byte) error {
		v, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
		if err != nil {
			t.Fatal(err)
		}
		return schema.Validate(v)
	}
	if err := validate(raw); err != nil {
		t.Error(err)
	}
	for _, bad := range []struct{ from, to string }{{`"a.low"`, `"a;low"`}, {`"number":1,"published"`, `"number":0,"published"`}, {`"format"`, `"extra":1,"format"`}, {`"kind":"remove"`, `"kind":"run"`}, {`"key":"ota`, `"key":"$(id)`}} {
		changed := bytes.Replace(raw, []byte(bad.from), []byte(bad.to), 1)
		if bytes.Equal(raw, changed) || validate(changed) == nil {
			t.Errorf("the schema lets %s through", bad.to)
		}
	}
	back, err := ParseDocument(raw)
	if err != nil || !reflect.DeepEqual(back, doc) {
		t.Errorf("round trip: %v", err)
	}
	for _, bad := range []string{`{`, `{"format":"other/1"}`, strings.Replace(string(raw), "a.low", "a$(reboot).low", 1), strings.Replace(string(raw), `"kind":"remove"`, `"kind":"run"`, 1), strings.Replace(string(raw), `"key":"ota`, `"key":"'ota`, 1), strings.Replace(string(raw), `/2:user`, `/2:u ser`, 1)} {
		if _, err := ParseDocument([]byte(bad)); err == nil {
			t.Errorf("%.60s was accepted", bad)
		}
	}
	if _, err := Compile(Heading{}, rules, Compose(Basis{Candidates: sample()}, rules)); err == nil {
		t.Error("a release without a firmware was compiled")
	}
}

func compiled(t *testing.T) *jsonschema.Schema {
	t.Helper()
	v, err := jsonschema.UnmarshalJSON(bytes.NewReader(Schema))
	if err != nil {
		t.Fatal(err)
	}
	c := jsonschema.NewCompiler()
	if err := c.AddResource("release.json", v); err != nil {
		t.Fatal(err)
	}
	return c.MustCompile("release.json")
}

func BenchmarkCompose(b *testing.B) {
	var list []Candidate
	for i := range 420 {
		list = append(list, candidate("a.p"+string(rune('a'+i%26))+strings.Repeat("x", i/26), evidence.Loads[i%5], float64(i%100)/100))
	}
	b.ReportAllocs()
	for b.Loop() {
		if c := Compose(Basis{Candidates: list}, DefaultRules); c.Goes == 0 {
			b.Fatal("nothing goes")
		}
	}
}

// TestComposingAllocatesLittle holds what moving the cut line runs to two
// allocations a package.
func TestComposingAllocatesLittle(t *testing.T) {
	list := make([]Candidate, 0, 420)
	for i := range 420 {
		list = append(list, candidate("a.p"+string(rune('a'+i%26))+strings.Repeat("x", i/26), evidence.Loads[i%5], float64(i%100)/100))
	}
	if n := testing.AllocsPerRun(10, func() { Compose(Basis{Candidates: list}, DefaultRules) }); n > 900 {
		t.Errorf("composing 420 packages allocates %v times", n)
	}
}
