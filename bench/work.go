package bench

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"roster/bench/services"
	"roster/core/android"
	"roster/core/run"
)

// Request is something that a bench can be asked to do. There is nothing else
// that it does: a command to run is not among them.
type Request struct {
	// Kind is one of the constants below.
	Kind string `json:"kind" enum:"capture,names,watch,label,connect,disconnect,pair,hand,run,look,backup,verify,restore,discard,files,root,measure"`
	// Phone is the handle of the phone it is about.
	Phone string `json:"phone,omitempty" maxLength:"64"`
	// Address and Code are for reaching a phone over the network, and for the
	// stand-in that a hand is laid on.
	Address string `json:"address,omitempty" maxLength:"200"`
	Code    string `json:"code,omitempty" maxLength:"6"`
	// Action and With are what a hand does to a stand-in: see phone.Actions. With
	// is the label of a phone, too, and the keyed hash of the one that is asked for
	// root or measured.
	Action string `json:"action,omitempty" maxLength:"20"`
	With   string `json:"with,omitempty" maxLength:"255"`
	// Wanted are the packages whose names are to be read, or that are to be
	// backed up or brought back.
	Wanted []Wanted `json:"wanted,omitempty" maxItems:"20000"`
	// Run and Attempt are the run that is to be done or looked after, and Keys
	// the settings that it touches.
	Run     uuid.UUID `json:"run,omitzero"`
	Attempt int       `json:"attempt,omitempty"`
	Keys    []run.Key `json:"keys,omitempty" maxItems:"500"`
	// Backup names the backup that is made, checked, brought back from or deleted;
	// Settings saves a list of settings with it.
	Backup   uuid.UUID `json:"backup,omitzero"`
	Settings bool      `json:"settings,omitempty"`
	// Files are package files that the bench is to fetch and keep.
	Files []HandedFile `json:"files,omitempty" maxItems:"100"`
}

// The kinds of request.
const (
	KindCapture    = "capture"
	KindNames      = "names"
	KindWatch      = "watch"
	KindLabel      = "label"
	KindConnect    = "connect"
	KindDisconnect = "disconnect"
	KindPair       = "pair"
	KindHand       = "hand"
	KindRun        = "run"
	KindLook       = "look"
	KindBackup     = "backup"
	KindVerify     = "verify"
	KindRestore    = "restore"
	// KindDiscard deletes a backup, for good.
	KindDiscard = "discard"
	// KindFiles takes package files that are to be put in on phones.
	KindFiles = "files"
	// KindRoot asks a phone, and its owner, for root, and how packages lie on its
	// image.
	KindRoot = "root"
	// KindMeasure asks a phone what it uses, as it is.
	KindMeasure = "measure"
)

// Results takes what comes of a request while it is being done.
type Results interface {
	// Tell says how far it is: Progress, NamesProgress or WatchProgress.
	Tell(ctx context.Context, progress any) error
	// Captured takes a capture, whole or not; serial is the phone's serial
	// number or what stands for it, "" where nothing does.
	Captured(ctx context.Context, serial string, c *android.Capture) error
	// Named takes what some package files said.
	Named(ctx context.Context, list []Named) error
	// Run tells what came of steps of a run and takes the next ones, each of
	// which has been written down before it returns. It fails with
	// run.ErrSuperseded where the run is no longer this bench's.
	Run(ctx context.Context, id uuid.UUID, r run.Report) (run.Orders, error)
	// File hands out a package file that waits for the bench.
	File(ctx context.Context, id uuid.UUID) (io.ReadCloser, error)
}

// UnreadResults are results that can have captures read by somebody else: where
// a bench computes slowly, and its server does not.
type UnreadResults interface {
	Results
	// Unread begins to take what a phone says, nil where that can't be.
	Unread(ctx context.Context) Unread
}

// Unread takes what a phone says in a capture.
type Unread interface {
	io.Writer
	// End has it read and stored; serial is as in Captured, and broken says that the
	// phone did not say all of it.
	End(ctx context.Context, serial string, broken bool) error
}

// NamesProgress says how far reading names is.
type NamesProgress struct {
	Done   int                 `json:"done"`
	Of     int                 `json:"of"`
	At     android.PackageName `json:"at"`
	Failed int                 `json:"failed"`
}

// WatchProgress says which apps were opened so far.
type WatchProgress struct {
	Opened []android.Opened `json:"opened"`
}

// Words is the result of a request that comes to a sentence.
type Words struct {
	Words string `json:"words"`
}

// watchTakes bounds how long the log of a phone is watched.
const watchTakes = 10 * time.Minute

