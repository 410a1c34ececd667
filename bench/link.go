package bench

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"net/url"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/run"
	"roster/retry"
)

// ErrRevoked says that the server does not take the token, or no longer.
var ErrRevoked = errors.New("the server does not take this bench's token; it may have been revoked: make a new one on the Bench page")

// Beat is how often a bench says that it is there.
const Beat = 15 * time.Second

// beatAgain is when a beat that failed is tried again, and then after twice that.
const beatAgain = 2 * time.Second

// LeaveTakes is how long a bench that is being stopped may take to say so.
const LeaveTakes = 3 * time.Second

// The messages of a link, as JSON. A server sends LinkRequest and LinkCancel
// as server-sent events named "request" and "cancel".
type (
	// LinkRequest asks the bench for something.
	LinkRequest struct {
		ID      uuid.UUID `json:"id"`
		Request Request   `json:"request"`
	}
	// LinkCancel tells it to stop.
	LinkCancel struct {
		ID uuid.UUID `json:"id"`
	}
	// LinkView is what the bench sees and does.
	LinkView struct {
		View    View        `json:"view"`
		Running []uuid.UUID `json:"running" nullable:"false"`
	}
	// LinkCapture carries a capture, with the phone's serial number, of which
	// the server keeps a keyed hash.
	LinkCapture struct {
		Serial  string          `json:"serial" maxLength:"200"`
		Capture json.RawMessage `json:"capture"`
	}
	// LinkNames carries what package files said.
	LinkNames struct {
		Names []Named `json:"names"`
	}
	// LinkEnd says how a request ended.
	LinkEnd struct {
		Result  json.RawMessage `json:"result,omitempty"`
		Problem string          `json:"problem" maxLength:"2000"`
	}
)

// What one message of names may hold: so many package files, so many labels of
// each, so large an icon.
const (
	maxLinkNames  = 1000
	maxLinkLabels = 500
	maxLinkIcon   = 1 << 20
)

// Check refuses more than package files can have said.
func (n LinkNames) Check() error {
	if len(n.Names) > maxLinkNames {
		return fmt.Errorf("names: %d of them are too many, at most %d come at once", len(n.Names), maxLinkNames)
	}
	for i, one := range n.Names {
		if len(one.Labels) > maxLinkLabels || len(one.Icon) > maxLinkIcon || len(one.Signer) > 200 || len(one.Problem) > 2000 {
			return fmt.Errorf("names[%d]: no package file says that much", i)
		}
	}
	return nil
}

// Wire carries the messages of a link to its server and back.
type Wire interface {
	// Where is the server's address.
	Where() string
	// Post sends JSON to a path below the link's own and returns the answer. One
	// that says no is what Refusal makes of it.
	Post(ctx context.Context, path string, message []byte) (answer []byte, err error)
	// Get fetches what lies at a path below the link's own.
	Get(ctx context.Context, path string) (io.ReadCloser, error)
	// Requests hands on the server's events, each of at most maxRequest bytes,
	// until the connection ends.
	Requests(ctx context.Context, each func(event string, data []byte)) error
}

// TextWire is a wire that takes a text as it comes, and compresses it on its way.
type TextWire interface {
	Wire
	// Text begins one that is sent to a path below the link's own.
	Text(ctx context.Context, path string) Text
}

// Text is a text on its way.
type Text interface {
	io.Writer
	// Send sends what was written with a query, and once more where it is called
	// again. A refusal is what Refusal makes of it.
	Send(ctx context.Context, query string) error
}

// Link offers a station's phones to a server elsewhere.
type Link struct {
	// Wire leads to the server.
	Wire    Wire
	Station *Station
	Log     *slog.Logger
	// Journals is where runs are written down here, beside what the server
	// keeps; nil for nowhere.
	Journals Files

	working sync.WaitGroup // jobs, and what else Run has begun

	mu      sync.Mutex
	running map[uuid.UUID]context.CancelFunc
}

// Run keeps the link until ctx ends or the token is refused, coming back by
// itself after every interruption. Jobs that are under way then are ended, and
// Run returns when they have.
func (l *Link) Run(ctx context.Context) error {
	l.running = map[uuid.UUID]context.CancelFunc{}
	ctx, stop := context.WithCancel(ctx)
	l.working.Go(func() { l.Station.Watch(ctx) })
	l.working.Go(func() { l.beat(ctx) })
	defer func() { stop(); l.working.Wait() }()
	err := retry.Keep(ctx, retry.Patient, func(connected func()) error {
		err := l.follow(ctx, connected) // jobs outlive this connection, not ctx
		if errors.Is(err, ErrRevoked) {
			err = retry.Never(err)
		}
		return err
	}, func(err error, wait time.Duration) {
		l.Log.Warn("the server is away", "server", l.Wire.Where(), "err", err, "again in", wait.Round(time.Second/10))
	})
	if ctx.Err() != nil {
		return nil
	}
	return err
}

