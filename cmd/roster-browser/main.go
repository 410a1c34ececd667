//go:build js && wasm

// Command roster-browser is the bench that runs in a browser's worker; see
// package bench/browser.
package main

import (
	"context"
	"errors"
	"log/slog"
	"syscall/js"

	"roster/bench"
	"roster/bench/browser"
)

// noneSeen is what to try where a browser sees no phone.
var noneSeen = []string{
	"Attach a phone, and pick it in the list that the browser shows.",
	"It is not in that list? Use a cable that carries data: many only charge.",
	"On the phone: Settings, About phone, tap the build number seven times; then Developer options, USB debugging.",
	"On the phone's USB notification choose to transfer files, not only to charge.",
}

func main() {
	worker := js.Global().Get("roster")
	log := slog.New(slog.NewTextHandler(browser.Console{}, nil))
	link := worker.Get("link")
	files := browser.NewFiles(worker.Get("files"))
	var hands []bench.Hand
	standIns := worker.Get("standIns")
	for i := range standIns.Length() {
		hands = append(hands, browser.Hand{Link: link, Address: standIns.Index(i).String()})
	}
	key := worker.Get("key").String()
	l := &bench.Link{
		Wire:     browser.Wire{Link: link},
		Log:      log,
		Journals: files.Below("journals"),
		Station: bench.NewStation(bench.Setup{
			Host:     browser.Host{Phones: worker.Get("phones")},
			Key:      []byte(key),
			Hands:    hands,
			Saves:    files.Below("backups"),
			Scratch:  files.Temporary,
			NoneSeen: noneSeen,
			Log:      log,
		}),
	}
	worker.Call("ready")
	err := l.Run(context.Background()) // until the page ends the worker
	why := ""
	if errors.Is(err, bench.ErrRevoked) {
		why = "revoked"
	} else if err != nil {
		why = err.Error()
	}
	worker.Call("ended", why)
}