// logBegins is how long a phone may take until it prints the heading of its
// log.
const logBegins = time.Second

// goneSeen is how long the adb server may take to notice that a phone whose
// log has ended is gone.
const goneSeen = 2 * time.Second

// Do does a request. The value is what came of it, for whoever asked; the
// error says in words why it could not be done.
func (s *Station) Do(ctx context.Context, r Request, out Results) (any, error) {
	switch r.Kind {
	case KindVerify:
		return s.verify(ctx, r, out)
	case KindDiscard:
		return s.discard(r)
	case KindFiles:
		return s.takeFiles(ctx, r, out)
	case KindCapture, KindNames, KindWatch, KindLabel, KindRun, KindLook, KindBackup, KindRestore, KindRoot, KindMeasure:
		serial, err := s.serial(r.Phone)
		if err != nil {
			return nil, err
		}
		s.settle(ctx, serial)
		switch r.Kind {
		case KindRun:
			return s.run(ctx, serial, r, out)
		case KindLook:
			return s.lookFor(ctx, serial, r)
		case KindBackup:
			return s.backup(ctx, serial, r, out)
		case KindRestore:
			return s.restore(ctx, serial, r, out)
		case KindRoot:
			return s.askForRoot(ctx, serial, r)
		case KindMeasure:
			return s.measureNow(ctx, serial)
		case KindNames:
			return s.names(ctx, serial, r.Wanted, out)
		case KindWatch:
			return s.watchLog(ctx, serial, out)
		case KindLabel:
			return s.label(serial, r)
		}
		return s.capture(ctx, serial, out)
	case KindConnect:
		return s.connect(ctx, r.Address)
	case KindDisconnect:
		server, err := s.server()
		if err != nil {
			return nil, err
		}
		return Words{"forgotten"}, server.Disconnect(ctx, r.Address)
	case KindPair:
		return s.pair(ctx, r)
	case KindHand:
		h := s.hand(r.Address)
		if h == nil {
			return nil, errors.New("only stand-ins have hands")
		}
		return h.Do(ctx, r.Action, r.With)
	}
	return nil, fmt.Errorf("this bench does not know the request %q; it may be older than the server", android.Printable(r.Kind, 40))
}

// settles is how long a phone that has just been reached again may take until
// it answers.
const settles = 5 * time.Second

// settle waits while the adb server has a phone listed and does not hear it,
// as it is for a moment after a restart or a loose cable. What does not settle
// is told by whatever is asked of the phone next.
func (s *Station) settle(ctx context.Context, serial string) {
	ctx, cancel := context.WithTimeout(ctx, settles)
	defer cancel()
	for s.offline(ctx, serial) {
		select {
		case <-time.After(100 * time.Millisecond):
		case <-ctx.Done():
			return
		}
	}
}

func (s *Station) capture(ctx context.Context, serial string, out Results) (any, error) {
	tell := func(p Progress) {
		if err := out.Tell(ctx, p); err != nil && ctx.Err() == nil {
			s.Log.Warn("the progress of a capture could not be told", "err", err)
		}
	}
	if elsewhere, ok := out.(UnreadResults); ok {
		if u := elsewhere.Unread(ctx); u != nil {
			return nil, s.captureUnread(ctx, serial, u, tell)
		}
	}
	c, asking := Capture(ctx, s.Host, serial, tell)
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if c == nil {
		return nil, asking
	}
	return nil, errors.Join(out.Captured(ctx, s.identity(serial, c.Identity), c), asking)
}

// captureUnread has somebody else read what the phone says. How far it is, is told
// beside it: nothing waits for that.
func (s *Station) captureUnread(ctx context.Context, serial string, u Unread, tell func(Progress)) error {
	told := make(chan Progress, len(Questions()))
	var telling sync.WaitGroup
	telling.Go(func() {
		for p := range told {
			tell(p)
		}
	})
	defer telling.Wait()
	who, asking := CaptureUnread(ctx, s.Host, serial, func(p Progress) { told <- p }, u)
	close(told)
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if who.Fingerprint == "" {
		return asking // nobody can tell whose capture it would be
	}
	return errors.Join(u.End(ctx, s.identity(serial, who), asking != nil), asking)
}

// namesAtOnce is how many names are handed on together, namesEvery how long
// they wait for that at most.
const (
	namesAtOnce = 20
	namesEvery  = time.Second
)

