package server

import (
	"context"
	"fmt"
	"net/http"
	"os"
	"runtime"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/dustin/go-humanize"

	"roster/core/sizing"
	"roster/core/wording"
	"roster/store"
)

// installationPage is how an installation is, for its keeper.
type installationPage struct {
	store.Installation
	Server serverState `json:"server"`
	// Slow is nil where the database does not count statements.
	Slow []store.SlowStatement `json:"slow,omitempty"`
	// Advice is what to do, the most urgent first; none where all is well.
	Advice []advice `json:"advice" nullable:"false"`
}

// serverState is how the server is that answers; others may run beside it.
type serverState struct {
	Version   string    `json:"version"`
	Go        string    `json:"go" doc:"The version of Go that it was built with"`
	System    string    `json:"system"`
	StartedAt time.Time `json:"startedAt"`
	Bytes     uint64    `json:"bytes" doc:"Memory that it has of the system"`
	PublicURL string    `json:"publicUrl"`
	Provider  string    `json:"provider" doc:"By what people sign in beside passwords; empty for nothing"`
	Phones    bool      `json:"phones" doc:"Whether it has an adb server of its own"`
	Used      int       `json:"used" doc:"Connections to the database that are in use"`
	Most      int       `json:"most" doc:"Connections to the database that it may have"`
	Disks     []disk    `json:"disks" nullable:"false"`
}

// disk is the room where something is kept.
type disk struct {
	For  string `json:"for"`
	Path string `json:"path"`
	Free uint64 `json:"free" doc:"Bytes"`
	Size uint64 `json:"size" doc:"Bytes"`
}

// advice is something that the keeper should do.
type advice struct {
	// Urgent is true where something is lost or stops if nobody does.
	Urgent bool   `json:"urgent"`
	Words  string `json:"words" doc:"What is wrong"`
	Next   string `json:"next" doc:"What to do"`
}

type installationOutput struct{ Body installationPage }

func (s *Server) installationRoutes() {
	route(s, Keeper, huma.Operation{
		OperationID: "getInstallation", Method: http.MethodGet, Path: "/api/v1/installation",
		Summary: "How the installation is, and what to do about it",
	},
		func(ctx context.Context, _ *struct{}) (*installationOutput, error) {
			i, err := s.store.Installation(ctx)
			if err != nil {
				return nil, err
			}
			slow, err := s.store.SlowStatements(ctx)
			if err != nil {
				return nil, err
			}
			page := installationPage{Installation: i, Server: s.state(), Slow: slow}
			page.Advice = page.advise(time.Now())
			return &installationOutput{page}, nil
		})
	route(s, Keeper, huma.Operation{
		OperationID: "getInstallationSize", Method: http.MethodGet, Path: "/api/v1/installation/size",
		Summary: "What an installation with so many phones takes",
	},
		func(_ context.Context, in *sizeInput) (*sizeOutput, error) {
			return &sizeOutput{sizing.Of(sizing.Assumed{
				Phones: in.Phones, Packages: in.Packages, CapturesAYear: in.CapturesAYear, Years: in.Years, Firmwares: in.Firmwares,
			})}, nil
		})
}

// sizeInput is what an installation is taken to be like; what is not said is as
// such installations are.
type sizeInput struct {
	Phones        int64   `query:"phones" minimum:"1" maximum:"1000000000" required:"true"`
	Packages      int64   `query:"packages" minimum:"0" maximum:"5000" doc:"Of each phone"`
	CapturesAYear float64 `query:"capturesAYear" minimum:"0" maximum:"1000" doc:"Of each phone"`
	Years         float64 `query:"years" minimum:"0" maximum:"50" doc:"For which captures are kept"`
	Firmwares     int64   `query:"firmwares" minimum:"0" maximum:"10000000"`
}

type sizeOutput struct{ Body sizing.Size }

// lookedAt is how the installation was a moment ago.
type lookedAt struct {
	mu sync.Mutex
	at time.Time
	is store.Installation
}

// looksKept is for how long: programs that watch ask often, and several at once.
const looksKept = 5 * time.Second

// lately is how the installation was within looksKept.
func (s *Server) lately(ctx context.Context) (store.Installation, error) {
	l := &s.looked
	l.mu.Lock()
	defer l.mu.Unlock()
	if time.Since(l.at) < looksKept {
		return l.is, nil
	}
	i, err := s.store.Installation(ctx)
	if err == nil {
		l.is, l.at = i, time.Now()
	}
	return i, err
}

