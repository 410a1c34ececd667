package main

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"roster/core/wording"
	"roster/server"
	"roster/server/site"
	"roster/store"
)

// exportSite writes everything public into a folder, once or whenever it changes.
func exportSite(c *cobra.Command, st *store.Store, folder, public string, follow bool) error {
	if public == "" {
		return usageError{errors.New("say with --public-url where the pages will be reached: scripts and QR codes name it")}
	}
	base := strings.TrimRight(public, "/")
	pages := &site.Site{Store: st, Base: base, Assets: &site.Assets{FS: server.Assets()}, Reports: base + "/tell"}
	export := func() error {
		done, err := pages.Export(c.Context(), folder)
		said := fmt.Sprintf("%s: %s, %d of them written, %d removed", folder, wording.Count(done.Files, "file"), done.Written, done.Removed)
		if err != nil {
			return fmt.Errorf("%s; then: %w", said, err)
		}
		fmt.Fprintln(c.OutOrStdout(), said)
		return nil
	}
	if follow {
		return followSite(c.Context(), st, export)
	}
	return export()
}

const (
	// togetherWithin is how long is waited for what changes at once after a change.
	togetherWithin = time.Second
	// exportAgain is when an export that failed is tried again.
	exportAgain = 10 * time.Second
)

// followSite exports at first, and after whatever changes anything public, until
// ctx ends. What fails is logged and tried again: the pages stay as they were.
func followSite(ctx context.Context, st *store.Store, export func() error) error {
	changed := make(chan struct{}, 1)
	go st.Listen(ctx, func(e store.Event) {
		if slices.Contains(server.PublicTopics, e.Topic) { // the first says that anything may have
			select {
			case changed <- struct{}{}:
			default: // it is on its way
			}
		}
	})
	var again <-chan time.Time
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-again:
		case <-changed:
			select {
			case <-time.After(togetherWithin):
			case <-ctx.Done():
				return nil
			}
		}
		again = nil
		if err := export(); err != nil && ctx.Err() == nil {
			logger().Error("the public pages could not be written; they stay as they were", "err", err, "again", exportAgain)
			again = time.After(exportAgain)
		}
	}
}
