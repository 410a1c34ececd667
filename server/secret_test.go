package server

import (
	"bytes"
	"context"
	"errors"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5/pgconn"

	"roster/core/people"
	"roster/store"
)

func TestSecret(t *testing.T) {
	t.Parallel()
	file := filepath.Join(t.TempDir(), "new", "secret")
	made, err := ReadSecret(file)
	if err != nil {
		t.Fatal(err)
	}
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("%v, %v", info.Mode(), err)
	}
	again, err := ReadSecret(file)
	if err != nil || !bytes.Equal(made.master, again.master) {
		t.Errorf("a second start has another secret: %v", err)
	}
	other, err := ReadSecret(filepath.Join(t.TempDir(), "secret"))
	if err != nil {
		t.Fatal(err)
	}
	hash := made.PhoneHash("SERIAL-1")
	if len(hash) != 24 || hash != again.PhoneHash("SERIAL-1") || hash == made.PhoneHash("SERIAL-2") || hash == other.PhoneHash("SERIAL-1") || made.PhoneHash("") != "" {
		t.Errorf("phones are not told apart as they should: %s", hash)
	}
	sealed, err := made.seal("a use", []byte("a private key"))
	if err != nil || bytes.Contains(sealed, []byte("private")) {
		t.Fatalf("%v", err)
	}
	if plain, err := again.open("a use", sealed); err != nil || string(plain) != "a private key" {
		t.Errorf("%q, %v", plain, err)
	}
	if _, err := other.open("a use", sealed); err == nil {
		t.Errorf("another installation opens it: %v", err)
	}
	sealed[len(sealed)-1] ^= 1
	if _, err := made.open("a use", sealed); err == nil {
		t.Error("a damaged key opens")
	}
	if _, err := made.open("a use", sealed[:5]); err == nil {
		t.Error("half a key opens")
	}
	for _, bad := range []string{"", "nonsense", strings.Repeat("ab", 31)} {
		damaged := filepath.Join(t.TempDir(), "secret")
		if err := os.WriteFile(damaged, []byte(bad), 0o600); err != nil {
			t.Fatal(err)
		}
		if _, err := ReadSecret(damaged); err == nil || strings.Contains(err.Error(), bad) && bad != "" {
			t.Errorf("%q: %v", bad, err)
		}
	}
}

func TestPassword(t *testing.T) {
	t.Parallel()
	first, err := PasswordCost{}.Hash("a long password")
	if err != nil {
		t.Fatal(err)
	}
	second, err := DefaultPasswordCost.Hash("a long password")
	if err != nil || first == second || !strings.HasPrefix(first, "$argon2id$v=19$m=19456,t=2,p=1$") {
		t.Errorf("%s\n%s\n%v", first, second, err)
	}
	if !passwordFits("a long password", first) || passwordFits("a long passwort", first) || passwordFits("", first) {
		t.Error("the wrong passwords fit")
	}
	for _, damaged := range []string{"", "x", "$argon2id$v=19$m=x,t=2,p=1$AAAA$AAAA", "$argon2id$v=19$m=19456,t=2,p=1$!$!", "$bcrypt$v=19$m=1,t=1,p=1$AAAA$AAAA"} {
		if passwordFits("a long password", damaged) {
			t.Errorf("%q fits", damaged)
		}
	}
}

// TestExplain holds what people see of each error of the store.
func TestExplain(t *testing.T) {
	t.Parallel()
	s := build(Config{Log: slog.New(slog.DiscardHandler)})
	gone, cancel := context.WithCancel(context.Background())
	cancel()
	for kind, c := range map[string]struct {
		err    error
		status int
	}{
		"not-found":     {errors.Join(errors.New("package x"), store.ErrNotFound), 404},
		"stale":         {store.ErrStale, 412},
		"own-change":    {store.ErrOwn, 403},
		"not-open":      {store.ErrState, 409},
		"conflict":      {&store.ConflictError{Package: "com.example.a", Field: "load"}, 409},
		"unpublishable": {&store.UnpublishableError{Why: errors.New("nothing goes")}, 409},
		"taken":         {store.ErrEditionTaken, 409},
		"database-away": {&pgconn.PgError{Code: "57P01", Message: "terminating connection"}, 503},
		"left":          {context.Canceled, 503},
	} {
		var p *Problem
		if !errors.As(s.explain(gone, c.err), &p) || p.Status != c.status || p.Type != "urn:roster:problem:"+kind || p.Detail == "" {
			t.Errorf("%s: %+v", kind, p)
		}
	}
}

func TestAccess(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		access Access
		role   people.Role
		want   bool
	}{
		{Public, "", true}, {SignedIn, "", false}, {SignedIn, "technician", true}, {Technician, "technician", true}, {Reviewer, "technician", false}, {Reviewer, "reviewer", true},
		{Maintainer, "reviewer", false}, {Maintainer, "keeper", true}, {Keeper, "maintainer", false}, {Keeper, "keeper", true}, {Technician, "nobody knows", false},
	} {
		if got := c.access.Allows(c.role); got != c.want {
			t.Errorf("%s for %q: %v", c.access, c.role, got)
		}
	}
}

func TestWords(t *testing.T) {
	t.Parallel()
	for etag, want := range map[string]int{`"3"`: 3, "7": 7} {
		if n, err := revisionOf(etag); err != nil || n != want {
			t.Errorf("%s: %d, %v", etag, n, err)
		}
	}
	var p *Problem
	if _, err := revisionOf("*"); !errors.As(err, &p) || p.Status != http.StatusUnprocessableEntity {
		t.Errorf("%v", err)
	}
}
