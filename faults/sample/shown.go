package sample

import (
	"context"
	"encoding/json"
	"fmt"
	"testing"

	"github.com/google/uuid"

	"roster/core/catalog"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/people"
	"roster/store"
)

// Shown makes packages Loose by trials of a method on phones of a build: those of
// three people of eight phones each, with a load that somebody set, all of it
// accepted.
func Shown(t testing.TB, st *store.Store, build uuid.UUID, method evidence.Method, names ...string) {
	t.Helper()
	ctx := t.Context()
	person := func(login string, role people.Role) uuid.UUID {
		p, err := st.AddPerson(ctx, login, login, role, "x")
		if err != nil {
			t.Fatal(err)
		}
		return p.ID
	}
	reviewers := []uuid.UUID{person("shown-reviewer", "reviewer"), person("shown-second", "reviewer")}
	everywhere := catalog.Scope{Kind: catalog.Everywhere}
	for n := range 3 {
		by := person(fmt.Sprintf("shown-%d", n), "technician")
		var edits []store.NewEdit
		add := func(name string, field change.Field, value any) {
			p, err := st.Package(ctx, name)
			if err != nil {
				t.Fatal(name, err)
			}
			raw, err := json.Marshal(value)
			if err != nil {
				t.Fatal(err)
			}
			edits = append(edits, store.NewEdit{Package: p.ID, Field: field, Scope: everywhere, Value: raw, Reason: "as was shown"})
		}
		for _, name := range names {
			if n == 0 {
				add(name, change.Load, change.LoadValue{Load: evidence.Loose})
			}
			for phone := range 8 {
				add(name, change.Trial, change.TrialValue{Build: build.String(), Phone: fmt.Sprintf("shown %d %d", n, phone), Method: method,
					Outcome: evidence.Clean, Persistence: "held", Recovery: "not-tried", WatchedDays: 3, Tried: []string{"Call somebody"}})
			}
		}
		accept(ctx, t, st, by, reviewers, edits)
	}
}

// accept sends edits and has them accepted, by as many as it takes.
func accept(ctx context.Context, t testing.TB, st *store.Store, by uuid.UUID, reviewers []uuid.UUID, edits []store.NewEdit) {
	t.Helper()
	ids, _, err := st.AddEdits(ctx, by, edits)
	if err != nil {
		t.Fatal(err)
	}
	id, err := st.Send(ctx, by, store.Sending{Title: "As was shown", Edits: ids})
	if err != nil {
		t.Fatal(err)
	}
	for _, reviewer := range reviewers {
		c, list, err := st.Change(ctx, uuid.Nil, id)
		if err != nil {
			t.Fatal(err)
		}
		var decisions []store.Decision
		for _, e := range list {
			if e.State == change.Open {
				decisions = append(decisions, store.Decision{Edit: e.ID, Verdict: "accepted"})
			}
		}
		if len(decisions) == 0 {
			return
		}
		if err := st.Decide(ctx, reviewer, id, c.Revision, decisions); err != nil {
			t.Fatal(err)
		}
	}
}
