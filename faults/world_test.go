package faults_test

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"roster/bench/adb/adbtest"
	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/demo"
	"roster/faults/door"
	"roster/faults/sample"
	"roster/phone"
	"roster/server"
	"roster/store"
	"roster/store/storetest"
)

// quiet are packages that the profile quietens, and keys is what it puts in.
var (
	quiet = []string{"com.brannock.devicecare", "com.brannock.clock", "com.fieldnote.installer"}
	keys  = phone.PackageSpec{Name: "org.open.keys", Label: "Open Keys", Version: "2.0.1", Keyboard: true, Owner: true}
)

// pinned is the step that puts the keyboard in.
func pinned() profile.Extra {
	data := phone.File(keys)
	f, err := android.ReadPackageFile(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		panic(err) // it is a file of ours
	}
	return profile.Extra{Kind: profile.PutIn, Package: f.Name, Role: "KEYBOARD", File: &profile.FilePin{Signer: f.Signers[0]}}
}

// give hands the keyboard's file to a place's bench.
func (w *world) give(p *place) {
	w.t.Helper()
	var body bytes.Buffer
	form := multipart.NewWriter(&body)
	part, err := form.CreateFormFile("files", "keys.apk")
	if err == nil {
		_, err = part.Write(phone.File(keys))
	}
	if err = errors.Join(err, form.Close()); err != nil {
		w.t.Fatal(err)
	}
	r, err := http.NewRequestWithContext(w.t.Context(), "POST", w.url+"/api/v1/benches/"+p.bench+"/files", &body)
	if err != nil {
		w.t.Fatal(err)
	}
	r.Header.Set("Content-Type", form.FormDataContentType())
	r.Header.Set("Origin", w.url)
	r.AddCookie(w.cookie)
	a, err := http.DefaultClient.Do(r)
	if err != nil || a.StatusCode != http.StatusAccepted {
		w.t.Fatal(err, a)
	}
	defer a.Body.Close()
	var made struct{ Job string }
	if err := json.NewDecoder(a.Body).Decode(&made); err != nil {
		w.t.Fatal(err)
	}
	w.until("the bench has its file", func() bool {
		var job struct{ State string }
		w.api("GET", "/api/v1/jobs/"+made.Job, nil, &job)
		return job.State == "done"
	})
}

// world is a server, a bench elsewhere and their phones, all of which can be
// killed.
type world struct {
	t        testing.TB
	program  string
	folder   string
	database string
	// door is where the server is reached, whichever port it has at the moment.
	door      *door.Door
	url       string
	token     string
	server    *exec.Cmd
	bench     *exec.Cmd
	runBench  func(*world, ...string) *exec.Cmd
	near, far *place
	root      bool   // the phones have it
	reopen    func() // lets everybody into the database again
	cookie    *http.Cookie
	profile   string
	extras    []profile.Extra
}

const password = "a long password"

// program is the built program: the one that scripts/test has built already,
// or one that is built once for all tests here.
var program = sync.OnceValues(func() (string, error) {
	if path := os.Getenv("ROSTER_PROGRAM"); path != "" {
		return path, nil
	}
	folder, err := os.MkdirTemp("", "roster-")
	if err != nil {
		return "", err
	}
	built = folder
	path := filepath.Join(folder, "roster")
	out, err := exec.Command("go", "build", "-o", path, "roster/cmd/roster").CombinedOutput()
	if err != nil {
		err = fmt.Errorf("%w: %s", err, out)
	}
	return path, err
})

// built is the folder of a program that was built here; "" where none was.
var built string

func TestMain(m *testing.M) {
	code := m.Run()
	if built != "" {
		os.RemoveAll(built)
	}
	os.Exit(code)
}

// newWorld starts a server and a bench elsewhere, each with a phone of a
// scenario that change may change; packages are for the profile to take off.
func newWorld(t testing.TB, change func(*phone.Scenario), packages int) *world {
	t.Helper()
	return newWorldWith(t, change, packages, elsewhere{run: (*world).run})
}

// elsewhere is how a bench elsewhere is run, and the adb server that it finds
// there; "" where it starts one.
type elsewhere struct {
	run func(*world, ...string) *exec.Cmd
	adb string
}