// state is how this server is.
func (s *Server) state() serverState {
	var memory runtime.MemStats
	runtime.ReadMemStats(&memory)
	pool := s.store.Connections()
	st := serverState{
		Version: s.config.Version, Go: runtime.Version(), System: runtime.GOOS + "/" + runtime.GOARCH, StartedAt: s.started,
		Bytes: memory.Sys - memory.HeapReleased, PublicURL: s.config.PublicURL, Provider: s.vouching.Name, Phones: s.config.ADB != "",
		Used: pool.Used, Most: pool.Most, Disks: []disk{},
	}
	for _, d := range []disk{{For: "what comes in and is read", Path: os.TempDir()}, {For: "what is saved of phones", Path: s.config.Backups}} {
		var err error
		if d.Free, d.Size, err = room(d.Path); err == nil && d.Path != "" {
			st.Disks = append(st.Disks, d)
		}
	}
	return st
}

// What is old, full or slow enough to be told.
const (
	backupOld   = 2 * 24 * time.Hour
	diskTight   = 0.1
	jobWaitsFor = 10 * time.Minute
	poolTight   = 0.9
)

// advise finds what the keeper should do.
func (p installationPage) advise(now time.Time) []advice {
	list := []advice{}
	for _, a := range append(p.urgent(now), p.calm(now)...) {
		if a.Words != "" {
			list = append(list, a)
		}
	}
	return list
}

// when is an advice where something is wrong, and none where nothing is.
func when(wrong, urgent bool, words, next string) advice {
	if !wrong {
		return advice{}
	}
	return advice{urgent, words, next}
}

// since is how long ago something was, in words.
func since(then, now time.Time) string {
	return strings.TrimSpace(humanize.RelTime(then, now, "", ""))
}

// urgent is what is lost or stops if nobody does anything.
func (p installationPage) urgent(now time.Time) []advice {
	list := []advice{
		when(p.Saved == nil, true, "This installation was never saved.",
			"Have it saved every night: systemctl enable --now roster-backup.timer, or roster backup FOLDER."),
		when(p.Server.Most > 0 && float64(p.Server.Used) > poolTight*float64(p.Server.Most), true,
			"Nearly all connections to the database are in use.",
			"If that lasts, raise database-connections, and max_connections in PostgreSQL."),
	}
	if p.Saved != nil {
		list = append(list, when(now.Sub(p.Saved.At) > backupOld, true, "The last backup is "+since(p.Saved.At, now)+" old.",
			"Look why: systemctl status roster-backup, journalctl -u roster-backup."))
	}
	for _, d := range p.Server.Disks {
		list = append(list, when(float64(d.Free) < diskTight*float64(d.Size), true,
			fmt.Sprintf("%s is nearly full: %s free, for %s.", d.Path, humanize.IBytes(d.Free), d.For),
			"Make room, or let what was saved of phones go sooner, under the rules."))
	}
	return list
}

// calm is what can wait for an hour.
func (p installationPage) calm(now time.Time) []advice {
	waited := now.Add(-time.Duration(p.Work.OldestWaiting) * time.Second)
	return []advice{
		when(p.Database.Migration > p.Database.Wants, false,
			fmt.Sprintf("A newer program has been here: the database is at migration %d, this server knows %d. It goes on beside it.",
				p.Database.Migration, p.Database.Wants),
			"Upgrade this server as well; until then it shows nothing of what is new."),
		when(p.Work.Silent > 0, false, wording.Count(p.Work.Silent, "bench elsewhere says", "benches elsewhere say")+" nothing.",
			"Look on the Bench which; end the token of one that is no more."),
		when(p.Work.Interrupted > 0, false, wording.Count(p.Work.Interrupted, "run stands still and waits", "runs stand still and wait")+" for somebody.",
			"Look on the Bench: each can go on or be put back."),
		when(p.Work.OldestWaiting > jobWaitsFor.Seconds(), false, "A job has waited for "+since(waited, now)+" without a bench taking it.",
			"Look on the Bench whether its computer is on."),
		when(!strings.HasPrefix(p.Server.PublicURL, "https://"), false,
			"People reach this installation without https: passwords can be read on the way.",
			"Put a web server that speaks https before it, and set public-url and trusted-proxies."),
		when(p.Work.Keepers < 2, false, "There is one keeper.",
			"Make somebody else a keeper, too: who else would make a link when you forget your password?"),
		when(p.Work.Reviewers < 2, false, "Nobody else can decide about what you send.",
			"Invite a reviewer, or let the only one accept their own, under the rules."),
	}
}
