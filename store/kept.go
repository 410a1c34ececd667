package store

import "sync"

// kept keeps what was worked out or read before, under a key that says all that
// it was made of: what is found is never stale. Of all that comes in at most
// about so many bytes stay; what was not asked for since half of them came in is
// let go. It is safe for many goroutines; values are not to be changed.
type kept[K comparable, V any] struct {
	// most bounds the bytes, as whoever puts values in tells them.
	most int

	mu sync.Mutex
	// fresh are those that were asked for lately, of so many bytes; then before
	// takes their place.
	fresh, before map[K]sized[V]
	bytes         int
}

type sized[V any] struct {
	value V
	bytes int
}

// get returns the value under a key, and whether there is one.
func (c *kept[K, V]) get(key K) (V, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if one, ok := c.fresh[key]; ok {
		return one.value, true
	}
	one, ok := c.before[key]
	if ok {
		c.add(key, one)
	}
	return one.value, ok
}

// put keeps a value of so many bytes.
func (c *kept[K, V]) put(key K, value V, bytes int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.add(key, sized[V]{value, bytes})
}

// add is called with the lock held.
func (c *kept[K, V]) add(key K, one sized[V]) {
	if c.fresh == nil || c.bytes+one.bytes > c.most/2 {
		c.fresh, c.before, c.bytes = map[K]sized[V]{}, c.fresh, 0
	}
	c.bytes += one.bytes - c.fresh[key].bytes
	c.fresh[key] = one
}