// newWorldWith is newWorld with a bench elsewhere of one's own.
func newWorldWith(t testing.TB, change func(*phone.Scenario), packages int, there elsewhere) *world {
	t.Helper()
	if _, err := exec.LookPath("adb"); err != nil {
		t.Fatal("adb is needed: run scripts/test, which installs it")
	}
	w := &world{t: t, runBench: there.run, folder: t.TempDir(), database: storetest.URL(t), door: door.New(t),
		extras: []profile.Extra{pinned(), {Kind: profile.HoldUpdates}, {Kind: profile.Wait, Seconds: 1}}}
	if packages > 24 {
		w.extras = nil // it is the speed that is looked at
	}
	w.url = "http://" + w.door.Address
	var err error
	if w.program, err = program(); err != nil {
		t.Fatal(err)
	}
	w.near, w.far = w.place("near-1", change), w.place("far-1", change)
	w.far.adb = cmp.Or(there.adb, w.far.adb)
	w.root = w.near.root
	st, err := store.New(t.Context(), w.database)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(st.Close)
	if err := st.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	hash, err := server.PasswordCost{Passes: 1, Memory: 8}.Hash(password)
	if err != nil {
		t.Fatal(err)
	}
	person, err := st.AddPerson(t.Context(), "maintainer", "maintainer", "maintainer", hash)
	if err != nil {
		t.Fatal(err)
	}
	w.startServer()
	t.Cleanup(func() { w.endServer(); end(w.bench) })
	w.signIn()
	var made struct{ Token string }
	w.api("POST", "/api/v1/benches", map[string]string{"name": "elsewhere"}, &made)
	w.token = made.Token
	w.startBench()
	w.find(w.near)
	w.find(w.far)
	w.near.capture, w.far.capture = w.captured(w.near), w.captured(w.far)
	w.profile = w.compose(st, person, packages)
	if w.extras != nil {
		w.give(w.near)
		w.give(w.far)
	}
	return w
}

// place runs a phone and says where an adb server of its own is to be.
func (w *world) place(serial string, change func(*phone.Scenario)) *place {
	s, err := phone.Load(demo.World, "phones/lyra-5-desk.yaml")
	if err != nil {
		w.t.Fatal(err)
	}
	s.Serial, s.Properties["ro.serialno"], s.Prompt = serial, serial, "none"
	s.RestartTakes, s.ComesBack = 400*time.Millisecond, nil
	for i := range s.Packages {
		s.Packages[i].Back = ""
	}
	change(s)
	p := &place{phone: phone.New(s, slog.New(slog.DiscardHandler)), adb: adbtest.Address(w.t), root: s.Root != ""}
	ctx, cancel := context.WithCancel(context.Background())
	w.t.Cleanup(cancel)
	if p.address, err = p.phone.Listen(ctx, "127.0.0.1:0"); err != nil {
		w.t.Fatal(err)
	}
	hand := httptest.NewServer(p.phone.Hand())
	w.t.Cleanup(hand.Close)
	p.control = hand.Listener.Addr().String()
	return p
}

// run starts the program in a process group of its own, without the adb server
// that it may start: that one is killed by itself.
func (w *world) run(args ...string) *exec.Cmd {
	c := exec.Command(w.program, args...)
	c.Env = append(os.Environ(), "ROSTER_DATABASE_URL="+w.database, "ROSTER_SECRET_FILE="+filepath.Join(w.folder, "secret"), "ROSTER_LOG=error")
	c.Stderr = os.Stderr
	if !testing.Verbose() {
		c.Stderr = nil
	}
	if err := c.Start(); err != nil {
		w.t.Fatal(err)
	}
	return c
}

// end kills a process at once, as a power cut would.
func end(c *exec.Cmd) {
	if c != nil && c.Process != nil {
		c.Process.Signal(syscall.SIGKILL)
		c.Wait()
	}
}

func (w *world) startServer() {
	file := filepath.Join(w.folder, "ready")
	os.Remove(file)
	w.server = w.run("serve", "--listen", "127.0.0.1:0", "--ready-file", file, "--adb", w.near.adb, "--stand-in", w.near.address+"="+w.near.control, "--backups", filepath.Join(w.folder, "backups"))
	w.until("the server answers", func() bool {
		var ready struct{ URL string }
		raw, err := os.ReadFile(file)
		if err != nil || json.Unmarshal(raw, &ready) != nil {
			return false
		}
		w.door.Open(strings.TrimPrefix(ready.URL, "http://"))
		a, err := http.Get(w.url + "/readyz")
		if err != nil {
			return false
		}
		a.Body.Close()
		return a.StatusCode == 200
	})
}

