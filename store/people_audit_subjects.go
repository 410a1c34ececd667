package store

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// AuditSubject is what an entry of the record is about, as people call it, and
// where that is shown; "" where it has no place of its own.
type AuditSubject struct {
	Name string `json:"name"`
	To   string `json:"to,omitempty"`
}

// auditSubjects are the names and places of what entries can be about, by id.
const auditSubjects = `
	select id, 'change ' || number || ', ' || title as name, '/review/' || id as at from changes where id = any($1)
	union all
	select id, name, '/people/' || id from people where id = any($1)
	union all
	select p.id, d.name || ': ' || p.name, '/profiles/' || p.id
	from profiles p
	join models d on d.id = p.model_id
	where p.id = any($1)
	union all
	select u.id, d.name || ': ' || p.name, '/profiles/' || p.id
	from publications u
	join profiles p on p.id = u.profile_id
	join models d on d.id = p.model_id
	where u.id = any($1)
	union all
	select r.id, d.name || ': ' || p.name || ', no. ' || r.number, '/profiles/' || p.id
	from releases r
	join profiles p on p.id = r.profile_id
	join models d on d.id = p.model_id
	where r.id = any($1)
	union all
	select id, 'run ' || number, '/bench/runs/' || id from runs where id = any($1)
	union all
	select id, 'what was saved of ' || phone_name, '/bench?at=saved' from backups where id = any($1)
	union all
	select id, name, '' from benches where id = any($1)
	union all
	select id, name, '' from tokens where id = any($1)`

// NameSubjects says of entries what they are about. What is gone, and what never
// had a name, keeps none.
func (s *Store) NameSubjects(ctx context.Context, entries []AuditEntry) error {
	ids := map[uuid.UUID]bool{}
	for _, e := range entries {
		if id, err := uuid.Parse(e.Subject); err == nil {
			ids[id] = true
		}
	}
	rows, err := s.pool.Query(ctx, auditSubjects, slices.Collect(maps.Keys(ids)))
	if err != nil {
		return err
	}
	named := make(map[string]AuditSubject, len(ids))
	var id uuid.UUID
	var one AuditSubject
	_, err = pgx.ForEachRow(rows, []any{&id, &one.Name, &one.To}, func() error { named[id.String()] = one; return nil })
	for i, e := range entries {
		if subject, ok := named[e.Subject]; ok {
			entries[i].About = &subject
		}
	}
	return err
}

// turned is the detail of an act that sets something: what of it was another
// before, and what that is now, by name.
type turned struct {
	Before map[string]json.RawMessage `json:"before"`
	After  map[string]json.RawMessage `json:"after"`
}

// turnedFrom compares two values that are written as JSON objects.
func turnedFrom(before, after any) (turned, error) {
	t := turned{map[string]json.RawMessage{}, map[string]json.RawMessage{}}
	sides := [2]map[string]json.RawMessage{}
	for i, v := range []any{before, after} {
		raw, err := json.Marshal(v)
		if err == nil {
			err = json.Unmarshal(raw, &sides[i])
		}
		if err != nil {
			return t, fmt.Errorf("what was set: %w", err)
		}
	}
	for name, now := range sides[1] {
		if was, ok := sides[0][name]; !ok || string(was) != string(now) {
			t.After[name] = now
			if ok {
				t.Before[name] = was
			}
		}
	}
	for name, was := range sides[0] {
		if _, ok := sides[1][name]; !ok {
			t.Before[name] = was
		}
	}
	return t, nil
}

// recordTurned adds an entry for something that was set, with what was changed.
func recordTurned(ctx context.Context, tx pgx.Tx, a Act, before, after any) error {
	t, err := turnedFrom(before, after)
	if err != nil {
		return err
	}
	a.Detail = t
	return record(ctx, tx, a)
}
