package server

import (
	"context"
	"errors"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"time"

	"roster/bench"
	"roster/bench/adb"
	"roster/core/android"
)

// phoneView is a phone on this server's bench.
type phoneView struct {
	bench.Seen
	// Mark tells phones apart: the keyed hash of the serial number.
	Mark    string `json:"mark"`
	Maker   string `json:"maker"`
	Version string `json:"version"`
	Release string `json:"release"`
	Carrier string `json:"carrier"`
}

// benchView is everything that the Bench shows of this computer.
type benchView struct {
	Address string      `json:"address" doc:"The adb server's"`
	Version int         `json:"version" doc:"The adb server's, 0 while it can't be used"`
	Wrong   string      `json:"wrong"`
	Next    string      `json:"next"`
	Phones  []phoneView `json:"phones" nullable:"false"`
	// At counts changes, so that watchers know what is new.
	At int64 `json:"at"`
}

// phones watches the adb server and knows what it sees. It is about the
// computer that this server runs on, not about the installation.
type phones struct {
	client  *adb.Client
	program string
	secret  Secret
	log     *slog.Logger

	mu      sync.Mutex
	view    benchView
	known   map[string]phoneView // by serial, while it stays ready
	changed chan struct{}        // closed at each change
}

func newPhones(client *adb.Client, program string, secret Secret, log *slog.Logger) *phones {
	p := &phones{client: client, program: program, secret: secret, log: log, known: map[string]phoneView{}, changed: make(chan struct{})}
	p.view = benchView{Address: client.Address, Phones: []phoneView{}}
	if client.Address == "" {
		p.view.Wrong, p.view.Next = "This server runs without an adb server.", "Start it with --adb 127.0.0.1:5037 to use phones attached to it."
	}
	return p
}

// snapshot returns the present view and what is closed when it changes.
func (p *phones) snapshot() (benchView, <-chan struct{}) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.view, p.changed
}

func (p *phones) change(f func(*benchView)) {
	p.mu.Lock()
	defer p.mu.Unlock()
	f(&p.view)
	p.view.At++
	close(p.changed)
	p.changed = make(chan struct{})
}

// watch follows the adb server until ctx ends, starting one where none
// answers.
func (p *phones) watch(ctx context.Context) {
	for wait := time.Second; ctx.Err() == nil; wait = min(2*wait, 10*time.Second) {
		version, err := p.client.Version(ctx)
		if errors.Is(err, adb.ErrNoServer) && p.program != "" {
			if startErr := p.client.Start(ctx, p.program); startErr != nil {
				p.log.Warn("no adb server", "err", startErr)
			} else {
				version, err = p.client.Version(ctx)
			}
		}
		if err == nil {
			p.change(func(v *benchView) { v.Version, v.Wrong, v.Next = version, "", "" })
			wait = time.Second
			err = p.follow(ctx)
		}
		if ctx.Err() != nil {
			return
		}
		wrong, next := bench.Trouble(err)
		p.change(func(v *benchView) { v.Version, v.Wrong, v.Next, v.Phones = 0, wrong, next, []phoneView{} })
		select {
		case <-time.After(wait):
		case <-ctx.Done():
		}
	}
}

// follow takes over every list of the adb server until it goes. The server
// does not tell of each change of state (a phone that begins to wait for its
// owner is one), so it is asked from time to time as well.
func (p *phones) follow(ctx context.Context) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	lists := make(chan []adb.Device)
	tracked := make(chan error, 1)
	go func() {
		tracked <- p.client.Track(ctx, func(list []adb.Device) error {
			select {
			case lists <- list:
			case <-ctx.Done():
			}
			return ctx.Err()
		})
	}()
	again := time.NewTicker(2 * time.Second)
	defer again.Stop()
	var last []adb.Device
	for {
		select {
		case err := <-tracked:
			return err
		case last = <-lists:
			p.listed(ctx, last)
		case <-again.C:
			list, err := p.client.Devices(ctx)
			if err != nil {
				return err
			}
			if !slices.Equal(list, last) {
				last = list
				p.listed(ctx, last)
			}
		}
	}
}

// listed takes over a new list of the adb server.
func (p *phones) listed(ctx context.Context, list []adb.Device) {
	view := make([]phoneView, len(list))
	for i, d := range list {
		view[i].Seen = bench.See(d)
	}
	p.mu.Lock()
	ready := map[string]bool{}
	for i := range view {
		if view[i].Ready {
			ready[view[i].Serial] = true
			if k, ok := p.known[view[i].Serial]; ok {
				k.Seen = view[i].Seen
				view[i] = k
			} else {
				go p.identify(ctx, view[i].Serial)
			}
		}
	}
	for serial := range p.known {
		if !ready[serial] {
			delete(p.known, serial)
		}
	}
	p.mu.Unlock()
	p.change(func(v *benchView) { v.Phones = view })
}

// identify asks a phone that has just become ready who it is.
func (p *phones) identify(ctx context.Context, serial string) {
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	session, err := p.client.Open(ctx, serial)
	if err != nil {
		return // it has gone again, which the list will tell
	}
	defer session.Close()
	answer, err := session.Run("getprop", 15*time.Second, 4<<20)
	if err != nil {
		return
	}
	props, _, err := android.ReadProperties(strings.NewReader(string(answer.Out)))
	if err != nil {
		return
	}
	id, err := android.Identify(props)
	if err != nil {
		return
	}
	p.change(func(v *benchView) {
		for i := range v.Phones {
			if ph := &v.Phones[i]; ph.Serial == serial && ph.Ready {
				phones := append([]phoneView{}, v.Phones...) // the old list may be being read
				ph = &phones[i]
				ph.Mark, ph.Maker, ph.Version, ph.Release, ph.Carrier = p.secret.PhoneHash(id.Serial), id.Manufacturer, id.Incremental, id.Release, id.Carrier
				if id.MarketName != "" {
					ph.Name = id.MarketName
				}
				p.known[serial] = *ph
				v.Phones = phones
			}
		}
	})
}
