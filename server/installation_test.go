package server_test

import (
	"strings"
	"testing"

	"roster/store"
)

func TestInstallationAdvises(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	keeper := s.signIn("keeper")
	type page struct {
		Database struct {
			Version                           string
			Migration, Wants, MostConnections int
			Bytes                             int64
		}
		Server struct {
			Version string
			Most    int
			Disks   []struct {
				Path       string
				Free, Size uint64
			}
		}
		Saved *struct {
			Folder string
			Bytes  int64
		}
		Advice []struct {
			Urgent      bool
			Words, Next string
		}
	}
	words := func(p page) string {
		var all []string
		for _, a := range p.Advice {
			if a.Next == "" {
				t.Errorf("%s: and then?", a.Words)
			}
			all = append(all, a.Words)
		}
		return strings.Join(all, "\n")
	}
	p := get[page](s, keeper, "/api/v1/installation")
	if d := p.Database; d.Migration == 0 || d.Migration != d.Wants || d.Bytes == 0 || d.MostConnections == 0 || p.Server.Version != "test" || p.Server.Most != connections {
		t.Errorf("%+v", p)
	}
	if len(p.Server.Disks) == 0 || p.Server.Disks[0].Size == 0 {
		t.Errorf("%+v", p.Server.Disks)
	}
	advises := func(want ...string) {
		t.Helper()
		got := words(get[page](s, keeper, "/api/v1/installation"))
		for _, w := range want {
			if !strings.Contains(got, w) {
				t.Errorf("it does not advise %q:\n%s", w, got)
			}
		}
	}
	if got := words(p); !strings.HasPrefix(got, "This installation was never saved.") {
		t.Errorf("it begins with\n%s", got)
	}
	advises("without https", "one keeper")
	saved := store.Act{Action: "installation.saved", Subject: "20261130T020000Z", Detail: map[string]any{"bytes": 1234, "secret": true}}
	if err := s.store.Record(t.Context(), saved); err != nil {
		t.Fatal(err)
	}
	p = get[page](s, keeper, "/api/v1/installation")
	if p.Saved == nil || p.Saved.Bytes != 1234 || p.Saved.Folder != "20261130T020000Z" || strings.Contains(words(p), "saved") {
		t.Errorf("%+v\n%s", p.Saved, words(p))
	}
	// A bench that has fallen silent, and a backup that has grown old.
	who, _, err := s.store.PasswordHash(t.Context(), "keeper")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.store.AddBench(t.Context(), "the ward", []byte("t"), who.ID); err != nil {
		t.Fatal(err)
	}
	s.exec(`update benches set seen_at = now() - interval '1 hour'`)
	s.exec(`alter table audit disable trigger all`)
	s.exec(`update audit set at = now() - interval '3 days' where action = 'installation.saved'`)
	advises("The last backup is 3 days old.", "1 bench elsewhere says nothing.")
	a := s.do(nil, "GET", "/readyz", nil)
	if said := string(a.body); a.status != 200 || !strings.Contains(said, `"benches":{"connected":0,"silent":1}`) || !strings.Contains(said, `"replicas":0`) {
		t.Errorf("%d %s", a.status, a.body)
	}
}

// TestInstallationSize asks what an installation would take.
func TestInstallationSize(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	keeper := s.signIn("keeper")
	type size struct {
		Disk, Sightings   int64
		Servers, Replicas int
		Advice            []string
	}
	small, large := get[size](s, keeper, "/api/v1/installation/size?phones=10000"), get[size](s, keeper, "/api/v1/installation/size?phones=10000000&years=1")
	if small.Sightings != 25_200_000 || large.Sightings != 8_400_000_000 || small.Servers != 1 || large.Servers < 2 || len(large.Advice) == 0 {
		t.Errorf("%+v\n%+v", small, large)
	}
	for _, wrong := range []string{"", "?phones=0", "?phones=x", "?phones=1&years=-1"} {
		if a := s.do(keeper, "GET", "/api/v1/installation/size"+wrong, nil); a.status != 422 {
			t.Errorf("%s: %d %s", wrong, a.status, a.body)
		}
	}
}
