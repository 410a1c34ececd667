package change

import (
	"strings"
	"testing"

	"roster/core/catalog"
)

func TestTranslationsAndGuides(t *testing.T) {
	everywhere := catalog.Scope{Kind: catalog.Everywhere}
	maker := catalog.Scope{Kind: catalog.OfMaker, ID: "0191a2b3-0000-7000-8000-000000000000"}
	long := strings.Repeat("x", 300)
	for what, c := range map[string]struct {
		field Field
		scope catalog.Scope
		value string
		wrong string
	}{
		"a translation":        {Translations, everywhere, `{"de":{"description":"Zeigt Tipps","functions":{"payments":"Bezahlen"}},"pt-BR":{"functions":{"payments":"Pagar"}}}`, ""},
		"one that says naught": {Translations, everywhere, `{"de":{}}`, "nothing is said in de"},
		"no language":          {Translations, everywhere, `{"German!":{"description":"x"}}`, "not a language tag"},
		"no function":          {Translations, everywhere, `{"de":{"functions":{"Pay Ments":"x"}}}`, "not a good function"},
		"a name of two lines":  {Translations, everywhere, `{"de":{"functions":{"payments":"a\nb"}}}`, "what payments is called"},
		"a narrower scope":     {Translations, maker, `{"de":{"description":"x"}}`, "the same everywhere"},
		"another shape":        {Translations, everywhere, `{"de":"x"}`, "shape of its field"},
		"a guide of a maker":   {Debugging, maker, `[{"from":13,"to":14,"language":"en","steps":["Open it.","Tap it."]},{"language":"de","steps":["Auf."]}]`, ""},
		"no step":              {Debugging, maker, `[{"language":"en","steps":[]}]`, "guide 1: it takes one to twelve steps"},
		"an empty step":        {Debugging, maker, `[{"language":"en","steps":["a"," "]}]`, "guide 1: a step is one line"},
		"a long step":          {Debugging, maker, `[{"language":"en","steps":["` + long + `"]}]`, "guide 1: a step is one line"},
		"from after to":        {Debugging, everywhere, `[{"language":"en","steps":["a"]},{"from":14,"to":13,"language":"en","steps":["a"]}]`, "guide 2: Android releases"},
		"guides of no tongue":  {Debugging, everywhere, `[{"language":"","steps":["a"]}]`, "guide 1:"},
	} {
		err := Check(c.field, c.scope, []byte(c.value))
		if (err == nil) != (c.wrong == "") || err != nil && !strings.Contains(err.Error(), c.wrong) {
			t.Errorf("%s: %v", what, err)
		}
	}
	v := TranslationsValue{"de-AT": {Description: "at"}, "de-CH": {Description: "ch"}, "fr": {Description: "fr"}}
	for language, want := range map[string]string{"de": "at", "fr": "fr", "es": "", "de-CH": "ch"} {
		if got := v.In(language).Description; got != want {
			t.Errorf("%s: %q, want %q", language, got, want)
		}
	}
}

// TestTrialsByHand: what the settings offered is one of a few, and nobody takes a
// package out of the image there.
func TestTrialsByHand(t *testing.T) {
	trial := func(method, hand string) error {
		return Check(Trial, catalog.Scope{Kind: catalog.Everywhere}, []byte(
			`{"build":"0191a2b3-0000-7000-8000-000000000000","phone":"p","method":"`+method+`","outcome":"clean","persistence":"held","recovery":"by-hand","watchedDays":1,"byHand":"`+hand+`"}`))
	}
	for what, c := range map[string]struct {
		method, hand string
		good         bool
	}{
		"done": {"disable", "done", true}, "not offered": {"remove-from-image", "not-offered", true}, "not looked at": {"disable", "", true},
		"a word of nobody's": {"disable", "maybe", false}, "out of the image": {"remove-from-image", "done", false},
		"quietened": {"quieten", "", true}, "quietened by hand": {"quieten", "done", false},
	} {
		if err := trial(c.method, c.hand); (err == nil) != c.good {
			t.Errorf("%s: %v", what, err)
		}
	}
}
