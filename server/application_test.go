package server_test

import (
	"slices"
	"testing"
)

// TestPagesTellWhatIsAskedFirst: whoever is signed in gets with a page what it asks for
// before it is drawn, by the addresses that a browser writes; nobody else does.
func TestPagesTellWhatIsAskedFirst(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	cookie := s.signIn("technician")
	link := func(path string) string { return "<" + path + ">; rel=preload; as=fetch; crossorigin" }
	session := link("/api/v1/session")
	for page, want := range map[string][]string{
		"/desk": {session},
		"/ledger?model=lyra-5&maker=brannock&q=label%3A%22a+b%22+(c*)&else=x": {
			session, link("/api/v1/ledger?maker=brannock&model=lyra-5&q=label%3A%22a%20b%22%20(c*)&limit=500"),
		},
	} {
		if got := s.do(cookie, "GET", page, nil).header.Values("Link"); !slices.Equal(got, want) {
			t.Errorf("%s: %q, not %q", page, got, want)
		}
		if got := s.do(nil, "GET", page, nil).header.Values("Link"); len(got) > 0 {
			t.Errorf("%s, for nobody: %q", page, got)
		}
	}
}
