package starter_test

import (
	"encoding/json"
	"regexp"
	"strings"
	"testing"

	"roster/core/change"
	"roster/core/starter"
	"roster/demo"
	"roster/phone"
)

// shipped are the packages of the stand-ins' platform, in every release.
func shipped(t *testing.T) map[string]bool {
	t.Helper()
	names := map[string]bool{}
	for _, build := range []string{"13", "15"} {
		s, err := phone.Of(demo.World, "platform/bare.yaml", build, "BARE")
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range s.Packages {
			names[string(p.Name)] = true
		}
	}
	return names
}

// What each text has to be like: plain, whole sentences, the releases last, no
// figure of anybody's, nobody's name.
var (
	described = regexp.MustCompile(`^[A-Z].*[^ ]\. [A-Z][^.]*[^ ]\. In Android [0-9][0-9.]*L?( and newer| alone| to [0-9][0-9.]*L?)\.$`)
	promised  = regexp.MustCompile(`(?i)\b(safe|unsafe|bloat|recommended|should|must|never|always|useless|spy|tracking)\b`)
)

func TestStarter(t *testing.T) {
	edits, err := starter.Edits()
	if err != nil {
		t.Fatal(err)
	}
	names := shipped(t)
	has := map[string]map[change.Field]bool{}
	for _, e := range edits {
		name := string(e.Package)
		if has[name] == nil {
			has[name] = map[change.Field]bool{}
		}
		if has[name][e.Field] {
			t.Errorf("%s has two edits of %s", name, e.Field)
		}
		has[name][e.Field] = true
		if !names[name] {
			t.Errorf("%s is on no stand-in with nothing but the platform", name)
		}
		if name != "android" && !strings.HasPrefix(name, "com.android.") {
			t.Errorf("%s is not the platform's own", name)
		}
		switch e.Field {
		case change.Description:
			var text string
			if err := json.Unmarshal(e.Value, &text); err != nil || !described.MatchString(text) || len(text) > 400 || promised.MatchString(text) {
				t.Errorf("%s is described otherwise than the others: %s", name, text)
			}
		case change.Source:
			text := string(e.Value)
			if !strings.Contains(text, `"claim":"about"`) || !strings.Contains(text, `"link":"https://`) || strings.Contains(text, `"load"`) {
				t.Errorf("the source of %s says more than what it is: %s", name, e.Value)
			}
		case change.Load:
			if string(e.Value) != `{"load":"load-bearing"}` || e.Reason == "" {
				t.Errorf("the load of %s is not one that structure alone tells: %s, %q", name, e.Value, e.Reason)
			}
		case change.Functions:
		default:
			t.Errorf("%s has an edit of %s", name, e.Field)
		}
	}
	if len(has) < 150 {
		t.Errorf("%d packages", len(has))
	}
	for name, fields := range has {
		if !fields[change.Description] || !fields[change.Functions] || !fields[change.Source] {
			t.Errorf("%s lacks something: %v", name, fields)
		}
	}
	for name := range names {
		if has[name] == nil {
			t.Errorf("%s is on the stand-in, and the starter catalogue does not know it", name)
		}
	}
}
