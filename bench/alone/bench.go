package alone

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"io"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"roster/bench"
	"roster/core/android"
	"roster/core/impact"
	"roster/core/profile"
	"roster/core/run"
)

// Bench does releases on the phones of a station. Its methods may be called from
// any goroutine.
type Bench struct {
	Station *bench.Station
	// Files is where runs are written down, Key what phones are told apart by.
	Files bench.Files
	Key   []byte
	// Salt is what a phone is told apart by for whoever is told of it: the same in
	// every browser.
	Salt []byte
	// Changed is called whenever View would say something else.
	Changed func()

	mu      sync.Mutex
	release *Release
	path    string // the release's address
	read    *reading
	doing   string
	stop    context.CancelFunc
	asked   bench.Progress
	trouble string
	runs    []*kept
}

// reading is a phone that was read.
type reading struct {
	phone    string // what tells it apart
	told     string // and for whoever is told of it
	name     string
	capture  *android.Capture
	subject  run.Subject
	rehearse run.Rehearsal
}

// kept is a run with what stands in its journal.
type kept struct {
	about       About
	run         *run.Kept
	stands      []run.KeptStep
	before, now *run.Seen
}

// View is what the bench shows.
type View struct {
	bench.View
	// Doing is what goes on: "", reading, running or looking; Progress how far
	// reading is.
	Doing    string         `json:"doing"`
	Progress bench.Progress `json:"progress"`
	// Trouble says why the last of them ended badly.
	Trouble string `json:"trouble"`
	// Phone tells the phone that was read from others; "" before.
	Phone string    `json:"phone"`
	Runs  []RunView `json:"runs"`
	// Ready are packages that the release puts in and whose files lie here.
	Ready []android.PackageName `json:"ready"`
}

// RunView is a run as it is shown.
type RunView struct {
	About
	State       run.RunState   `json:"state"`
	Why         string         `json:"why"`
	Open        bool           `json:"open"`
	PuttingBack bool           `json:"puttingBack"`
	Mark        string         `json:"mark"`
	Steps       []run.KeptStep `json:"steps"`
	// Off are packages that are off and could be put back, Functions what that
	// costs by now, Back what returned by itself.
	Off       []android.PackageName          `json:"off"`
	Functions []string                       `json:"functions"`
	Back      map[android.PackageName]string `json:"back"`
}

// Errors of asking for something.
var (
	errBusy    = errors.New("something is being done already: let it end first")
	errNoPhone = errors.New("the phone of this run is not attached: attach it first")
	errNotRead = errors.New("no phone was read: read it first")
	errNoRun   = errors.New("there is no such run in this browser")
	errStops   = errors.New("nothing was done")
)

// Open reads what was done here before.
func (b *Bench) Open() error {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.load()
}

// mark tells a phone from others, without its serial number.
func (b *Bench) mark(serial string) string { return hash(b.Key, serial) }

// Told is what a phone is told apart by for whoever is told of it, from its serial
// number and an installation's salt: 24 hexadecimal digits.
func Told(salt []byte, serial string) string { return hash(salt, serial)[:24] }

func hash(key []byte, serial string) string {
	mac := hmac.New(sha256.New, key)
	mac.Write([]byte(serial))
	return hex.EncodeToString(mac.Sum(nil))
}

// Release takes a release that was opened, at an address.
func (b *Bench) Release(r *Release, path string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.release, b.path, b.read = r, path, nil
}

// Tell takes what the publisher says of the release by now.
func (b *Bench) Tell(status []byte) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.release == nil {
		return errNotRead
	}
	return b.release.Tell(status)
}

// View returns how things are now.
func (b *Bench) View() View {
	seen, _ := b.Station.View()
	b.mu.Lock()
	defer b.mu.Unlock()
	seen.Phones = slices.Clone(seen.Phones)
	for i := range seen.Phones {
		if p := &seen.Phones[i]; p.Hardware != "" {
			p.Mark, p.Hardware = b.mark(p.Hardware), ""
		}
	}
	v := View{View: seen, Doing: b.doing, Progress: b.asked, Trouble: b.trouble, Runs: []RunView{}, Ready: b.ready(seen.Given)}
	if b.read != nil {
		v.Phone = b.read.phone
	}
	for _, r := range b.runs {
		v.Runs = append(v.Runs, r.view())
	}
	return v
}

