package main

import (
	"runtime"
	"testing"
)

var garbage [][]byte

// TestRestGivesBack makes what a sign-in makes, and rests: what it took is with
// the system again, once.
func TestRestGivesBack(t *testing.T) {
	released := func() int64 {
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		return int64(m.HeapReleased)
	}
	var r rest
	for range 64 {
		garbage = append(garbage, make([]byte, 1<<20))
	}
	if r.look() {
		t.Error("at work, it gave memory back")
	}
	garbage = nil
	before := released()
	if !r.look() {
		t.Fatal("at rest, it gave nothing back")
	}
	if back := released() - before; back < 48<<20 {
		t.Errorf("%d bytes were given back, of %d", back, 64<<20)
	}
	if r.look() {
		t.Error("at rest, it looked for more")
	}
}
