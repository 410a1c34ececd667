package store_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"roster/core/android"
	"roster/core/change"
	"roster/core/filter"
	"roster/store"
)

// words is the filter of bare words, as somebody types them.
func words(text string) filter.Node {
	var all filter.And
	for _, w := range strings.Fields(text) {
		all = append(all, filter.Word{Text: w})
	}
	return all
}

// TestFields makes sure that every field of the language comes to something:
// with one value, with as many as there may be, and with the longest.
func TestFields(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	for _, f := range filter.Fields {
		values := map[filter.Kind][]string{
			filter.Text: {"x"}, filter.Choice: f.Choices, filter.Ordered: f.Choices, filter.Number: {"3"}, filter.Percent: {"20%"},
			filter.Bytes: {"20MB"}, filter.Time: {"2w", "2026-01-31"},
		}[f.Kind]
		var texts []string
		for _, v := range values {
			texts = append(texts, f.Name+":"+v)
		}
		if f.Kind == filter.Text {
			texts = append(texts, f.Name+":"+strings.Repeat("a,", 49)+"a", f.Name+`:"`+strings.Repeat("ä%_", 400)+`"`, "not "+f.Name+":x")
		}
		if f.Kind == filter.Ordered || f.Kind == filter.Number || f.Kind == filter.Percent || f.Kind == filter.Bytes || f.Kind == filter.Time {
			texts = append(texts, f.Name+">"+values[0], f.Name+"<="+values[0])
		}
		for _, text := range texts {
			n, err := filter.Parse(text, time.Now())
			if err != nil {
				t.Errorf("%.60s: %v", text, err)
				continue
			}
			if _, _, _, err := w.Ledger(w.ctx, store.LedgerQuery{Filter: n, Limit: 10}); err != nil {
				t.Errorf("%.60s: %v", text, err)
			}
		}
	}
}

// TestFilters asks for each field of the language, and for what must come to
// nothing.
func TestFilters(t *testing.T) {
	t.Parallel()
	w := newWorld(t) // p000 to p004 on Lyra 5 14.1.0
	next := capture("14.2.0", 2)
	next.Packages[0].Path = "/system/app/P"
	next.Phone.Roles = []android.Role{{Name: "HOME", Holders: []android.PackageName{"com.brannock.p001"}}}
	w.take(next, "phone-2")
	w.accept("tech",
		w.edit("com.brannock.p000", change.Load, everywhere, `{"load":"loose","conditions":[]}`), w.edit("com.brannock.p001", change.Load, everywhere, `{"load":"load-bearing","conditions":[]}`),
		w.edit("com.brannock.p002", change.Labels, everywhere, `{"en":"Camera","de":"Kamera"}`), w.edit("com.brannock.p002", change.Aliases, everywhere, `["snapper"]`),
		w.edit("com.brannock.p003", change.Functions, everywhere, `["payments"]`), w.edit("com.brannock.p003", change.Origin, everywhere, `"partner"`))
	for i := range 3 {
		w.accept("tech", w.trial("com.brannock.p000", fmt.Sprintf("%024x", i), "clean"))
	}
	w.accept("tech", w.trial("com.brannock.p004", fmt.Sprintf("%024x", 9), "fault"))
	for text, want := range map[string]string{
		"":                            "01234",
		"camra":                       "2",
		"kamra":                       "2",
		`"camra"`:                     "",
		"label:kam":                   "2",
		"label:snap":                  "",
		"alias:snap":                  "2",
		"name:p00 not name:p003,p004": "012",
		"load:loose":                  "0",
		"load:loose,load-bearing":     "01",
		"load>=leaned-on":             "14",
		"load<loose":                  "23",
		"trials>=3":                   "0",
		"graded:yes":                  "01",
		"graded:no builds<2":          "234",
		"trials:0":                    "123",
		"ceiling<99%":                 "0",
		"standing:untried":            "123",
		"standing>untried":            "04",
		"outcome:fault":               "4",
		"outcome:clean,fault":         "04",
		"method:disable":              "",
		"back:never":                  "04",
		"back:restart":                "",
		"origin:partner":              "3",
		"origin:maker,partner":        "01234",
		"function:payments":           "3",
		"role:home":                   "1",
		"role:dialer":                 "",
		"maker:brann model:lyra":      "01234",
		"build:14.2":                  "01",
		"not build:14.2":              "234",
		"changed:1d":                  "01234",
		"changed<2020-01-01":          "",
		"in:nothing":                  "",
		"(outcome:fault or load:loose) not trials:1": "0",
		`name:"'; drop table packages; --"`:          "",
		`name:%`:                                     "",
		`name:_`:                                     "",
	} {
		n, err := filter.Parse(text, time.Now())
		if err != nil {
			t.Fatalf("%s: %v", text, err)
		}
		rows, found, total, err := w.Ledger(w.ctx, store.LedgerQuery{Scope: w.scope(""), Method: "remove-for-user", Filter: n, Group: "none", Limit: 100})
		got := ""
		for _, r := range rows {
			got += r.Name[len(r.Name)-1:]
		}
		if err != nil || got != want || found != len(want) || total != 5 {
			t.Errorf("%s: %q of %d and %d, want %q (%v)", text, got, found, total, want, err)
		}
	}
}

// TestOrders groups and sorts in every way, page by page.
func TestOrders(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.accept("tech", w.edit("com.brannock.p003", change.Load, everywhere, `{"load":"load-bearing","conditions":[]}`), w.edit("com.brannock.p001", change.Load, everywhere, `{"load":"loose","conditions":[]}`),
		w.edit("com.brannock.p004", change.Functions, everywhere, `["calls"]`), w.edit("com.brannock.p002", change.Origin, everywhere, `"carrier"`))
	w.accept("tech", w.trial("com.brannock.p000", fmt.Sprintf("%024x", 1), "clean"))
	w.accept("tech", w.trial("com.brannock.p000", fmt.Sprintf("%024x", 2), "clean"), w.trial("com.brannock.p001", fmt.Sprintf("%024x", 3), "clean"))
	for order, want := range map[string]string{
		"none name": "01234", "none load": "31024", "none trials": "01234", "none ceiling": "01234", "origin name": "01342", "load name": "31024", "function name": "40123",
		"namespace name": "01234", "maker name": "01234", "none builds": "01234", "none newest": "01234", "none standing": "01234", "load trials": "31024",
	} {
		group, sort, _ := strings.Cut(order, " ")
		q := store.LedgerQuery{Scope: w.scope(""), Method: "remove-for-user", Group: group, Sort: sort, Limit: 2}
		got := ""
		for range 4 {
			rows, found, _, err := w.Ledger(w.ctx, q)
			if err != nil || len(rows) > 0 && found != 5 {
				t.Fatalf("%s: %d, %v", order, found, err)
			}
			for _, r := range rows {
				got += r.Name[len(r.Name)-1:]
				q.After = &store.LedgerCursor{Group: r.Group, Order: r.Order, Name: r.Name}
			}
		}
		if got != want {
			t.Errorf("%s: %s, want %s", order, got, want)
		}
	}
	if _, _, _, err := w.Ledger(w.ctx, store.LedgerQuery{Scope: w.scope(""), Method: "remove-for-user", Group: "'; --", Limit: 2}); err == nil {
		t.Error("a group that there is not")
	}
}