// beat tells the server what is seen, at each change and from time to time,
// and at the end that the bench is away.
func (l *Link) beat(ctx context.Context) {
	failed := 0
	for ctx.Err() == nil {
		wait := Beat
		view, changed := l.Station.View()
		l.mu.Lock()
		running := slices.Collect(maps.Keys(l.running))
		l.mu.Unlock()
		if running == nil {
			running = []uuid.UUID{}
		}
		if err := l.post(ctx, "view", LinkView{view, running}); err != nil && ctx.Err() == nil {
			l.Log.Debug("could not tell the server what is seen", "err", err)
			// Three beats missed, and the server takes the bench for away: one that
			// failed is made up for soon.
			wait = min(beatAgain<<failed, Beat)
			failed = min(failed+1, 3)
		} else {
			failed = 0
		}
		select {
		case <-changed:
			time.Sleep(50 * time.Millisecond) // changes come in groups
		case <-time.After(wait):
		case <-ctx.Done():
		}
	}
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), LeaveTakes)
	defer cancel()
	if err := l.post(end, "leave", struct{}{}); err != nil {
		l.Log.Debug("could not tell the server that this bench is away; its silence will", "err", err)
	}
}

// maxRequest bounds what a server may send in one event.
const maxRequest = 64 << 20

// follow reads the server's requests until the connection ends, and calls lasting
// once it has held for a minute.
func (l *Link) follow(ctx context.Context, lasting func()) error {
	reading, cancel := context.WithCancel(ctx)
	defer cancel()
	// A server that says nothing for three beats has gone.
	silence := time.AfterFunc(3*Beat, cancel)
	defer silence.Stop()
	began := time.Time{}
	return l.Wire.Requests(reading, func(event string, data []byte) {
		silence.Reset(3 * Beat)
		if began.IsZero() {
			began = time.Now()
			l.Log.Info("linked", "server", l.Wire.Where())
		}
		if time.Since(began) > time.Minute {
			lasting()
		}
		l.take(ctx, event, data)
	})
}

// take begins or cancels a request. One that can't be read is left alone: the
// server fails it after a while.
func (l *Link) take(ctx context.Context, event string, data []byte) {
	switch event {
	case "request":
		var r LinkRequest
		if err := json.Unmarshal(data, &r); err != nil {
			l.Log.Warn("the server sent a request that can't be read", "err", err)
			return
		}
		ctx, cancel := context.WithCancel(ctx)
		l.mu.Lock()
		l.running[r.ID] = cancel
		l.mu.Unlock()
		l.working.Go(func() {
			defer func() {
				l.mu.Lock()
				delete(l.running, r.ID)
				l.mu.Unlock()
				cancel()
			}()
			l.work(ctx, r)
		})
	case "cancel":
		var c LinkCancel
		if json.Unmarshal(data, &c) == nil {
			l.mu.Lock()
			if cancel := l.running[c.ID]; cancel != nil {
				cancel()
			}
			l.mu.Unlock()
		}
	}
}

func (l *Link) work(ctx context.Context, r LinkRequest) {
	l.Log.Info("asked for", "kind", r.Request.Kind, "job", r.ID)
	value, err := l.Station.Do(ctx, r.Request, linkResults{l, r.ID})
	end := LinkEnd{Problem: Explain(err)}
	if value != nil {
		end.Result, _ = json.Marshal(value)
	}
	if errors.Is(err, run.ErrSuperseded) {
		end.Problem = ""
	}
	patience := time.Minute
	if ctx.Err() != nil {
		patience = LeaveTakes // it was cancelled, or this bench is being stopped
	}
	send, cancel := context.WithTimeout(context.WithoutCancel(ctx), patience)
	defer cancel()
	if err := l.postPatiently(send, "jobs/"+r.ID.String()+"/end", end); err != nil {
		l.Log.Error("the end of a request could not be told; the server will fail it", "job", r.ID, "err", err)
	}
}

// linkResults sends what comes of a request to the server.
type linkResults struct {
	link *Link
	job  uuid.UUID
}

func (r linkResults) Tell(ctx context.Context, progress any) error {
	return r.link.post(ctx, "jobs/"+r.job.String()+"/progress", progress)
}

