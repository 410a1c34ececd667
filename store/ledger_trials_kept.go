package store

import (
	"context"
	"maps"
	"slices"
	"sync"

	"github.com/google/uuid"

	"roster/core/evidence"
)

// keptTrials bounds how many trials a process keeps: a fifth of a kilobyte each.
const keptTrials = 80_000

// trialCache keeps the trials of packages, each under the package's stamp: with
// another stamp there are others. What was not asked for since half of
// keptTrials came in is let go. It is safe for many goroutines; the lists are
// not to be changed.
type trialCache struct {
	mu sync.Mutex
	// fresh are those that were asked for lately, of size trials; then before
	// takes their place.
	fresh, before map[uuid.UUID]stampedTrials
	size          int
}

type stampedTrials struct {
	stamp  int64
	trials []evidence.Trial
}

func (c *trialCache) get(pkg uuid.UUID, stamp int64) ([]evidence.Trial, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	kept, ok := c.fresh[pkg]
	if !ok {
		if kept, ok = c.before[pkg]; ok && kept.stamp == stamp {
			c.put(pkg, kept)
		}
	}
	return kept.trials, ok && kept.stamp == stamp
}

// put is called with the lock held.
func (c *trialCache) put(pkg uuid.UUID, kept stampedTrials) {
	if c.fresh == nil || c.size > keptTrials/2 {
		c.fresh, c.before, c.size = map[uuid.UUID]stampedTrials{}, c.fresh, 0
	}
	c.fresh[pkg] = kept
	c.size += len(kept.trials)
}

// trials loads all trials of packages with these stamps as trialsOf does: those
// that are kept, and the others, which are kept then. The stamps were read
// before: if more trials are accepted in between, they are kept under a stamp
// that nobody asks for again. A nil cache keeps nothing: what is written in a
// transaction may be rolled back. The lists are not to be changed.
func (c *trialCache) trials(ctx context.Context, q querier, stamps map[uuid.UUID]int64) (map[uuid.UUID][]evidence.Trial, error) {
	if c == nil {
		return trialsOf(ctx, q, slices.Collect(maps.Keys(stamps)))
	}
	out := make(map[uuid.UUID][]evidence.Trial, len(stamps))
	var missing []uuid.UUID
	for pkg, stamp := range stamps {
		if kept, ok := c.get(pkg, stamp); ok {
			out[pkg] = kept
		} else {
			missing = append(missing, pkg)
		}
	}
	read, err := trialsOf(ctx, q, missing)
	if err != nil {
		return nil, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	for pkg, trials := range read {
		out[pkg] = trials
		c.put(pkg, stampedTrials{stamps[pkg], trials})
	}
	return out, nil
}

// keptOutside is the cache of trials for what reads outside of a transaction.
func (s *Store) keptOutside(ctx context.Context) *trialCache {
	if ctx.Value(transactionKey{}) != nil {
		return nil
	}
	return &s.tried
}

// trialsNow loads all trials of packages, outside of any transaction: most of
// them are kept from the last time. The lists are not to be changed.
func (s *Store) trialsNow(ctx context.Context, packages []uuid.UUID) (map[uuid.UUID][]evidence.Trial, error) {
	stamps, err := stampsOf(ctx, s.pool, packages)
	if err != nil {
		return nil, err
	}
	return s.tried.trials(ctx, s.pool, stamps)
}
