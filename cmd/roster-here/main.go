//go:build js && wasm

// Command roster-here is the bench of a release's own page, in a browser's worker
// and with no server; see package bench/alone.
package main

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"syscall/js"

	"github.com/google/uuid"

	"roster/bench"
	"roster/bench/alone"
	"roster/bench/browser"
	"roster/core/run"
)

func main() {
	worker := js.Global().Get("roster")
	files := browser.NewFiles(worker.Get("files"))
	key := []byte(worker.Get("key").String())
	ctx := context.Background()
	station := bench.NewStation(bench.Setup{
		Host: browser.Host{Phones: worker.Get("phones")}, Key: key, NoneSeen: []string{},
		Saves: files.Below("here-files"), Scratch: files.Temporary,
		Log: slog.New(slog.NewTextHandler(browser.Console{}, nil)),
	})
	changed := make(chan struct{}, 1)
	b := &alone.Bench{Station: station, Files: files.Below("here"), Key: key, Salt: []byte(worker.Get("salt").String()), Changed: func() {
		select {
		case changed <- struct{}{}:
		default: // it is told soon anyway
		}
	}}
	if err := b.Open(); err != nil {
		worker.Call("ended", err.Error())
		return
	}
	browser.Answer(worker, "ask", func(what string, with []byte) (any, error) {
		if what == "give" {
			return b.Give(ctx, browser.Offered(worker.Get("given")))
		}
		return answer(ctx, b, what, with)
	})
	worker.Call("ready")
	go station.Watch(ctx)
	for {
		_, seen := station.View()
		raw, err := json.Marshal(b.View())
		if err != nil {
			worker.Call("ended", err.Error())
			return
		}
		worker.Call("changed", string(raw))
		select {
		case <-changed:
		case <-seen:
		}
	}
}

// question is what the page can ask for, with what it says along with it.
type question struct {
	Document, Signature, Key, Status string
	Path, Phone, Text                string
	Choices                          run.Choices
	Run                              uuid.UUID
	Back                             alone.Back
}

func answer(ctx context.Context, b *alone.Bench, what string, with []byte) (any, error) {
	var q question
	if err := json.Unmarshal(with, &q); err != nil {
		return nil, err
	}
	switch what {
	case "open":
		r, err := alone.OpenRelease([]byte(q.Document), []byte(q.Signature), q.Key, []byte(q.Status))
		if err == nil {
			b.Release(r, q.Path)
		}
		return r, err
	case "tell":
		return nil, b.Tell([]byte(q.Status))
	case "read":
		return b.Read(ctx, q.Phone)
	case "rehearse":
		return b.Rehearse(q.Choices)
	case "read-only":
		_, err := b.Read(ctx, q.Phone)
		return nil, err
	case "captured":
		return b.Captured()
	case "start":
		return b.Start(ctx, q.Choices)
	case "continue":
		return nil, b.Continue(ctx, q.Run)
	case "put-back":
		return nil, b.PutBack(ctx, q.Run, q.Back)
	case "look":
		return nil, b.Look(ctx, q.Run)
	case "stop":
		b.Stop()
		return nil, nil
	case "log":
		return b.Log(q.Run)
	case "from-log":
		id, log, err := b.FromLog(q.Text, q.Phone)
		return map[string]any{"id": id, "leftOut": log.LeftOut}, err
	}
	return nil, fmt.Errorf("nothing is known here of %q", what)
}
