package server_test

import (
	"context"
	"errors"
	"strings"
	"testing"

	"roster/core/change"
	"roster/core/people"
	"roster/server"
	"roster/store/storetest"
)

type start struct {
	Captured, Others, Benched, Ruled bool
	Packages                         int
	Starter                          string
}

// TestSampleWorld takes it in where there is nothing, once.
func TestSampleWorld(t *testing.T) {
	t.Parallel()
	filled := 0
	var filling func() bool
	s := newSite(t, storetest.URL(t), func(c *server.Config) {
		c.Sample = func(context.Context) error {
			if filled++; !filling() {
				t.Error("nobody is told that it is coming in")
			}
			return map[bool]error{true: errors.New("a disk is full")}[filled == 1]
		}
	})
	hash, err := cheapPasswords.Hash(password)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.store.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	who, err := s.store.AddPerson(t.Context(), "keeper", "the keeper", people.Keeper, hash)
	if err != nil {
		t.Fatal(err)
	}
	keeper := s.signIn("keeper")
	offered := func() bool { return get[struct{ Sample bool }](s, keeper, "/api/v1/first-start").Sample }
	filling = func() bool { return get[struct{ Filling bool }](s, keeper, "/api/v1/first-start").Filling }
	if !offered() || filling() {
		t.Error("it is not offered, or comes in already")
	}
	take := func() answer { return s.do(keeper, "POST", "/api/v1/first-start/sample", nil) }
	if a := take(); kind(a) != "half-filled" || a.status != 500 || strings.Contains(string(a.body), "disk") {
		t.Errorf("%d %s", a.status, a.body)
	}
	if a := take(); a.status != 204 {
		t.Errorf("%d %s", a.status, a.body)
	}
	if err := s.store.SetReviewRules(t.Context(), who.ID, 0, change.ReviewRules{Lenient: 1, Lowering: 1, Newcomer: 1}); err != nil {
		t.Fatal(err)
	}
	if a := take(); kind(a) != "not-empty" || offered() {
		t.Errorf("where rules were set: %d %s", a.status, a.body)
	}
	s.captured(keeper)
	if a := take(); kind(a) != "not-empty" || filled != 2 {
		t.Errorf("where something is: %d %s, filled %d times", a.status, a.body, filled)
	}
}

// TestFirstStart goes the first way of a keeper: the starter catalogue in, looked
// through, accepted.
func TestFirstStart(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	keeper, reviewer := s.signIn("keeper"), s.signIn("reviewer")
	before := get[start](s, keeper, "/api/v1/first-start")
	if before.Captured || !before.Others || before.Benched || !before.Ruled || before.Starter != "" || before.Packages < 150 {
		t.Errorf("%+v", before)
	}
	change := decode[id](s, s.do(keeper, "POST", "/api/v1/first-start/starter", nil), 201)
	if again := decode[id](s, s.do(keeper, "POST", "/api/v1/first-start/starter", nil), 201); again != change {
		t.Errorf("pressed twice it makes two changes: %v, %v", change, again)
	}
	type edit struct {
		ID, Package, Field string
	}
	read := get[struct{ Review []edit }](s, reviewer, "/api/v1/changes/"+change.ID)
	if len(read.Review) < 3*before.Packages {
		t.Fatalf("%d edits of %d packages", len(read.Review), before.Packages)
	}
	var decisions []any
	for _, e := range read.Review {
		decisions = append(decisions, map[string]string{"edit": e.ID, "verdict": "accepted"})
	}
	if a := s.do(reviewer, "POST", "/api/v1/changes/"+change.ID+"/decisions", map[string]any{"decisions": decisions}, "If-Match", `"1"`); a.status != 200 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	stk := string(s.do(reviewer, "GET", "/api/v1/packages/com.android.stk", nil).body)
	if !strings.Contains(stk, "The menu that a SIM card brings") || !strings.Contains(stk, "platform/packages/apps/Stk") {
		t.Errorf("%.500s", stk)
	}
	type ledger struct {
		Rows []struct{ Name, Load, Standing string }
	}
	for _, r := range get[ledger](s, reviewer, "/api/v1/ledger?q=android").Rows {
		if r.Standing != "untried" {
			t.Errorf("%s is %s, and nobody tried it", r.Name, r.Standing)
		}
		if r.Name == "android" && r.Load != "load-bearing" {
			t.Errorf("the framework is %s", r.Load)
		}
	}
	// A capture finds the packages by their names; nothing of it is doubled.
	s.captured(reviewer)
	if after := get[start](s, keeper, "/api/v1/first-start"); !after.Captured || after.Starter != change.ID {
		t.Errorf("%+v", after)
	}
}

// TestCatalogueByThePage brings an exported catalogue into an installation whose
// keeper is there.
func TestCatalogueByThePage(t *testing.T) {
	t.Parallel()
	first := withPeople(t)
	first.captured(first.signIn("technician"))
	file := first.do(first.signIn("maintainer"), "GET", "/api/v1/catalogue?form=zip", nil).body
	second := withPeopleOn(t, storetest.URL(t))
	keeper := second.signIn("keeper")
	a := second.form(keeper, "/api/v1/catalogue", map[string]string{"x.json": "no catalogue"})
	if a.status != 422 || !strings.Contains(string(a.body), "Nothing was changed") {
		t.Errorf("no catalogue: %d %s", a.status, a.body)
	}
	if a := second.form(keeper, "/api/v1/catalogue", map[string]string{"x.zip": string(file)}); a.status != 201 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	type people struct {
		Items []struct{ Login, Name string }
	}
	logins := ""
	for _, p := range get[people](second, keeper, "/api/v1/people").Items {
		logins += p.Login + " "
	}
	if !strings.Contains(logins, "keeper ") || !strings.Contains(logins, "technician-imported ") {
		t.Errorf("the people are %s", logins)
	}
	if a := second.do(keeper, "GET", "/api/v1/ledger?maker=brannock&model=lyra-5", nil); !strings.Contains(string(a.body), "com.brannock.tips") {
		t.Errorf("%d %.300s", a.status, a.body)
	}
	if a := second.form(keeper, "/api/v1/catalogue", map[string]string{"x.zip": string(file)}); a.status != 409 || kind(a) != "not-empty" {
		t.Errorf("twice: %d %s", a.status, a.body)
	}
}
