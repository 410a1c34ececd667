package store

import (
	"context"
	"maps"
	"slices"
	"sync"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/evidence"
)

// keptTrials bounds the trials that a process keeps, of bytesOfTrial each with what
// was gathered of it.
const (
	keptTrials   = 46_000_000
	bytesOfTrial = 320
	// keptPlaces bounds the bytes of the firmwares that they were made on.
	keptPlaces = 2_000_000
)

// stamped is a package with the stamp of its trials: with another stamp there
// are others.
type stamped struct {
	pkg   uuid.UUID
	stamp int64
}

// triedPackage are the trials of one package, and what they tell of each method once
// somebody asks. It is not to be changed.
type triedPackage struct {
	list []evidence.Trial
	once sync.Once
	all  evidence.ByMethod
}

// trials are all of them; none of nil.
func (t *triedPackage) trials() []evidence.Trial {
	if t == nil {
		return nil
	}
	return t.list
}

// gathered is what they tell of each method.
func (t *triedPackage) gathered() *evidence.ByMethod {
	if t == nil {
		return &evidence.ByMethod{}
	}
	t.once.Do(func() { t.all = evidence.GatherAll(t.list) })
	return &t.all
}

// trialCache keeps the trials of packages.
type trialCache struct {
	kept[stamped, *triedPackage]
	firmwares keptFirmwares
}

// trials loads all trials of packages with these stamps as trialsOf does: those
// that are kept, and the others, which are kept then. The stamps were read
// before: if more trials are accepted in between, they are kept under a stamp
// that nobody asks for again. A nil cache keeps nothing: what is written in a
// transaction may be rolled back.
func (c *trialCache) trials(ctx context.Context, q querier, stamps map[uuid.UUID]int64) (map[uuid.UUID]*triedPackage, error) {
	if c == nil {
		return trialsOf(ctx, q, nil, triedOf, slices.Collect(maps.Keys(stamps)))
	}
	out := make(map[uuid.UUID]*triedPackage, len(stamps))
	var missing []uuid.UUID
	for pkg, stamp := range stamps {
		if kept, ok := c.get(stamped{pkg, stamp}); ok {
			out[pkg] = kept
		} else {
			missing = append(missing, pkg)
		}
	}
	read, err := trialsOf(ctx, q, &c.firmwares, triedOf, missing)
	if err != nil {
		return nil, err
	}
	c.keep(read, stamps)
	maps.Copy(out, read)
	return out, nil
}

// keep keeps trials under their packages' stamps.
func (c *trialCache) keep(trials map[uuid.UUID]*triedPackage, stamps map[uuid.UUID]int64) {
	for pkg, of := range trials {
		c.put(stamped{pkg, stamps[pkg]}, of, bytesOfTrial*len(of.list))
	}
}

// movedTrials are trials that a transaction has written, and taken away.
type movedTrials struct {
	come []uuid.UUID
	gone []string
}

// moved are the trials of packages within the transaction that moved some of them,
// with the packages' locks held: of those that are kept with the stamps of before only
// what has come is read.
func (c *trialCache) moved(
	ctx context.Context, tx pgx.Tx, before map[uuid.UUID]int64, packages []uuid.UUID, moved movedTrials,
) (map[uuid.UUID]*triedPackage, error) {
	out := make(map[uuid.UUID]*triedPackage, len(packages))
	var missing []uuid.UUID
	for _, pkg := range packages {
		old, known := c.get(stamped{pkg, before[pkg]})
		if !known {
			missing = append(missing, pkg)
			continue
		}
		stay := &triedPackage{list: make([]evidence.Trial, 0, len(old.trials())+1)}
		for _, t := range old.trials() {
			if !slices.Contains(moved.gone, t.ID) {
				stay.list = append(stay.list, t)
			}
		}
		out[pkg] = stay
	}
	come, err := trialsOf(ctx, tx, nil, triedAs, moved.come)
	if err != nil {
		return nil, err
	}
	for pkg, of := range come {
		if stay, ok := out[pkg]; ok {
			stay.list = append(stay.list, of.list...)
		}
	}
	read, err := trialsOf(ctx, tx, nil, triedOf, missing)
	maps.Copy(out, read)
	return out, err
}

// keptOutside is the cache of trials for what reads outside of a transaction.
func (s *Store) keptOutside(ctx context.Context) *trialCache {
	if ctx.Value(transactionKey{}) != nil {
		return nil
	}
	return &s.tried
}

// trialsNow loads all trials of packages, outside of any transaction: most of
// them are kept from the last time.
func (s *Store) trialsNow(ctx context.Context, packages []uuid.UUID) (map[uuid.UUID]*triedPackage, error) {
	stamps, err := stampsOf(ctx, s.pool, packages)
	if err != nil {
		return nil, err
	}
	return s.tried.trials(ctx, s.pool, stamps)
}