func (s *Station) names(ctx context.Context, serial string, wanted []Wanted, out Results) (any, error) {
	p := NamesProgress{Of: len(wanted)}
	var batch []Named
	sent := time.Now()
	flush := func() error {
		if len(batch) > 0 {
			if err := out.Named(ctx, batch); err != nil {
				return err
			}
			batch = nil
		}
		sent = time.Now()
		return out.Tell(ctx, p)
	}
	err := ReadNames(ctx, s.Host, serial, s.Scratch, wanted, func(i int, n Named) error {
		p.Done, p.At = i+1, n.Name
		if n.Problem != "" {
			p.Failed++
			s.Log.Info("a package file could not be read", "package", n.Name, "why", n.Problem)
		}
		batch = append(batch, n)
		if len(batch) >= namesAtOnce || time.Since(sent) > namesEvery {
			return flush()
		}
		return nil
	})
	return p, errors.Join(err, flush())
}

// watchLog tells which apps are opened on a phone, until ctx ends.
func (s *Station) watchLog(ctx context.Context, serial string, out Results) (any, error) {
	ctx, cancel := context.WithTimeout(ctx, watchTakes)
	defer cancel()
	ctx, lose := context.WithCancelCause(ctx)
	defer lose(nil)
	go s.whilePresent(ctx, serial, lose)
	// Whoever is told to open an app must not do so before the log is read. A
	// log begins with a heading; a phone that prints none is given a moment.
	watching := sync.OnceValue(func() error { return out.Tell(ctx, WatchProgress{[]android.Opened{}}) })
	defer time.AfterFunc(logBegins, func() { watching() }).Stop()
	var reader android.OpenedReader
	// -T 1 leaves out what happened before.
	err := services.Follow(ctx, s.Host, serial, "logcat -v brief -T 1 -s ActivityTaskManager ActivityManager", &lineWriter{each: func(line []byte) error {
		if err := watching(); err != nil {
			return err
		}
		if reader.Line(line) {
			return out.Tell(ctx, WatchProgress{reader.Opened()})
		}
		return nil
	}})
	if err == nil && ctx.Err() == nil {
		// A log does not end by itself. A phone that restarts ends it before it
		// is seen to be gone.
		select {
		case <-ctx.Done():
		case <-time.After(goneSeen):
			err = errors.New("the phone ended its log by itself")
		}
	}
	if errors.Is(context.Cause(ctx), services.ErrGone) {
		err = services.ErrGone
	}
	return WatchProgress{reader.Opened()}, err
}

// whilePresent calls lose once the phone is not ready any more: a log that
// says nothing does not tell that the cable is out.
func (s *Station) whilePresent(ctx context.Context, serial string, lose context.CancelCauseFunc) {
	handle := s.handle(serial)
	for {
		view, changed := s.View()
		if !slices.ContainsFunc(view.Phones, func(p Phone) bool { return p.Handle == handle && p.Ready }) {
			lose(services.ErrGone)
			return
		}
		select {
		case <-changed:
		case <-ctx.Done():
			return
		}
	}
}

// lineWriter hands on what is written to it line by line.
type lineWriter struct {
	held []byte
	each func(line []byte) error
}

func (w *lineWriter) Write(p []byte) (int, error) {
	w.held = append(w.held, p...)
	for {
		at := bytes.IndexByte(w.held, '\n')
		if at < 0 {
			break
		}
		if err := w.each(w.held[:at]); err != nil {
			return 0, err
		}
		w.held = w.held[at+1:]
	}
	if len(w.held) > megabyte {
		return 0, io.ErrShortBuffer
	}
	return len(p), nil
}

// connectTakes is how long the adb server may try to reach a phone.
const connectTakes = time.Minute

// connect asks the adb server to reach a phone at a network address. What comes
// of that is seen in the list, and nothing else is told: neither the words nor
// the time that it takes say what is at an address.
func (s *Station) connect(ctx context.Context, address string) (any, error) {
	server, err := s.server()
	if err == nil {
		err = server.CheckAddress(address)
	}
	if err == nil {
		_, err = server.Version(ctx)
	}
	if err != nil {
		return nil, err
	}
	s.asked.Go(func() {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), connectTakes)
		defer cancel()
		if words, err := s.join(ctx, server, address); err != nil {
			s.Log.Info("a phone can't be connected to", "address", address, "err", err)
		} else {
			s.Log.Debug("a phone was connected to", "address", address, "adb", words)
		}
	})
	return Words{"A phone that is there stands in the list within some seconds. If none does, compare the address and the port with its screen."}, nil
}

func (s *Station) pair(ctx context.Context, r Request) (any, error) {
	server, err := s.server()
	if err != nil {
		return nil, err
	}
	words, err := server.Pair(ctx, r.Address, r.Code)
	if wrong := pairRefused(err); wrong != "" {
		return nil, errors.New(wrong)
	}
	return Words{android.Printable(words, 300)}, err
}
