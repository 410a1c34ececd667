package bench

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"roster/bench/services"
	"roster/core/android"
	"roster/core/run"
)

// bootCount is the platform's own count of a phone's starts.
var bootCount = run.Key{Namespace: "global", Key: "boot_count"}

// lookQuestions are what a run asks a phone again and again: who it is, which
// packages are there and who can do which job. What each package is it leaves
// out.
func lookQuestions() []Question {
	jobs := []string{"dumpsys role"}
	queries := android.RoleQueries()
	for _, role := range slices.Sorted(maps.Keys(queries)) {
		jobs = append(jobs, "cmd package query-activities --brief "+queries[role])
	}
	jobs = append(jobs, "ime list -s -a", "settings get secure default_input_method", "dumpsys webviewupdate", "dumpsys device_policy", "locksettings verify")
	lists := []string{"pm list packages -u --user 0", "pm list packages --user 0", "pm list packages -d --user 0"}
	return []Question{{"what it has now", slices.Concat([]string{"getprop"}, jobs, lists), time.Minute, 32 * megabyte}}
}

// look asks a phone what it has now, with some settings, over an open session.
// Who it is comes with it.
func look(session *services.Session, keys []run.Key) (*run.Seen, android.Identity, error) {
	var who android.Identity
	var reading android.Reading
	for _, q := range lookQuestions() {
		if _, err := ask(session, &reading, q); err != nil {
			return nil, who, fmt.Errorf("asking for %s: %w", q.Asking, err)
		}
	}
	c, err := reading.Capture()
	if err != nil {
		return nil, who, err
	}
	seen := Seen(c)
	if len(seen.Installed) == 0 {
		return nil, who, fmt.Errorf("the phone does not list its packages")
	}
	rooted, others := run.NeedsRoot(keys)
	if seen.Settings, err = settings(session, append([]run.Key{bootCount}, others...)); err != nil {
		return nil, who, err
	}
	if err := images(session, rooted, seen.Settings); err != nil {
		return nil, who, err
	}
	seen.Boots, _ = strconv.Atoi(seen.Settings[bootCount.String()])
	delete(seen.Settings, bootCount.String())
	return seen, c.Identity, nil
}

// Seen is what a capture says, as a run needs it, without any settings.
func Seen(c *android.Capture) *run.Seen {
	seen := &run.Seen{Fingerprint: c.Identity.Fingerprint, SDK: c.Identity.SDK, Facts: c.Phone, Known: []android.PackageName{}, Installed: []android.PackageName{}, Off: []android.PackageName{}}
	for i := range c.Packages {
		p := &c.Packages[i]
		seen.Known = append(seen.Known, p.Name)
		if p.Installed {
			seen.Installed = append(seen.Installed, p.Name)
			if !p.Enabled.On() {
				seen.Off = append(seen.Off, p.Name)
			}
		}
	}
	return seen
}

// Looked is the result of a look: what the phone has, and its serial number on
// its way to the server, which keeps a keyed hash of it.
type Looked struct {
	Seen   *run.Seen `json:"seen"`
	Serial string    `json:"serial"`
	// Saved is what this bench has saved of folders on the image for the run.
	Saved []run.SavedFolder `json:"saved,omitempty"`
}

func (s *Station) lookFor(ctx context.Context, serial string, r Request) (any, error) {
	session, err := services.Shell(ctx, s.Host, serial)
	if err != nil {
		return nil, err
	}
	defer session.Close()
	seen, who, err := look(session, r.Keys)
	if err != nil {
		return nil, err
	}
	saved, err := s.savedFolders(r.Run)
	return Looked{seen, s.identity(serial, who), saved}, err
}

// between separates answers that are asked for in one line.
const between = "--roster-next--"

// atOnce is how many settings are asked for in one line.
const atOnce = 20

// settings reads what runs change.
func settings(session *services.Session, keys []run.Key) (map[string]string, error) {
	out := map[string]string{}
	for some := range slices.Chunk(keys, atOnce) {
		if err := someSettings(session, some, out); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func someSettings(session *services.Session, keys []run.Key, out map[string]string) error {
	var line strings.Builder
	for _, k := range keys {
		get, err := k.Get()
		if err != nil {
			return err
		}
		fmt.Fprintf(&line, "%s; echo %s; ", get, between)
	}
	answer, err := session.Run(strings.TrimSuffix(line.String(), "; "), 30*time.Second, megabyte)
	if err != nil {
		return fmt.Errorf("asking for settings: %w", err)
	}
	for i, value := range strings.Split(string(answer.Out), between) {
		if i < len(keys) {
			out[keys[i].String()] = keys[i].Value(value)
		}
	}
	return nil
}

// backAgain waits until a phone that was told to restart answers again, and
// looks at it then. Before is how often it had started, takes how long that may
// last.
func (s *Station) backAgain(ctx context.Context, serial string, before int, keys []run.Key, takes time.Duration) (*run.Seen, error) {
	ctx, cancel := context.WithTimeout(ctx, takes)
	defer cancel()
	for {
		select {
		case <-time.After(time.Second):
		case <-ctx.Done():
			return nil, fmt.Errorf("it did not come back within %d minutes of its restart", int(takes.Minutes()))
		}
		if strings.Contains(serial, ":") {
			s.reachAgain(ctx, serial)
		}
		seen, err := s.lookAfterStart(ctx, serial, keys)
		if err == nil && seen != nil && (seen.Boots > before || before == 0) {
			return seen, nil
		}
	}
}

// restartTakes bounds how long a phone may take to restart.
const restartTakes = 5 * time.Minute

// healTakes bounds it where something was taken out of the image: a phone that does
// not start without it starts three times until it has undone that.
const healTakes = 20 * time.Minute

// lookAfterStart looks at a phone that has started; nil while it still does.
func (s *Station) lookAfterStart(ctx context.Context, serial string, keys []run.Key) (*run.Seen, error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	session, err := services.Shell(ctx, s.Host, serial)
	if err != nil {
		return nil, err
	}
	defer session.Close()
	up, err := session.Run("getprop sys.boot_completed", 10*time.Second, 1000)
	if err != nil || up.Words() != "1" {
		return nil, err
	}
	seen, _, err := look(session, keys)
	return seen, err
}

// reachAgain connects to a phone on the network that adb has lost.
func (s *Station) reachAgain(ctx context.Context, address string) {
	if server, err := s.server(); err == nil {
		s.join(ctx, server, address)
	}
}
