package store

import (
	"runtime"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"roster/core/evidence"
)

type gatherKey struct {
	pkg    uuid.UUID
	method evidence.Method
}

type figureKey struct {
	gatherKey
	from evidence.Firmware
}

// Gathered are the trials of a package that say something about a method.
func (j *EvidenceSnapshot) Gathered(pkg uuid.UUID, method evidence.Method) evidence.Gathered {
	if j.without != nil && !j.changed[pkg] {
		return j.without.Gathered(pkg, method)
	}
	j.working.Lock()
	defer j.working.Unlock()
	return j.gatheredOnce(pkg, method)
}

// gatheredOnce is called with working held.
func (j *EvidenceSnapshot) gatheredOnce(pkg uuid.UUID, method evidence.Method) evidence.Gathered {
	key := gatherKey{pkg, method}
	g, ok := j.gathered[key]
	if !ok {
		g = j.gather(pkg, method)
		if j.gathered == nil {
			j.gathered = map[gatherKey]evidence.Gathered{}
		}
		j.gathered[key] = g
	}
	return g
}

// gather is Gathered, worked out: as it is kept, or what is kept with a few trials
// more.
func (j *EvidenceSnapshot) gather(pkg uuid.UUID, method evidence.Method) evidence.Gathered {
	if tried, ok := j.tried[pkg]; ok {
		return tried.gathered().Of(method)
	}
	if more := j.more[pkg]; len(more) > 0 && j.without.tried[pkg] != nil {
		g, ok := j.without.tried[pkg].gathered().Of(method), true
		for i := 0; i < len(more) && ok; i++ {
			g, ok = g.With(&more[i], method)
		}
		if ok {
			return g
		}
	}
	return evidence.Gather(j.Trials(pkg), method)
}

// view is how trials are looked at: by a method, from a firmware.
type view struct {
	method evidence.Method
	from   evidence.Firmware
}

// spareLimits are those that nobody computes with at the moment: who opens a change
// needs nearly the same again and again.
var spareLimits = make(chan *evidence.Limits, 4)

func takeLimits() *evidence.Limits {
	select {
	case l := <-spareLimits:
		return l
	default:
		return &evidence.Limits{}
	}
}

func giveLimits(l *evidence.Limits) {
	select {
	case spareLimits <- l:
	default:
	}
}

// workOut computes figures of packages in several views on all processors, so that
// Figures has them ready.
func (j *EvidenceSnapshot) workOut(packages []uuid.UUID, views []view) error {
	from := map[evidence.Method][]evidence.Firmware{}
	at := make(map[view]int, len(views))
	for _, v := range views {
		if _, ok := at[v]; !ok {
			at[v] = len(from[v.method])
			from[v.method] = append(from[v.method], v.from)
		}
	}
	var keys []gatherKey
	for _, pkg := range packages {
		for method := range from {
			if j.without == nil || j.changed[pkg] {
				keys = append(keys, gatherKey{pkg, method})
			}
		}
	}
	gathered, figures := make([]evidence.Gathered, len(keys)), make([][]evidence.Figures, len(keys))
	var group errgroup.Group
	parts := runtime.GOMAXPROCS(0)
	for part := range parts {
		group.Go(func() error {
			limits := takeLimits()
			defer giveLimits(limits)
			for i := part; i < len(keys); i += parts {
				gathered[i] = j.gather(keys[i].pkg, keys[i].method)
				figures[i] = gathered[i].Summaries(from[keys[i].method], j.Yardstick, limits)
			}
			return nil
		})
	}
	err := group.Wait()
	j.gathered, j.seen, j.views = make(map[gatherKey]evidence.Gathered, len(keys)), make(map[gatherKey][]evidence.Figures, len(keys)), at
	for i, key := range keys {
		j.gathered[key], j.seen[key] = gathered[i], figures[i]
	}
	return err
}

// Figures are what the trials of a package come to, seen from a firmware.
func (j *EvidenceSnapshot) Figures(pkg uuid.UUID, method evidence.Method, from evidence.Firmware) evidence.Figures {
	if j.without != nil && !j.changed[pkg] {
		return j.without.Figures(pkg, method, from)
	}
	key := figureKey{gatherKey{pkg, method}, from}
	j.working.Lock()
	defer j.working.Unlock()
	if at, ok := j.views[view{method, from}]; ok && j.seen[key.gatherKey] != nil {
		return j.seen[key.gatherKey][at]
	}
	f, ok := j.figures[key]
	if !ok {
		f = j.gatheredOnce(pkg, method).Summary(from, j.Yardstick, &j.limits)
		if j.figures == nil {
			j.figures = map[figureKey]evidence.Figures{}
		}
		j.figures[key] = f
	}
	return f
}
