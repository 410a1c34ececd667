package store

import "testing"

// TestKept puts more into a cache than it may keep: what is asked for stays, the
// rest goes, and it never holds more than its bound.
func TestKept(t *testing.T) {
	t.Parallel()
	c := kept[int, int]{most: 1000}
	for i := range 500 {
		c.put(i, i*i, 10)
		if v, ok := c.get(0); !ok || v != 0 {
			t.Fatalf("after %d what is asked for each time has gone", i)
		}
		if n := 10 * (len(c.fresh) + len(c.before)); n > 1000 {
			t.Fatalf("after %d it keeps %d bytes", i, n)
		}
	}
	if _, ok := c.get(300); ok {
		t.Error("what nobody asked for is kept for ever")
	}
	if v, ok := c.get(499); !ok || v != 499*499 {
		t.Errorf("the last is %d, %t", v, ok)
	}
	var none kept[int, int]
	none.put(1, 1, 1)
}
