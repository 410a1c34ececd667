package profile

import (
	"bytes"
	"encoding/json"
	"reflect"
	"strings"
	"testing"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"roster/core/android"
	"roster/core/evidence"
)

func candidate(name string, load evidence.Load, ceiling float64) Candidate {
	c := Candidate{Package: android.PackageName(name), Load: load, Ceiling: ceiling, Standing: evidence.Fair, Phones: 9, People: 3}
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

func TestCompose(t *testing.T) {
	rules := DefaultRules
	c := Compose(sample(), rules)
	if got := names(c.Rows, true); !reflect.DeepEqual(got, []string{"low", "tie1", "tie2"}) {
		t.Errorf("goes %v", got)
	}
	if got := names(c.Rows, false); !reflect.DeepEqual(got, []string{"high", "untried", "heavy", "unknown", "bearing"}) {
		t.Errorf("stays %v", got)
	}
	if c.Cut != 3 || c.Goes != 3 || c.Stays != 5 || c.StartsAtBoot != 1 || c.Stopped != "" || len(c.Lost) != 1 || c.Lost[0].Function != "weather" {
		t.Errorf("%+v", c)
	}
	if !reflect.DeepEqual(c.Steps, []float64{0, 0.082, 0.25, 0.5}) {
		t.Errorf("steps %v", c.Steps)
	}
	// Each step is a place of the line: setting it takes exactly the rows
	// above, so moving by keys never sticks.
	for i, s := range c.Steps {
		rules.HighestCeiling = s
		if got := Compose(sample(), rules).Cut; got != []int{0, 1, 3, 4}[i] {
			t.Errorf("at %v the line stands after %d rows", s, got)
		}
	}
	rules.HighestLoad, rules.HighestCeiling = evidence.Loose, 0.5
	if got := names(Compose(sample(), rules).Rows, true); !reflect.DeepEqual(got, []string{"low", "tie1"}) {
		t.Errorf("Loose alone: %v", got)
	}
}

func TestPins(t *testing.T) {
	rules := DefaultRules
	rules.Pins = []Pin{{"a.low", false, "people like it"}, {"a.unknown", true, "seen on the bench"}, {"a.gone", true, "not on this model"}}
	c := Compose(sample(), rules)
	if got := names(c.Rows, true); !reflect.DeepEqual(got, []string{"tie1", "tie2", "unknown"}) || c.Stopped != "" {
		t.Errorf("goes %v, stopped %q", got, c.Stopped)
	}
	rules.Pins = []Pin{{"a.bearing", true, "no reason is good enough"}}
	if c := Compose(sample(), rules); !strings.Contains(c.Stopped, "Load-bearing") || len(names(c.Rows, true)) != 3 {
		t.Errorf("a load-bearing package can be pinned: %+v", c.Stopped)
	}
	rules.Pins, rules.HighestCeiling = nil, 0
	if c := Compose(sample(), rules); c.Stopped == "" {
		t.Error("nothing goes, and it can be published")
	}
}

func TestRules(t *testing.T) {
	for what, change := range map[string]func(*Rules){
		"method": func(r *Rules) { r.Method = evidence.RemoveFromImage }, "load": func(r *Rules) { r.HighestLoad = evidence.TiedIn },
		"ceiling": func(r *Rules) { r.HighestCeiling = 1.5 }, "name": func(r *Rules) { r.Pins = []Pin{{"a;b", true, "x"}} },
		"reason": func(r *Rules) { r.Pins = []Pin{{"a.b", true, " "}} }, "twice": func(r *Rules) { r.Pins = []Pin{{"a.b", true, "x"}, {"a.b", false, "y"}} },
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
		Number: 1, Published: time.Date(2026, 11, 23, 8, 0, 0, 5, time.UTC), Publisher: "Mirja",
		Builds: []Build{{Fingerprint: "b/p/d:15/I/2:user/k", Version: "15.0.0", Android: "15"}, {Fingerprint: "b/p/d:14/I/1:user/k", Version: "14.1.0", Android: "14", Carrier: "Norrwave"}},
	}
}

func TestDocument(t *testing.T) {
	rules := DefaultRules
	doc, err := Compile(heading(), rules, Compose(sample(), rules))
	if err != nil {
		t.Fatal(err)
	}
	raw, err := doc.Canonical()
	if err != nil {
		t.Fatal(err)
	}
	again, err := doc.Canonical()
	if err != nil || !bytes.Equal(raw, again) || !bytes.HasPrefix(raw, []byte(`{"builds":[{"android":"14"`)) {
		t.Errorf("not canonical: %.80s", raw)
	}
	if doc.Steps[0].Evidence.Ceiling != 0.082 || doc.Published != "2026-11-23T08:00:00Z" {
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
	for _, bad := range []struct{ from, to string }{{`"a.low"`, `"a;low"`}, {`"number":1,"published"`, `"number":0,"published"`}, {`"format"`, `"extra":1,"format"`}, {`"remove"`, `"run"`}} {
		changed := bytes.Replace(raw, []byte(bad.from), []byte(bad.to), 1)
		if bytes.Equal(raw, changed) || validate(changed) == nil {
			t.Errorf("the schema lets %s through", bad.to)
		}
	}
	back, err := ParseDocument(raw)
	if err != nil || !reflect.DeepEqual(back, doc) {
		t.Errorf("round trip: %v", err)
	}
	for _, bad := range []string{`{`, `{"format":"other/1"}`, strings.Replace(string(raw), "a.low", "a$(reboot).low", 1), strings.Replace(string(raw), `"kind":"remove"`, `"kind":"run"`, 1)} {
		if _, err := ParseDocument([]byte(bad)); err == nil {
			t.Errorf("%.60s was accepted", bad)
		}
	}
	if _, err := Compile(Heading{}, rules, Compose(sample(), rules)); err == nil {
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
		if _, err := json.Marshal(Compose(list, DefaultRules).Goes); err != nil {
			b.Fatal(err)
		}
	}
}
