package phone

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Condition is how a stand-in is, to those who hold it in their hand.
type Condition struct {
	Name    string `json:"name"`
	Plugged bool   `json:"plugged"`
	// Asking counts computers that wait for the owner's answer.
	Asking   int    `json:"asking"`
	LockCode bool   `json:"lockCode"`
	Build    string `json:"build"`
	// Update is the build that waits to be installed, "" for none.
	Update string `json:"update"`
	// Stuck says why the phone does not start, "" when it does.
	Stuck string `json:"stuck"`
	// Root is "given" or "refused" on a phone that has it, else "".
	Root string `json:"root"`
}

// Condition tells how the phone is now.
func (p *Phone) Condition() Condition {
	p.mu.Lock()
	defer p.mu.Unlock()
	s := p.scenario
	root := ""
	if p.disk != nil {
		root = map[bool]string{true: "refused", false: "given"}[p.noRoot]
	}
	return Condition{
		Name: s.Name, Plugged: p.plugged, Asking: len(p.prompts), LockCode: p.lockCode, Build: s.Build, Update: s.Update,
		Stuck: p.stuck, Root: root,
	}
}

// Actions are what a hand can do to a phone, with what each does.
var Actions = []struct{ Word, Does string }{
	{"accept", "accept the computers that wait"},
	{"refuse", "turn them away"},
	{"unplug", "pull the cable"},
	{"plug", "put the cable back"},
	{"loosen", "let the cable fall out after N commands"},
	{"slow", "let it take N milliseconds to take a package off"},
	{"restart", "restart the phone"},
	{"lock", "set a lock code"},
	{"unlock", "remove the lock code"},
	{"update", "install the firmware that waits"},
	{"reset", "reset the phone as it came"},
	{"open", "open the app of a package"},
	{"need", "let it not start without a package"},
	{"give-root", "give root to whoever asks for it"},
	{"refuse-root", "give it to nobody"},
}

// ErrAction is wrapped by the error for an action that there is not.
var ErrAction = errors.New("no such action")

// Do is what a hand does to the phone: one of Actions. With is the number of
// commands to loosen after, of milliseconds to be slow by, or the package to
// open.
func (p *Phone) Do(action, with string) error {
	switch action {
	case "accept":
		if p.Accept() == 0 {
			return errors.New("no computer waits to be accepted")
		}
	case "refuse":
		if p.Refuse() == 0 {
			return errors.New("no computer waits")
		}
	case "unplug":
		p.Unplug()
	case "plug":
		p.Plug()
	case "restart":
		p.Restart()
	case "reset":
		p.Reset()
	case "update":
		return p.TakeUpdate()
	case "lock", "unlock":
		p.mu.Lock()
		p.lockCode = action == "lock"
		p.mu.Unlock()
	case "loosen":
		n, err := strconv.Atoi(with)
		if err != nil || n < 0 {
			return fmt.Errorf("loosen: after how many commands?")
		}
		p.mu.Lock()
		p.faults = append(p.faults, Fault{Do: "unplug", After: n, Times: 1})
		p.mu.Unlock()
	case "slow":
		n, err := strconv.Atoi(with)
		if err != nil || n < 0 || n > 60_000 {
			return fmt.Errorf("slow: how many milliseconds for each? 0 to 60000")
		}
		p.TakeRemovals(time.Duration(n) * time.Millisecond)
	case "give-root", "refuse-root":
		p.AllowRoot(action == "give-root")
	case "need":
		return p.Need(with)
	case "open":
		return p.Open(with)
	default:
		var words []string
		for _, a := range Actions {
			words = append(words, a.Word)
		}
		return fmt.Errorf("%w: %q; there are %s", ErrAction, action, strings.Join(words, ", "))
	}
	return nil
}

// Need has the phone not start any more without a package.
func (p *Phone) Need(name string) error {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.byName[name] == nil {
		return fmt.Errorf("no package %q to need", name)
	}
	p.needs = append(p.needs, NoStart{name, "always"})
	return nil
}

// Open opens a package's app from the home screen: the log tells of it.
func (p *Phone) Open(name string) error {
	p.mu.Lock()
	defer p.mu.Unlock()
	a := p.byName[name]
	if a == nil || !a.first().installed || a.Label == "" {
		return fmt.Errorf("no app of a package %q to open", name)
	}
	tag, home := "ActivityTaskManager", 1000
	if p.scenario.sdk < 29 {
		tag = "ActivityManager"
	}
	if h := p.byName[p.holder("HOME")]; h != nil {
		home = h.uid
	}
	p.logLine(tag, fmt.Sprintf("START u0 {act=android.intent.action.MAIN cat=[android.intent.category.LAUNCHER] flg=0x10200000 cmp=%s/.Main bnds=[24,600][264,900]} from uid %d", a.Name, home))
	p.logLine("ActivityManager", fmt.Sprintf("Start proc 4211:%s/u0a%d for top-activity {%s/%s.Main}", a.Name, a.uid-10000, a.Name, a.Name))
	for _, w := range a.Wakes {
		if b := p.byName[w]; b != nil && b.first().installed {
			p.logLine("ActivityManager", fmt.Sprintf("Start proc 4212:%s/u0a%d for service {%s/%s.Service}", w, b.uid-10000, w, w))
		}
	}
	return nil
}

// Hand serves the actions over HTTP: GET / tells the condition, POST /ACTION
// with an optional ?with=… does something. For loopback alone.
func (p *Phone) Hand() http.Handler {
	mux := http.NewServeMux()
	tell := func(w http.ResponseWriter) {
		w.Header().Set("Content-Type", "application/json")
		json.NewEncoder(w).Encode(p.Condition())
	}
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, _ *http.Request) { tell(w) })
	mux.HandleFunc("POST /{action}", func(w http.ResponseWriter, r *http.Request) {
		if err := p.Do(r.PathValue("action"), r.URL.Query().Get("with")); err != nil {
			code := http.StatusConflict
			if errors.Is(err, ErrAction) {
				code = http.StatusNotFound
			}
			http.Error(w, err.Error(), code)
			return
		}
		tell(w)
	})
	return mux
}

// Known reports whether word is one of Actions.
func Known(word string) bool {
	return slices.ContainsFunc(Actions, func(a struct{ Word, Does string }) bool { return a.Word == word })
}
