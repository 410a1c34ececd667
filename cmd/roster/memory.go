package main

import (
	"context"
	"runtime/debug"
	"runtime/metrics"
	"time"
)

const (
	// enoughMemory is from where on a server collects its garbage more often, in bytes:
	// with the program itself, which the runtime does not count, that stays below 200 MB. It may
	// take more where one request needs more.
	enoughMemory = 152 << 20
	// restLook is how often it is looked whether a server rests.
	restLook = 3 * time.Second
	// restAllocates is what one that rests may still allocate meanwhile, in bytes.
	restAllocates = 1 << 20
	// worthGiving is what has to have been allocated since it was given back, in bytes.
	worthGiving = 16 << 20
)

// rest gives memory back to the system once a server rests. The runtime does so,
// too, but only little by little, and collects a resting program's garbage after
// minutes: a sign-in alone takes 19 MB for its password.
type rest struct {
	allocated, given uint64 // up to the look before, and to when it was given back
}

// look reports whether memory was given back: if little was allocated since the
// look before, and enough since it was given back.
func (r *rest) look() bool {
	sample := []metrics.Sample{{Name: "/gc/heap/allocs:bytes"}}
	metrics.Read(sample)
	allocated := sample[0].Value.Uint64()
	rests := allocated-r.allocated < restAllocates
	r.allocated = allocated
	if !rests || allocated-r.given < worthGiving {
		return false
	}
	debug.FreeOSMemory()
	r.given = allocated
	return true
}

// giveBack looks until ctx ends.
func giveBack(ctx context.Context) {
	tick := time.NewTicker(restLook)
	defer tick.Stop()
	for r := (rest{}); ; {
		select {
		case <-tick.C:
			r.look()
		case <-ctx.Done():
			return
		}
	}
}
