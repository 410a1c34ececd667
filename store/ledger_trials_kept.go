package store

import (
	"context"
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

// trialsNow loads all trials of packages as trialsOf does, outside of any
// transaction: most of them are kept from the last time. The lists are not to
// be changed.
func (s *Store) trialsNow(ctx context.Context, packages []uuid.UUID) (map[uuid.UUID][]evidence.Trial, error) {
	// Before the trials: if more are accepted in between, they are kept under a
	// stamp that nobody asks for again.
	stamps, err := stampsOf(ctx, s.pool, packages)
	if err != nil {
		return nil, err
	}
	out := make(map[uuid.UUID][]evidence.Trial, len(stamps))
	var missing []uuid.UUID
	for pkg, stamp := range stamps {
		if kept, ok := s.tried.get(pkg, stamp); ok {
			out[pkg] = kept
		} else {
			missing = append(missing, pkg)
		}
	}
	read, err := trialsOf(ctx, s.pool, missing)
	if err != nil {
		return nil, err
	}
	s.tried.mu.Lock()
	defer s.tried.mu.Unlock()
	for pkg, trials := range read {
		out[pkg] = trials
		s.tried.put(pkg, stampedTrials{stamps[pkg], trials})
	}
	return out, nil
}