func (r *kept) view() RunView {
	v := RunView{About: r.about, State: r.run.State, Why: r.run.Why, Open: r.run.Open(), PuttingBack: r.run.PuttingBack, Mark: r.run.Phone,
		Steps: slices.Clone(r.run.Steps), Off: []android.PackageName{}, Functions: []string{}, Back: r.run.Clone().Back}
	for _, j := range run.Off(r.run.List()) {
		v.Off = append(v.Off, j.Package)
	}
	for _, l := range r.about.Losses {
		if slices.ContainsFunc(l.Packages, func(p android.PackageName) bool { return slices.Contains(v.Off, p) }) {
			v.Functions = append(v.Functions, l.Function)
		}
	}
	return v
}

// begin makes sure that one thing is done at a time, and returns what ends it.
func (b *Bench) begin(ctx context.Context, what string) (context.Context, func(error), error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.doing != "" {
		return nil, nil, errBusy
	}
	ctx, b.stop = context.WithCancel(ctx)
	b.doing, b.trouble, b.asked = what, "", bench.Progress{}
	stop := b.stop
	return ctx, func(err error) {
		stop()
		b.mu.Lock()
		b.doing, b.trouble = "", bench.Explain(err)
		b.mu.Unlock()
		b.Changed()
	}, nil
}

// Read asks the phone of a handle what it has, and rehearses the release on it
// where there is one.
func (b *Bench) Read(ctx context.Context, handle string) (r run.Rehearsal, err error) {
	ctx, end, err := b.begin(ctx, "reading")
	if err != nil {
		return r, err
	}
	defer func() { end(err) }()
	b.Changed()
	got := &taken{bench: b}
	if _, err := b.Station.Do(ctx, bench.Request{Kind: bench.KindCapture, Phone: handle}, got); err != nil {
		return r, err
	}
	if got.serial == "" {
		return r, errors.New("this phone tells nothing that it could be known by again: what is done to it could not be put back surely")
	}
	c := got.capture
	sub := run.Subject{Identity: c.Identity, Facts: c.Phone, Packages: c.Packages, Labels: map[android.PackageName]string{}}
	sub.Net = NetOf(c)
	b.mu.Lock()
	defer b.mu.Unlock()
	b.read = &reading{phone: b.mark(got.serial), name: c.Identity.MarketName, capture: c, subject: sub}
	if len(b.Salt) > 0 {
		b.read.told = Told(b.Salt, got.serial)
	}
	if b.read.name == "" {
		b.read.name = c.Identity.Model
	}
	if b.release == nil { // only what it has is asked for
		return r, nil
	}
	for _, s := range b.release.Document.Steps {
		sub.Labels[s.Package] = s.Label
	}
	return b.rehearse(run.Choices{}), nil
}

// NetOf is what rests on what on a phone, as far as it tells itself.
func NetOf(c *android.Capture) *impact.Net {
	return impact.Read(impact.Phone{Form: c.Identity.Form, Packages: c.Packages, Facts: c.Phone})
}

// rehearse is called with b.mu held.
func (b *Bench) rehearse(c run.Choices) run.Rehearsal {
	b.read.rehearse = b.release.Rehearse(b.read.subject, c)
	return b.read.rehearse
}

// Rehearse says what the release would do to the phone that was read.
func (b *Bench) Rehearse(c run.Choices) (run.Rehearsal, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.read == nil || b.release == nil {
		return run.Rehearsal{}, errNotRead
	}
	return b.rehearse(c), nil
}

// Captured is what a phone has that was read, for whoever is told of it.
type Captured struct {
	Name string `json:"name"`
	// Told is what tells the phone from others there, see Told.
	Told        string `json:"told"`
	Fingerprint string `json:"fingerprint"`
	Packages    int    `json:"packages"`
	// Text is a capture file without the phone's serial number.
	Text string `json:"text"`
}

// Captured is the phone that was read.
func (b *Bench) Captured() (c Captured, err error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.read == nil {
		return c, errNotRead
	}
	r := b.read
	raw, err := json.MarshalIndent(r.capture, "", " ")
	return Captured{r.name, r.told, r.capture.Identity.Fingerprint, len(r.capture.Packages), string(raw)}, err
}

