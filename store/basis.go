package store

import (
	"context"
	"encoding/json"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/change"
	"roster/core/evidence"
)

// Basis is the evidence that an edit is judged by: the package's trials as
// they are, and as they would be with the open trials of the edit's change.
type Basis struct {
	Now, Then []evidence.Trial
	Method    evidence.Method
	Target    evidence.Firmware
	Yardstick evidence.Yardstick
}

// ChangeEvidence loads the basis of each edit of one change, by edit.
func (s *Store) ChangeEvidence(ctx context.Context, author uuid.UUID, edits []Edit) (map[uuid.UUID]Basis, error) {
	y, _, err := yardstick(ctx, s.pool)
	if err != nil {
		return nil, err
	}
	packages, builds := []uuid.UUID{}, []uuid.UUID{}
	values := make([]change.TrialValue, len(edits))
	for i, e := range edits {
		packages = append(packages, e.PackageID)
		if e.Field == string(change.Trial) {
			if err := json.Unmarshal(e.Value, &values[i]); err != nil {
				return nil, err
			}
			if id, err := uuid.Parse(values[i].Build); err == nil {
				builds = append(builds, id)
			}
		} else {
			builds = append(builds, e.ScopeID)
		}
	}
	trials, err := trialsOf(ctx, s.pool, packages)
	if err != nil {
		return nil, err
	}
	targets, err := s.firmwares(ctx, builds)
	if err != nil {
		return nil, err
	}
	proposed := map[uuid.UUID][]evidence.Trial{}
	for i, e := range edits {
		if e.Field == string(change.Trial) && e.State == "open" {
			v := values[i]
			proposed[e.PackageID] = append(proposed[e.PackageID], evidence.Trial{ID: e.ID.String(), Phone: v.Phone, Person: author.String(),
				On: targets[v.Build], Method: v.Method, Outcome: v.Outcome, Function: v.Function, CameBack: v.Persistence == "back-after-restart" || v.Persistence == "back-after-update"})
		}
	}
	out := make(map[uuid.UUID]Basis, len(edits))
	for i, e := range edits {
		b := Basis{Now: trials[e.PackageID], Method: evidence.RemoveForUser, Target: targets[e.ScopeID.String()], Yardstick: y}
		if e.Field == string(change.Trial) {
			b.Method, b.Target = values[i].Method, targets[values[i].Build]
		}
		b.Then = append(append([]evidence.Trial{}, b.Now...), proposed[e.PackageID]...)
		out[e.ID] = b
	}
	return out, nil
}

// firmwares finds what ids of builds, models and makers stand for as targets,
// by id; a model stands for its newest build.
func (s *Store) firmwares(ctx context.Context, ids []uuid.UUID) (map[string]evidence.Firmware, error) {
	rows, err := s.pool.Query(ctx, `
		select b.id::text, b.id::text, b.model_id::text, d.maker_id::text, b.release from builds b join models d on d.id = b.model_id where b.id = any($1)
		union all
		select d.id::text, n.id::text, d.id::text, d.maker_id::text, n.release from models d
			cross join lateral (select b.id, b.release from builds b where b.model_id = d.id order by `+newestBuild+` limit 1) n where d.id = any($1)
		union all
		select m.id::text, '', '', m.id::text, '' from makers m where m.id = any($1)`, ids)
	if err != nil {
		return nil, err
	}
	out := map[string]evidence.Firmware{}
	var id string
	var f evidence.Firmware
	_, err = pgx.ForEachRow(rows, []any{&id, &f.Build, &f.Model, &f.Maker, &f.Release}, func() error { out[id] = f; return nil })
	return out, err
}
