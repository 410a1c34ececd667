package server

import (
	"sync"

	"github.com/google/uuid"
)

// turnstile bounds how many requests of a kind are worked on at once, in all
// and of one person. Who does not get in is told so at once and does not wait:
// waiting would hold what the others need.
type turnstile struct {
	most, each int

	mu     sync.Mutex
	inside map[uuid.UUID]int
	all    int
}

func newTurnstile(most, each int) *turnstile {
	return &turnstile{most: most, each: each, inside: map[uuid.UUID]int{}}
}

// enter lets a person's request in, who has to call done when it is over.
func (t *turnstile) enter(person uuid.UUID) (done func(), ok bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.all >= t.most || t.inside[person] >= t.each {
		return nil, false
	}
	t.all++
	t.inside[person]++
	return sync.OnceFunc(func() {
		t.mu.Lock()
		defer t.mu.Unlock()
		t.all--
		if t.inside[person]--; t.inside[person] == 0 {
			delete(t.inside, person)
		}
	}), true
}
