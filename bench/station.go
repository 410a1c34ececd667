package bench

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"time"

	"roster/bench/adb"
	"roster/core/android"
	"roster/retry"
)

// View is everything that a bench shows of itself.
type View struct {
	Address string `json:"address" doc:"The adb server's; empty without one"`
	Version int    `json:"version" doc:"The adb server's, 0 while it can't be used"`
	Wrong   string `json:"wrong"`
	Next    string `json:"next"`
	// Try is what to try where no phone is seen.
	Try      []string  `json:"try" nullable:"false"`
	Phones   []Phone   `json:"phones" nullable:"false"`
	StandIns []StandIn `json:"standIns" nullable:"false"`
}

// Station is a computer with an adb server. Its methods may be called from
// any goroutine.
type Station struct {
	client  *adb.Client
	program string
	hands   []Hand
	log     *slog.Logger
	key     []byte // makes handles
	folder  string // for backups; "" where there is none

	asked sync.WaitGroup // phones that are being asked who they are

	mu      sync.Mutex
	view    View
	serials map[string]string             // by handle
	known   map[string]Phone              // by serial, while it stays ready
	asking  map[string]context.CancelFunc // by serial: ends asking it who it is
	labels  map[string]label              // by serial
	changed chan struct{}                 // closed at each change
}

// NewStation makes a station for an adb server; program starts one where none
// answers, "" leaves that to others. Key makes the handles by which phones are
// called; hands are the stand-ins on this computer.
func NewStation(client *adb.Client, program string, key []byte, hands []Hand, log *slog.Logger) *Station {
	s := &Station{
		client:  client,
		program: program,
		hands:   hands,
		log:     log,
		key:     key,
		serials: map[string]string{},
		known:   map[string]Phone{},
		asking:  map[string]context.CancelFunc{},
		labels:  map[string]label{},
		changed: make(chan struct{}),
	}
	s.view = View{Address: client.Address, Phones: []Phone{}, StandIns: []StandIn{}, Try: []string{}}
	if client.Address == "" {
		s.view.Wrong, s.view.Next = "This computer has no adb server.", "Start Roster with --adb 127.0.0.1:5037 to use phones attached to it, or offer phones of another computer with: roster bench."
	}
	return s
}

// View returns how things are now, and what is closed when that changes.
func (s *Station) View() (View, <-chan struct{}) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.view, s.changed
}

// change changes the view and lets those know who wait for that. f is called
// with s.mu held.
func (s *Station) change(f func(*View)) {
	s.mu.Lock()
	defer s.mu.Unlock()
	f(&s.view)
	close(s.changed)
	s.changed = make(chan struct{})
}

// handle is the bench's own name for a phone.
func (s *Station) handle(serial string) string {
	mac := hmac.New(sha256.New, s.key)
	mac.Write([]byte(serial))
	return hex.EncodeToString(mac.Sum(nil)[:6])
}

// serial finds the phone of a handle.
func (s *Station) serial(handle string) (string, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	serial, ok := s.serials[handle]
	if !ok {
		return "", errors.New("this phone is no longer attached")
	}
	return serial, nil
}

// Watch follows the adb server until ctx ends, starting one where none
// answers. It returns when what it has started is gone.
func (s *Station) Watch(ctx context.Context) {
	if s.client.Address == "" {
		<-ctx.Done()
		return
	}
	var hands sync.WaitGroup
	hands.Go(func() { s.watchHands(ctx) })
	defer hands.Wait()
	defer s.asked.Wait()
	var own *adb.Server // what this station has started, and ends
	defer func() { own.Close() }()
	var ended []time.Time // when a server that worked went away
	_ = retry.Keep(ctx, retry.Patient, func(connected func()) error {
		version, err := s.client.Version(ctx)
		if errors.Is(err, adb.ErrNoServer) && s.program != "" {
			own.Close()
			var startErr error
			if own, startErr = s.client.Serve(ctx, s.program); startErr != nil {
				s.log.Warn("no adb server", "err", startErr)
			} else {
				version, err = s.client.Version(ctx)
			}
		}
		switch {
		case err == nil && version < oldestServer:
			err = fmt.Errorf("%w: version 1.0.%d, and 1.0.%d is needed", errTooOld, version, oldestServer)
		case err == nil:
			s.change(func(v *View) { v.Version, v.Wrong, v.Next = version, "", "" })
			connected()
			err = s.follow(ctx)
			ended = append(ended, time.Now())
			if ended = ended[max(0, len(ended)-3):]; len(ended) == 3 && ended[2].Sub(ended[0]) < 30*time.Second {
				err = errFought
			}
		}
		return err
	}, func(err error, _ time.Duration) {
		wrong, next := Trouble(err)
		s.change(func(v *View) { v.Version, v.Wrong, v.Next, v.Phones, v.Try = 0, wrong, next, []Phone{}, []string{} })
	})
}