func (r linkResults) Captured(ctx context.Context, serial string, c *android.Capture) error {
	// As LinkCapture, but written once: a capture has megabytes.
	message := struct {
		Serial  string           `json:"serial"`
		Capture *android.Capture `json:"capture"`
	}{serial, c}
	return r.link.postPatiently(ctx, "jobs/"+r.job.String()+"/capture", message)
}

// Unread has the server read a capture where the wire can carry text as it comes.
func (r linkResults) Unread(ctx context.Context) Unread {
	if w, ok := r.link.Wire.(TextWire); ok {
		return linkText{w.Text(ctx, "jobs/"+r.job.String()+"/text")}
	}
	return nil
}

// linkText is a text on its way to the server.
type linkText struct{ Text }

// End sends it, again while the server is away.
func (t linkText) End(ctx context.Context, serial string, broken bool) error {
	query := url.Values{"serial": {serial}}
	if broken {
		query.Set("broken", "true")
	}
	return retry.Do(ctx, retry.Patient, func() error { return lasting(t.Send(ctx, query.Encode())) }, nil)
}

// lasting marks refusals that asking again does not change.
func lasting(err error) error {
	var answer *answerError
	if errors.Is(err, ErrRevoked) || errors.Is(err, run.ErrSuperseded) || errors.As(err, &answer) && answer.status < 500 {
		return retry.Never(err)
	}
	return err
}

func (r linkResults) Named(ctx context.Context, list []Named) error {
	return r.link.postPatiently(ctx, "jobs/"+r.job.String()+"/names", LinkNames{list})
}

// File fetches a package file from the server.
func (r linkResults) File(ctx context.Context, id uuid.UUID) (io.ReadCloser, error) {
	return r.link.Wire.Get(ctx, "files/"+id.String())
}

// Run writes down what it is told, on this computer first; the next steps are
// written down here too before they are handed on.
func (r linkResults) Run(ctx context.Context, id uuid.UUID, report run.Report) (run.Orders, error) {
	j := journal{r.link.Journals, id}
	if report.Seen != nil && report.Serial != "" {
		late, err := j.late()
		if err != nil {
			return run.Orders{}, err
		}
		report.Answers = append(report.Answers, late...)
	}
	full := j.answered(report)
	if full != nil {
		report.Want, report.End, report.Why = 0, "held", full.Error()
	}
	var orders run.Orders
	if err := r.link.exchange(ctx, "jobs/"+r.job.String()+"/run", report, &orders); err != nil {
		return orders, err
	}
	if full != nil {
		return orders, full
	}
	if err := j.sent(report.Attempt, orders.Steps); err != nil {
		// What can't be written down is not sent.
		back := run.Report{Attempt: report.Attempt, Answers: []run.StepAnswer{}, Flying: report.Flying, End: "held", Why: err.Error()}
		for _, step := range orders.Steps {
			back.Answers = append(back.Answers, run.StepAnswer{Step: step.Number, State: run.Waiting})
		}
		return run.Orders{}, errors.Join(err, r.link.exchange(ctx, "jobs/"+r.job.String()+"/run", back, nil))
	}
	return orders, nil
}

// postPatiently tries again while the server is away: storing something twice
// changes nothing.
func (l *Link) postPatiently(ctx context.Context, path string, body any) error {
	return l.exchange(ctx, path, body, nil)
}

// exchange is postPatiently with an answer.
func (l *Link) exchange(ctx context.Context, path string, body, into any) error {
	return retry.Do(ctx, retry.Patient, func() error {
		return lasting(l.send(ctx, path, body, into))
	}, nil)
}

func (l *Link) post(ctx context.Context, path string, body any) error {
	return l.send(ctx, path, body, nil)
}

func (l *Link) send(ctx context.Context, path string, body, into any) error {
	raw, err := json.Marshal(body)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
	defer cancel()
	answer, err := l.Wire.Post(ctx, path, raw)
	if err != nil || into == nil {
		return err
	}
	return json.Unmarshal(answer, into)
}

// answerError is a server's refusal.
type answerError struct {
	status int
	words  string
}

func (e *answerError) Error() string {
	return fmt.Sprintf("the server answered %d: %s", e.status, e.words)
}

// Refusal is what an answer of a server's means: nil where it is one that says
// yes.
func Refusal(status int, answer []byte) error {
	switch {
	case status < 300:
		return nil
	case status == 401:
		return ErrRevoked
	case status == 410:
		return run.ErrSuperseded
	}
	var problem struct {
		Detail string `json:"detail"`
	}
	if json.Unmarshal(answer, &problem) != nil || problem.Detail == "" {
		problem.Detail = android.Printable(string(answer), 200)
	}
	return &answerError{status, problem.Detail}
}
