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

	"roster/bench/services"
	"roster/core/android"
	"roster/core/profile"
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
	// Given are packages whose files lie here, to be put in.
	Given []profile.Given `json:"given,omitempty" nullable:"false" maxItems:"200"`
}

// Setup is what a station is made of.
type Setup struct {
	// Host is what its phones hang on, nil where there is nothing. One that is a
	// Server is started where it does not answer.
	Host services.Host
	// Key makes the handles by which phones are called.
	Key []byte
	// Hands hold the stand-ins that hang there.
	Hands []Hand
	// Saves is where backups and given package files lie, nil where nothing can be
	// saved.
	Saves Files
	// Scratch makes temporary files.
	Scratch func() (Temporary, error)
	// NoneSeen is what to try where no phone is seen; the package's NoneSeen where
	// it is nil.
	NoneSeen []string
	Log      *slog.Logger
}

// Server is a host that is an adb server: a program of its own, which reaches
// phones over the network as well.
type Server interface {
	services.Host
	// Where is its address.
	Where() string
	// Version is its version number, such as 41.
	Version(ctx context.Context) (int, error)
	// Serve starts it where it does not answer; end ends it. Both are nil where
	// it is left to others to start it.
	Serve(ctx context.Context) (end func(), err error)
	// CheckAddress refuses what is no network address of a phone.
	CheckAddress(address string) error
	Connect(ctx context.Context, address string) (words string, err error)
	Disconnect(ctx context.Context, address string) error
	Pair(ctx context.Context, address, code string) (words string, err error)
}

// Station is a computer, or a browser, with phones. Its methods may be called
// from any goroutine.
type Station struct {
	Setup

	asked sync.WaitGroup // phones that are being asked who they are

	mu      sync.Mutex
	view    View
	serials map[string]string             // by handle
	known   map[string]Phone              // by serial, while it stays ready
	asking  map[string]context.CancelFunc // by serial: ends asking it who it is
	labels  map[string]label              // by serial
	changed chan struct{}                 // closed at each change
}

// NewStation makes a station.
func NewStation(setup Setup) *Station {
	s := &Station{
		Setup:   setup,
		serials: map[string]string{},
		known:   map[string]Phone{},
		asking:  map[string]context.CancelFunc{},
		labels:  map[string]label{},
		changed: make(chan struct{}),
	}
	s.view = View{Phones: []Phone{}, StandIns: []StandIn{}, Try: []string{}}
	if s.NoneSeen == nil {
		s.NoneSeen = NoneSeen
	}
	if server, err := s.server(); err == nil {
		s.view.Address = server.Where()
	} else if s.Host == nil {
		s.view.Wrong, s.view.Next = "This computer has no adb server.", "Start Roster with --adb 127.0.0.1:5037 to use phones attached to it, or offer phones of another computer with: roster bench."
	}
	return s
}

// errNoServer says that what is asked for needs an adb server.
var errNoServer = errors.New("this bench reaches phones on its cables only: phones on the network are reached by a bench with an adb server")

// server is the host as an adb server.
func (s *Station) server() (Server, error) {
	server, ok := s.Host.(Server)
	if !ok {
		return nil, errNoServer
	}
	return server, nil
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
	mac := hmac.New(sha256.New, s.Key)
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

// Watch follows the host until ctx ends, starting an adb server where none
// answers. It returns when what it has started is gone.
func (s *Station) Watch(ctx context.Context) {
	s.readGiven()
	if s.Host == nil {
		<-ctx.Done()
		return
	}
	var hands sync.WaitGroup
	hands.Go(func() { s.watchHands(ctx) })
	defer hands.Wait()
	defer s.asked.Wait()
	keep := func(connected func()) error {
		connected()
		return s.follow(ctx)
	}
	if server, err := s.server(); err == nil {
		k := keeper{Station: s, server: server}
		defer k.end()
		keep = func(connected func()) error { return k.keep(ctx, connected) }
	}
	_ = retry.Keep(ctx, retry.Patient, keep, func(err error, _ time.Duration) {
		wrong, next := Trouble(err)
		s.change(func(v *View) { v.Version, v.Wrong, v.Next, v.Phones, v.Try = 0, wrong, next, []Phone{}, []string{} })
	})
}

// keeper follows an adb server, and starts one where none answers.
type keeper struct {
	*Station
	server Server
	own    func()      // ends what it has started
	ended  []time.Time // when a server that worked went away
}

func (k *keeper) end() {
	if k.own != nil {
		k.own()
	}
	k.own = nil
}

func (k *keeper) keep(ctx context.Context, connected func()) error {
	version, err := k.server.Version(ctx)
	if errors.Is(err, services.ErrNoHost) {
		k.end()
		var startErr error
		if k.own, startErr = k.server.Serve(ctx); startErr != nil && !errors.Is(startErr, services.ErrNoHost) {
			k.Log.Warn("no adb server", "err", startErr)
		} else if startErr == nil {
			version, err = k.server.Version(ctx)
		}
	}
	switch {
	case err == nil && version < oldestServer:
		err = fmt.Errorf("%w: version 1.0.%d, and 1.0.%d is needed", errTooOld, version, oldestServer)
	case err == nil:
		k.change(func(v *View) { v.Version, v.Wrong, v.Next = version, "", "" })
		connected()
		err = k.follow(ctx)
		k.ended = append(k.ended, time.Now())
		if k.ended = k.ended[max(0, len(k.ended)-3):]; len(k.ended) == 3 && k.ended[2].Sub(k.ended[0]) < 30*time.Second {
			err = errFought
		}
	}
	return err
}

// follow takes over every list of the host until it goes. An adb server
// does not tell of each change of state (a phone that begins to wait for its
// owner is one), so it is asked from time to time as well.
func (s *Station) follow(ctx context.Context) error {
	ctx, cancel := context.WithCancel(ctx)
	defer s.forget()
	defer cancel()
	lists := make(chan []services.Device)
	tracked := make(chan error, 1)
	go func() {
		tracked <- s.Host.Track(ctx, func(list []services.Device) error {
			select {
			case lists <- list:
			case <-ctx.Done():
			}
			return ctx.Err()
		})
	}()
	again := time.NewTicker(2 * time.Second)
	defer again.Stop()
	var last []services.Device
	for {
		select {
		case err := <-tracked:
			return err
		case last = <-lists:
			s.listed(ctx, last)
		case <-again.C:
			list, err := s.Host.Devices(ctx)
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
func (s *Station) listed(ctx context.Context, list []services.Device) {
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
			v.Try = s.NoneSeen
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
			s.Log.Info("a phone does not say who it is", "err", err)
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
	session, err := services.Shell(ctx, s.Host, serial)
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