// follow takes over every list of the adb server until it goes. The server
// does not tell of each change of state (a phone that begins to wait for its
// owner is one), so it is asked from time to time as well.
func (s *Station) follow(ctx context.Context) error {
	ctx, cancel := context.WithCancel(ctx)
	defer s.forget()
	defer cancel()
	lists := make(chan []adb.Device)
	tracked := make(chan error, 1)
	go func() {
		tracked <- s.client.Track(ctx, func(list []adb.Device) error {
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
			s.listed(ctx, last)
		case <-again.C:
			list, err := s.client.Devices(ctx)
			if err != nil {
				return err
			}
			if !slices.Equal(list, last) {
				last = list
				s.listed(ctx, last)
			}
		}
	}
}

// forget ends asking phones who they are: their adb server has gone, and what
// another one will list has to be asked anew.
func (s *Station) forget() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, end := range s.asking {
		end()
	}
	clear(s.asking)
	clear(s.known)
	s.labelsAway(nil)
}

// listed takes over a new list of the adb server. Phones that have become
// ready are asked who they are, until ctx ends or they are no longer ready.
func (s *Station) listed(ctx context.Context, list []adb.Device) {
	phones := make([]Phone, len(list))
	s.change(func(v *View) {
		ready := map[string]bool{}
		clear(s.serials)
		for i, d := range list {
			phones[i] = See(d)
			if slices.ContainsFunc(list[:i], sameSerial(d)) || slices.ContainsFunc(list[i+1:], sameSerial(d)) {
				phones[i] = alike(phones[i])
			} else if d.State == "device" {
				ready[d.Serial] = true
				if k, ok := s.known[d.Serial]; ok {
					phones[i] = k
				} else if s.asking[d.Serial] == nil {
					s.ask(ctx, d.Serial)
				}
			}
			phones[i].Handle = s.handle(d.Serial)
			phones[i].StandIn = s.hand(d.Serial) != nil
			s.serials[phones[i].Handle] = d.Serial
		}
		s.labelsAway(ready)
		maps.DeleteFunc(s.known, func(serial string, _ Phone) bool { return !ready[serial] })
		for serial, end := range s.asking {
			if !ready[serial] {
				end()
				delete(s.asking, serial)
			}
		}
		v.Phones, v.Try = phones, []string{}
		if len(phones) == 0 {
			v.Try = NoneSeen
		}
	})
}

// ask begins to ask a phone who it is. It is called with s.mu held.
func (s *Station) ask(ctx context.Context, serial string) {
	ctx, end := context.WithCancel(ctx)
	s.asking[serial] = end
	s.asked.Go(func() {
		defer end()
		s.identify(ctx, serial)
	})
}

// identify asks a phone that has just become ready who it is. One that has
// just started may not answer at first: it is asked again for a while. ctx
// ends when the phone, or the adb server, has gone.
func (s *Station) identify(ctx context.Context, serial string) {
	var id android.Identity
	var err error
	for try := 0; ; try++ {
		if id, err = s.whoIs(ctx, serial); err == nil {
			break
		}
		if try == 5 {
			s.log.Info("a phone does not say who it is", "err", err)
			break
		}
		select {
		case <-time.After(2 * time.Second):
		case <-ctx.Done():
			return
		}
	}
	handle := s.handle(serial)
	s.change(func(v *View) {
		if ctx.Err() != nil {
			return // another may hang there by now
		}
		delete(s.asking, serial)
		if err != nil {
			return
		}
		phones := slices.Clone(v.Phones) // the old list may be being read
		for i := range phones {
			if p := &phones[i]; p.Handle == handle && p.Ready {
				p.Maker, p.Version, p.Release, p.Carrier, p.Device, p.Fingerprint = id.Manufacturer, id.Incremental, id.Release, id.Carrier, id.Device, id.Fingerprint
				s.tellApart(serial, p, id)
				if id.MarketName != "" {
					p.Name = id.MarketName
				}
				s.known[serial] = *p
			}
		}
		v.Phones = phones
	})
}

func (s *Station) whoIs(ctx context.Context, serial string) (android.Identity, error) {
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	session, err := s.client.Open(ctx, serial)
	if err != nil {
		return android.Identity{}, err
	}
	defer session.Close()
	answer, err := session.Run("getprop", 15*time.Second, 4<<20)
	if err != nil {
		return android.Identity{}, err
	}
	props, _, err := android.ReadProperties(bytes.NewReader(answer.Out))
	if err != nil {
		return android.Identity{}, err
	}
	return android.Identify(props)
}
