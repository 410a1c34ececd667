package catalog

import (
	"fmt"
	"testing"
)

func TestGuidesFor(t *testing.T) {
	guide := func(from, to int, language, step string) Guide { return Guide{from, to, language, []string{step}} }
	model := []Guide{guide(14, 0, "en", "model"), guide(14, 0, "de-AT", "Modell")}
	maker := []Guide{guide(0, 12, "en", "old"), guide(13, 15, "en", "maker"), guide(0, 0, "de", "alle")}
	for _, c := range []struct {
		what     string
		releases []string
		language string
		want     string
	}{
		{"the narrowest stands", []string{"15"}, "en", "[model]"},
		{"where it fits", []string{"13"}, "en", "[maker]"},
		{"several releases, each guide once", []string{"15", "14", "12.1", "11"}, "en", "[old model]"},
		{"another language, whatever its region", []string{"14"}, "de", "[Modell]"},
		{"or a wider one in it", []string{"13"}, "de", "[alle]"},
		{"English where there is none", []string{"13", "14"}, "fr", "[maker model]"},
		{"a release that nobody knows", []string{"Tiramisu"}, "en", "[]"},
		{"which is one of all", []string{"Tiramisu"}, "de", "[alle]"},
		{"nothing is asked", nil, "en", "[]"},
	} {
		var got []string
		for _, g := range GuidesFor([][]Guide{model, maker}, c.releases, c.language) {
			got = append(got, g.Steps...)
		}
		if fmt.Sprint(got) != c.want {
			t.Errorf("%s: %v, want %s", c.what, got, c.want)
		}
	}
}
