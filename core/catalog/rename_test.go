package catalog

import (
	"fmt"
	"slices"
	"testing"
)

func TestRenames(t *testing.T) {
	plain := func(name string) Shipped {
		return Shipped{Name: name, VersionName: "1", Partition: "product", Signer: "aa", Requests: []string{"INTERNET"}}
	}
	with := func(name string, f func(*Shipped)) Shipped {
		s := plain(name)
		f(&s)
		return s
	}
	declares := func(s *Shipped) { s.Declares = []string{"com.a.PLAY"} }
	asks := func(s *Shipped) { s.Requests = []string{"A", "B", "C", "D"} }
	user := func(s *Shipped) { s.SharedUser = "com.a.id" }
	foreign := func(s *Shipped) { s.Signer = "bb"; declares(s) }
	labels := map[string][]string{"com.a.music": {"Music", "Musik"}, "com.a.tunes": {"Musik"}, "com.a.talk": {"Talk"}}
	for what, c := range map[string]struct {
		gone, fresh []Shipped
		want        string
	}{
		"only the maker in common":    {[]Shipped{plain("com.a.x")}, []Shipped{plain("com.a.y")}, "[]"},
		"a label in another language": {[]Shipped{plain("com.a.music")}, []Shipped{plain("com.a.tunes"), plain("com.a.talk")}, "[com.a.music>com.a.tunes 69]"},
		"a permission that it brings": {[]Shipped{with("com.a.x", declares)}, []Shipped{plain("com.a.z"), with("com.a.y", declares)}, "[com.a.x>com.a.y 88]"},
		"signed by another hand":      {[]Shipped{with("com.a.x", declares)}, []Shipped{with("org.b.y", foreign)}, "[com.a.x>org.b.y 51]"},
		"the same wishes are too few": {[]Shipped{with("com.a.x", asks)}, []Shipped{with("com.a.y", asks)}, "[]"},
		"with the same user, enough":  {[]Shipped{with("com.a.x", func(s *Shipped) { asks(s); user(s) })}, []Shipped{with("com.a.y", func(s *Shipped) { asks(s); user(s) })}, "[com.a.x>com.a.y 54]"},
		"each stands in one pair": {[]Shipped{with("com.a.w", declares), with("com.a.music", declares)}, []Shipped{with("com.a.tunes", declares)},
			"[com.a.music>com.a.tunes 95]"},
	} {
		var got []string
		for _, r := range Renames(c.gone, c.fresh, labels) {
			got = append(got, fmt.Sprintf("%s>%s %.0f", r.From, r.To, 100*r.Sure))
			if len(r.Why) == 0 || r.What == nil {
				t.Errorf("%s: %+v does not say why", what, r)
			}
		}
		if fmt.Sprint(got) != c.want {
			t.Errorf("%s: %v, want %s", what, got, c.want)
		}
	}
	// Neither side's order matters, and what is not alike is not looked for
	// long: two makers' phones have nothing in common.
	var a, b []Shipped
	for i := range 400 {
		a, b = append(a, with(fmt.Sprintf("com.a.n%03d", i), asks)), append(b, with(fmt.Sprintf("com.b.n%03d", i), user))
	}
	a[7].Declares, b[9].Declares = []string{"p"}, []string{"p"}
	one := Renames(a, b, nil)
	slices.Reverse(a)
	slices.Reverse(b)
	if other := Renames(a, b, nil); len(one) != 1 || fmt.Sprint(one) != fmt.Sprint(other) {
		t.Errorf("%v and %v", one, other)
	}
}

// BenchmarkRenames pairs two phones that have no package in common.
func BenchmarkRenames(b *testing.B) {
	var gone, fresh []Shipped
	for i := range 400 {
		wishes := []string{"A", "B", "C", fmt.Sprint(i % 7), fmt.Sprint(i % 11)}
		gone = append(gone, Shipped{Name: fmt.Sprintf("com.a.n%03d", i), Requests: wishes})
		fresh = append(fresh, Shipped{Name: fmt.Sprintf("com.b.n%03d", i), Requests: wishes})
	}
	for b.Loop() {
		Renames(gone, fresh, nil)
	}
}