// endServer kills the server. Nobody is led to its port any more, which may
// be another program's from then on.
func (w *world) endServer() {
	w.door.Open("")
	end(w.server)
	w.door.Shut()
}

func (w *world) startBench() {
	w.bench = w.runBench(w, "bench", "--server", w.url, "--token", w.token, "--adb", w.far.adb, "--stand-in", w.far.address+"="+w.far.control,
		"--journals", filepath.Join(w.folder, "journals"), "--backups", filepath.Join(w.folder, "far-backups"))
}

func (w *world) until(what string, true func() bool) {
	w.t.Helper()
	for end := time.Now().Add(2 * time.Minute); time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		if true() {
			return
		}
	}
	w.t.Fatalf("never: %s", what)
}

func (w *world) signIn() {
	raw, _ := json.Marshal(map[string]string{"login": "maintainer", "password": password})
	a, err := http.Post(w.url+"/api/v1/session", "application/json", bytes.NewReader(raw))
	if err != nil {
		w.t.Fatal(err)
	}
	a.Body.Close()
	if a.StatusCode != 200 || len(a.Cookies()) == 0 {
		w.t.Fatalf("signing in: %s", a.Status)
	}
	w.cookie = a.Cookies()[0]
}

// try asks the server; the status is 0 where it does not answer.
func (w *world) try(method, path string, body, out any) (int, string) {
	var reader io.Reader
	if body != nil {
		raw, err := json.Marshal(body)
		if err != nil {
			w.t.Fatal(err)
		}
		reader = bytes.NewReader(raw)
	}
	r, err := http.NewRequest(method, w.url+path, reader)
	if err != nil {
		w.t.Fatal(err)
	}
	r.Header.Set("Content-Type", "application/json")
	if w.cookie != nil {
		r.AddCookie(w.cookie)
	}
	a, err := http.DefaultClient.Do(r)
	if err != nil {
		return 0, err.Error()
	}
	defer a.Body.Close()
	raw, _ := io.ReadAll(a.Body)
	if out != nil && a.StatusCode < 300 {
		if err := json.Unmarshal(raw, out); err != nil {
			w.t.Fatalf("%s %s: %v: %s", method, path, err, raw)
		}
	}
	return a.StatusCode, string(raw)
}

func (w *world) api(method, path string, body, out any) {
	w.t.Helper()
	if status, words := w.try(method, path, body, out); status < 200 || status > 299 {
		w.t.Fatalf("%s %s: %d %s", method, path, status, words)
	}
}

// find waits until a bench has the place's phone ready, and says where.
func (w *world) find(p *place) {
	w.t.Helper()
	w.until("the phone at "+p.address+" is ready", func() bool {
		var list struct {
			Items []struct {
				ID   string
				Away bool
				View struct {
					Phones []struct {
						Handle, Address, Mark string
						Ready                 bool
					}
				}
			}
		}
		if status, _ := w.try("GET", "/api/v1/benches", nil, &list); status != 200 {
			return false
		}
		for _, b := range list.Items {
			for _, seen := range b.View.Phones {
				if seen.Address == p.address && seen.Ready && seen.Mark != "" && !b.Away {
					p.bench, p.handle = b.ID, seen.Handle
					return true
				}
			}
		}
		return false
	})
}

func (w *world) captured(p *place) string {
	w.t.Helper()
	var asked struct{ ID string }
	w.api("POST", "/api/v1/benches/"+p.bench+"/requests", map[string]string{"kind": "capture", "phone": p.handle}, &asked)
	var job struct {
		State, Problem string
		Result         struct{ ID string }
	}
	w.until("the capture is stored", func() bool {
		w.try("GET", "/api/v1/jobs/"+asked.ID, nil, &job)
		return job.State == "done" || job.State == "failed"
	})
	if job.Result.ID == "" {
		w.t.Fatalf("%+v", job)
	}
	return job.Result.ID
}