// Start begins a run of the release on the phone that was read.
func (b *Bench) Start(ctx context.Context, c run.Choices) (uuid.UUID, error) {
	b.mu.Lock()
	if b.read == nil || b.release == nil {
		b.mu.Unlock()
		return uuid.Nil, errNotRead
	}
	if r := b.rehearse(c); len(r.Stops) > 0 {
		b.mu.Unlock()
		return uuid.Nil, errors.Join(errStops, errors.New(run.StopWords(r.Stops)))
	}
	c = b.release.Choose(c)
	d, id := b.release.Document, b.read.capture.Identity
	r := &kept{
		run: run.NewKept(run.Plan(d, c), b.read.phone, id.Form, id.Fingerprint),
		about: About{
			ID: uuid.New(), StartedAt: time.Now().UTC().Truncate(time.Second), Path: b.path, Digest: b.release.Digest,
			Title: title(d), Phone: b.read.name, Told: b.read.told, Fingerprint: id.Fingerprint, Choices: c,
			Losses: losses(d), Checks: run.CheckList(d),
		},
	}
	err := b.enter(r)
	b.mu.Unlock()
	if err != nil {
		return uuid.Nil, err
	}
	return r.about.ID, b.goOn(ctx, r, false, nil)
}

// title is what a release is called.
func title(d *profile.Document) string {
	return d.Maker.Name + " " + d.Model.Name + ": " + d.Edition.Name
}

// losses are the functions that a release costs, each with all that it takes them
// off with.
func losses(d *profile.Document) (list []profile.Loss) {
	for _, s := range d.Removals() {
		for _, f := range s.Costs {
			if !slices.ContainsFunc(list, func(l profile.Loss) bool { return l.Function == f }) {
				list = append(list, profile.Loss{Function: f, Packages: carriers(d, f)})
			}
		}
	}
	for _, l := range d.Costs {
		if !slices.ContainsFunc(list, func(o profile.Loss) bool { return o.Function == l.Function }) {
			list = append(list, profile.Loss{Function: l.Function, Packages: carriers(d, l.Function)})
		}
	}
	return list
}

// enter writes a new run down. It is called with b.mu held.
func (b *Bench) enter(r *kept) error {
	if err := b.write(r, &r.about); err != nil {
		return err
	}
	if err := b.add(index, r.about.ID); err != nil {
		return err
	}
	b.runs = append(b.runs, r)
	return nil
}

// taken takes what comes of a request.
type taken struct {
	bench   *Bench
	serial  string
	capture *android.Capture
}

func (t *taken) Tell(_ context.Context, progress any) error {
	if p, ok := progress.(bench.Progress); ok {
		t.bench.mu.Lock()
		t.bench.asked = p
		t.bench.mu.Unlock()
		t.bench.Changed()
	}
	return nil
}

func (t *taken) Captured(_ context.Context, serial string, c *android.Capture) error {
	t.serial, t.capture = serial, c
	return nil
}

func (t *taken) Named(context.Context, []bench.Named) error { return nil }

// File hands out nothing: whoever is alone gives files to the station itself.
func (t *taken) File(context.Context, uuid.UUID) (io.ReadCloser, error) {
	return nil, errors.New("this bench has no server to fetch files from")
}

// Run advances the run and writes it down; what can't be written is not ordered.
func (t *taken) Run(_ context.Context, id uuid.UUID, report run.Report) (run.Orders, error) {
	b := t.bench
	b.mu.Lock()
	r := b.find(id)
	if r == nil {
		b.mu.Unlock()
		return run.Orders{}, run.ErrSuperseded
	}
	if report.Serial != "" {
		report.Serial = b.mark(report.Serial)
	}
	was := r.run.Clone()
	orders, err := r.run.Advance(report)
	if quiet := report.Want == 0 && len(report.Answers) == 0 && report.Seen == nil && report.End == ""; err == nil && !quiet {
		if err = b.write(r, nil); err != nil {
			r.run = was
			r.run.Interrupt(err.Error())
			orders = run.Orders{}
		}
	}
	b.mu.Unlock()
	b.Changed()
	return orders, err
}

func (b *Bench) find(id uuid.UUID) *kept {
	for _, r := range b.runs {
		if r.about.ID == id {
			return r
		}
	}
	return nil
}
