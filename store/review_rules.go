package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/change"
)

// ErrNotAlone says that more than one person could review.
var ErrNotAlone = errors.New("more than one person here can review: somebody else has to")

const rulesKey = "review rules"

// reviewRules reads the rules of review and their revision: the default, at
// revision 0, where none were set.
func reviewRules(ctx context.Context, q querier) (r change.ReviewRules, revision int, err error) {
	r = change.DefaultReviewRules
	var raw []byte
	err = q.QueryRow(ctx, `select value, revision from settings where key = $1`, rulesKey).Scan(&raw, &revision)
	if isNone(err) {
		return r, 0, nil
	}
	if err != nil {
		return r, 0, err
	}
	if err := json.Unmarshal(raw, &r); err != nil {
		return r, revision, fmt.Errorf("the setting %s: %w", rulesKey, err)
	}
	return r, revision, r.Check()
}

// ReviewRules reads how many reviewers edits need, and how often that was
// changed.
func (s *Store) ReviewRules(ctx context.Context) (change.ReviewRules, int, error) {
	return reviewRules(ctx, s.pool)
}

// SetReviewRules changes the rules. The revision is the one that the keeper
// saw: ErrStale where somebody was faster. Reviewing one's own is refused with
// ErrNotAlone where more than one person could review.
func (s *Store) SetReviewRules(ctx context.Context, keeper uuid.UUID, revision int, r change.ReviewRules) error {
	if err := r.Check(); err != nil {
		return err
	}
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `lock table settings in share row exclusive mode`); err != nil {
			return err
		}
		before, now, err := reviewRules(ctx, tx)
		if err != nil {
			return err
		}
		if now != revision {
			return ErrStale
		}
		if r.Alone {
			if alone, err := onlyReviewer(ctx, tx, keeper); err != nil || !alone {
				return errors.Join(err, ErrNotAlone)
			}
		}
		_, err = tx.Exec(ctx, `
			insert into settings as s (key, value) values ($1, $2)
			on conflict (key)
			do update set value = excluded.value, revision = s.revision + 1, changed_at = now()`, rulesKey, r)
		if err != nil {
			return err
		}
		return recordTurned(ctx, tx, Act{Person: keeper, Action: "rules.set", Subject: "review"}, before, r)
	})
}

// onlyReviewer reports whether nobody but the person could review.
func onlyReviewer(ctx context.Context, q querier, person uuid.UUID) (alone bool, err error) {
	err = q.QueryRow(ctx, `
		select not exists (select from people
			where id <> $1 and removed_at is null and role <> 'technician')`, person).Scan(&alone)
	return alone, err
}

// OnlyReviewer reports whether nobody but the person could review.
func (s *Store) OnlyReviewer(ctx context.Context, person uuid.UUID) (bool, error) {
	return onlyReviewer(ctx, s.pool, person)
}