// compose makes a profile that takes off whatever of two dozen packages nothing
// keeps on the phone.
func (w *world) compose(st *store.Store, person store.Person, packages int) string {
	w.t.Helper()
	r := profile.Rules{Method: evidence.RemoveForUser, HighestLoad: evidence.Loose, LeastStanding: evidence.Firm, Unproven: profile.ByHand,
		Extras: w.extras}
	there := w.near.there()
	if w.root {
		builds, err := st.Builds(w.t.Context(), "brannock", "lyra-5")
		if err != nil {
			w.t.Fatal(err)
		}
		sample.Shown(w.t, st, builds[0].ID, evidence.RemoveFromImage, imaged...)
		there = append(slices.Clone(imaged), slices.DeleteFunc(there, func(name string) bool { return slices.Contains(imaged, name) })...)
	}
	for _, name := range there {
		if slices.Contains([]string{"com.brannock.home", "com.brannock.keys", "com.brannock.dialler", "com.brannock.retaildemo"}, name) {
			continue // the phone needs them, or an administrator guards it
		}
		if packages == removals && !strings.HasPrefix(name, "app.measured.") {
			continue
		}
		if strings.HasPrefix(name, "com.brannock.") || strings.HasPrefix(name, "com.fieldnote.") || strings.HasPrefix(name, "app.") {
			pin := profile.Pin{Package: android.PackageName(name), Goes: true, Reason: "to be taken off"}
			if slices.Contains(quiet, name) && w.extras != nil {
				pin.Method = evidence.Quieten
			}
			if w.root && slices.Contains(imaged, name) {
				pin.Method = evidence.RemoveFromImage
			}
			r.Pins = append(r.Pins, pin)
		}
		if len(r.Pins) == packages {
			break
		}
	}
	sc, err := st.FindScope(w.t.Context(), "brannock", "lyra-5", "")
	if err != nil {
		w.t.Fatal(err)
	}
	id, err := st.AddProfile(w.t.Context(), store.NewProfile{Model: sc.Model.ID, Name: "Broken", Rules: r}, person.ID)
	if err != nil {
		w.t.Fatal(err)
	}
	return id.String()
}

type step struct {
	Number                              int
	Kind, Method, Package, State, Words string
}

type ran struct {
	Run struct {
		ID, State, Why string
		Settled        bool
	}
	Steps []step
}

func (w *world) start(p *place) string {
	w.t.Helper()
	w.find(p)
	choices := maps.Clone(none)
	if w.extras != nil {
		choices["given"] = []string{keys.Name}
	}
	body := map[string]any{"profile": w.profile, "capture": p.capture, "choices": choices, "bench": p.bench, "phone": p.handle}
	var made struct{ ID string }
	if w.root {
		w.api("POST", "/api/v1/benches/"+p.bench+"/phones/"+p.handle+"/root", map[string]any{"profile": w.profile}, &made)
		w.until("the phone is asked for root", func() bool {
			var job struct{ State string }
			w.try("GET", "/api/v1/jobs/"+made.ID, nil, &job)
			return job.State == "done"
		})
		body["root"] = made.ID
	}
	w.api("POST", "/api/v1/runs", body, &made)
	return made.ID
}

func (w *world) breaks(how string, p *place) {
	switch how {
	case "server":
		w.endServer()
	case "bench":
		end(w.bench)
	case "adb":
		adbtest.End(p.adb)
	case "cable":
		p.phone.Unplug()
	case "phone":
		p.phone.Restart()
	case "database":
		w.reopen = storetest.Shut(w.t, w.database)
	}
}

func (w *world) mends(how string, p *place) {
	switch how {
	case "server":
		w.startServer()
	case "bench":
		w.startBench()
	case "cable":
		p.phone.Plug()
	case "database":
		w.reopen()
	}
}

// settled waits until a run is not going and nothing of it is unknown.
func (w *world) settled(id string) (r ran) {
	w.t.Helper()
	w.until("the run is settled", func() bool {
		r = ran{}
		status, _ := w.try("GET", "/api/v1/runs/"+id, nil, &r)
		return status == 200 && r.Run.State != "going" && r.Run.Settled
	})
	return r
}

func (w *world) ended(id, state string) (r ran) {
	w.t.Helper()
	if r = w.settled(id); r.Run.State != state {
		w.t.Fatalf("the run is %s (%s), want %s", r.Run.State, r.Run.Why, state)
	}
	return r
}

// ask continues a run or puts it back, as soon as its phone is there.
func (w *world) ask(p *place, id, what string) {
	w.t.Helper()
	w.find(p)
	body := any(nil)
	if what == "put-back" {
		body = map[string]any{}
	}
	w.until("it can be asked to "+what, func() bool {
		status, words := w.try("POST", "/api/v1/runs/"+id+"/"+what, body, nil)
		if status == 204 {
			return true
		}
		if status != 409 && status != 0 {
			w.t.Fatalf("%s: %d %s", what, status, words)
		}
		return false
	})
}
