package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"github.com/tmaxmax/go-sse"

	"roster/core/android"
	"roster/core/run"
	"roster/retry"
)

// ask sends a request with a person's token and reads the answer into out.
func (r *remote) ask(ctx context.Context, method, path string, query url.Values, body, out any) error {
	answer, err := r.send(ctx, method, path, query, body)
	if err != nil {
		return err
	}
	return readAnswer(answer, out)
}

// send sends a request whose body is JSON, or none where body is nil.
func (r *remote) send(ctx context.Context, method, path string, query url.Values, body any) (*http.Response, error) {
	var reader io.Reader
	if body != nil {
		raw, err := json.Marshal(body)
		if err != nil {
			return nil, err
		}
		reader = bytes.NewReader(raw)
	}
	return r.sendBody(ctx, method, path, query, "application/json", reader)
}

func (r *remote) sendBody(ctx context.Context, method, path string, query url.Values, kind string, body io.Reader) (*http.Response, error) {
	if r.token == "" {
		return nil, usageError{errors.New("give your token in ROSTER_TOKEN; the page People makes one")}
	}
	at, err := url.JoinPath(r.server, path)
	if err != nil {
		return nil, usageError{fmt.Errorf("--server: %w", err)}
	}
	q, err := http.NewRequestWithContext(ctx, method, at+"?"+query.Encode(), body)
	if err != nil {
		return nil, usageError{fmt.Errorf("--server: %w", err)}
	}
	q.Header.Set("Content-Type", kind)
	q.Header.Set("Authorization", "Bearer "+r.token)
	return http.DefaultClient.Do(q)
}

// maxEvent bounds what a server may send in one event.
const maxEvent = 64 << 20

var errSeen = errors.New("enough was seen")

// events reads a stream of server-sent events until each says that it has seen
// enough, coming back when the connection ends.
func (r *remote) events(ctx context.Context, path string, each func(data []byte) (enough bool, err error)) error {
	err := retry.Keep(ctx, retry.Patient, func(connected func()) error {
		answer, err := r.send(ctx, http.MethodGet, path, nil, nil)
		if err != nil {
			return err
		}
		defer answer.Body.Close()
		if answer.StatusCode != http.StatusOK {
			return retry.Never(readAnswer(answer, nil))
		}
		for e, err := range sse.Read(answer.Body, &sse.ReadConfig{MaxEventSize: maxEvent}) {
			if err != nil {
				return err
			}
			connected()
			if enough, err := each([]byte(e.Data)); err != nil {
				return retry.Never(err)
			} else if enough {
				return retry.Never(errSeen)
			}
		}
		return nil
	}, nil)
	if errors.Is(err, errSeen) {
		return nil
	}
	return err
}

// benchPhone is a phone on a bench as the server tells it.
type benchPhone struct {
	Handle, Address, Name, Mark string
	Ready                       bool
	bench                       string
	given                       []android.PackageName // whose files its bench has
}

// phone finds the phone that is meant: by its address, its handle or its name;
// without any, the only one that is ready.
func (r *remote) phone(ctx context.Context, wanted string) (benchPhone, error) {
	var list struct {
		Items []struct {
			ID   string
			View struct {
				Phones []benchPhone
				Given  []struct{ Package android.PackageName }
			}
		}
	}
	if err := r.ask(ctx, http.MethodGet, "/api/v1/benches", nil, nil, &list); err != nil {
		return benchPhone{}, err
	}
	var found []benchPhone
	for _, b := range list.Items {
		for _, p := range b.View.Phones {
			if p.bench = b.ID; p.Ready && p.Mark != "" && (wanted == "" || wanted == p.Handle || wanted == p.Address || strings.EqualFold(wanted, p.Name)) {
				for _, g := range b.View.Given {
					p.given = append(p.given, g.Package)
				}
				found = append(found, p)
			}
		}
	}
	switch len(found) {
	case 1:
		return found[0], nil
	case 0:
		return benchPhone{}, fmt.Errorf("no phone %s is ready on any bench; roster bench phones shows those of this computer", strconv.Quote(wanted))
	}
	words := make([]string, len(found))
	for i, p := range found {
		words[i] = p.Name + " (" + p.Handle + ")"
	}
	return benchPhone{}, usageError{fmt.Errorf("say which phone with --phone: %s", strings.Join(words, ", "))}
}

// what finds what is to be run: MAKER/MODEL/EDITION[/NUMBER].
func (r *remote) what(ctx context.Context, name string, draft bool) (map[string]any, error) {
	parts := strings.Split(strings.Trim(name, "/"), "/")
	if len(parts) < 3 || len(parts) > 4 {
		return nil, usageError{fmt.Errorf("%q: want MAKER/MODEL/EDITION or MAKER/MODEL/EDITION/NUMBER", name)}
	}
	number := 0
	if len(parts) == 4 {
		var err error
		if number, err = strconv.Atoi(parts[3]); err != nil || number < 1 {
			return nil, usageError{fmt.Errorf("%q is no number of a release", parts[3])}
		}
	}
	query, path := url.Values{"maker": {parts[0]}, "model": {parts[1]}}, "/api/v1/releases"
	if draft {
		path = "/api/v1/profiles"
	}
	var list struct {
		Items []struct {
			ID, Edition, Slug, State string
			Number                   int
		}
	}
	if err := r.ask(ctx, http.MethodGet, path, query, nil, &list); err != nil {
		return nil, err
	}
	for _, one := range list.Items {
		switch {
		case draft && one.Slug == parts[2]:
			return map[string]any{"profile": one.ID}, nil
		case !draft && one.Edition == parts[2] && (one.Number == number || number == 0 && one.State == "current"):
			return map[string]any{"release": one.ID}, nil
		}
	}
	return nil, fmt.Errorf("there is no such %s: %s", map[bool]string{true: "profile", false: "release that is current"}[draft], name)
}

// job waits for a bench to do what it was asked, and returns what came of it.
func (r *remote) job(ctx context.Context, id string) (result json.RawMessage, err error) {
	err = r.events(ctx, "/api/v1/jobs/"+id+"/events", func(data []byte) (bool, error) {
		var j struct {
			State, Problem string
			Result         json.RawMessage
		}
		if err := json.Unmarshal(data, &j); err != nil {
			return false, err
		}
		result = j.Result
		switch j.State {
		case "done":
			return true, nil
		case "failed", "cancelled":
			return true, errors.New(printableLines(j.Problem))
		}
		return false, nil
	})
	return result, err
}

func runCommand() *cobra.Command {
	var to remote
	var phone string
	var rehearse, draft, asJSON, root, unmeasured bool
	choices := run.Choices{Leave: []android.PackageName{}, Off: []android.PackageName{}, Keep: []string{}, Without: []int{}, Seen: []int{}}
	var leave, off, quiet, user, data, files []string
	c := &cobra.Command{
		Use:   "run RELEASE",
		Short: "Run a release on a phone of a bench; with --rehearse say what it would do",
		Long: `Captures the phone, rehearses the release against it and, unless --rehearse is given, runs it.
Every step is written down by the server before the bench sends it: whatever breaks in between,
the run can be continued or put back. Exit code: 0 all went well, 1 it can't be run, or something
was refused or interrupted, 2 used wrongly.`,
		Example: `  roster bench run brannock/lyra-5/short-loan --phone "Lyra 5" --rehearse
  roster bench run brannock/lyra-5/short-loan/3 --phone 192.0.2.7:5555 --keep payments
  roster bench run brannock/lyra-5/ward-phone --file base.apk --file split_config.en.apk
  roster bench run brannock/lyra-5/workshop-phone --root --for-user com.brannock.tips`,
		Args: wantArgs(1, 1, "a release: MAKER/MODEL/EDITION[/NUMBER]"),
		RunE: func(c *cobra.Command, args []string) error {
			choices.Leave, choices.Off, choices.Quiet = packagesOf(leave), packagesOf(off), packagesOf(quiet)
			choices.User, choices.WithData = packagesOf(user), packagesOf(data)
			choices.Measure = !unmeasured
			ctx, out := c.Context(), c.OutOrStdout()
			body, err := to.what(ctx, args[0], draft)
			if err != nil {
				return err
			}
			p, err := to.phone(ctx, phone)
			if err != nil {
				return err
			}
			if body["capture"], err = to.capture(ctx, p); err != nil {
				return err
			}
			if choices.Given, err = to.give(ctx, c.ErrOrStderr(), p, files); err != nil {
				return err
			}
			if root {
				if body["root"], err = to.askForRoot(ctx, c.ErrOrStderr(), p, body); err != nil {
					return err
				}
			}
			body["choices"] = choices
			var r run.Rehearsal
			if err := to.ask(ctx, http.MethodPost, "/api/v1/rehearsals", nil, body, &r); err != nil {
				return err
			}
			if err := tellRehearsal(out, r, rehearse, asJSON); err != nil || rehearse {
				return err
			}
			body["bench"], body["phone"] = p.bench, p.Handle
			var made struct{ ID string }
			if err := to.ask(ctx, http.MethodPost, "/api/v1/runs", nil, body, &made); err != nil {
				return err
			}
			return to.follow(ctx, out, made.ID, map[int]run.State{})
		},
	}
	to.flags(c)
	f := c.Flags()
	f.StringVar(&phone, "phone", "", "the phone: its address, its name or its handle on the Bench page")
	f.BoolVar(&rehearse, "rehearse", false, "change nothing: say what would be done")
	f.BoolVar(&asJSON, "json", false, "with --rehearse: print the rehearsal as JSON")
	f.BoolVar(&draft, "draft", false, "run the profile as it is now, not a release of it")
	f.StringArrayVar(&leave, "leave", nil, "a package that stays on this phone; may be given several times")
	f.StringArrayVar(&off, "switch-off", nil, "a package that is switched off instead of removed")
	f.StringArrayVar(&quiet, "make-quiet", nil, "a package that stays and is made quiet instead")
	f.BoolVar(&root, "root", false, "ask the phone, and whoever holds it, for root: for releases that take packages out of the image")
	f.StringArrayVar(&user, "for-user", nil, "a package that is removed for the user instead of taken out of the image")
	f.StringArrayVar(&data, "with-data", nil, "a package whose data goes, too, when it is taken out of the image")
	f.StringArrayVar(&files, "file", nil, "a package file that the release puts in: the phone's bench is given it, and keeps it")
	f.StringArrayVar(&choices.Keep, "keep", []string{}, "a function that the phone's owner uses, such as payments")
	f.IntSliceVar(&choices.Without, "without", []int{}, "numbers of other steps that are left out")
	f.IntSliceVar(&choices.Seen, "seen", []int{}, "numbers of steps before the removal that you saw to")
	f.BoolVar(&unmeasured, "no-measure", false, "do not measure what the phone uses before and after, which takes a restart more")
	f.BoolVar(&choices.NoRestart, "no-restart", false, "do not restart the phone at the end")
	f.BoolVar(&choices.Anyway, "anyway", false, "run it on a firmware of the model that it was not made for")
	return c
}

// packagesOf are names as somebody typed them; the server parses them.
func packagesOf(names []string) []android.PackageName {
	list := make([]android.PackageName, len(names))
	for i, name := range names {
		list[i] = android.PackageName(name)
	}
	return list
}

// askForRoot has the bench ask a phone for root and returns the job that tells what
// came of it.
func (r *remote) askForRoot(ctx context.Context, say io.Writer, p benchPhone, of map[string]any) (string, error) {
	body := map[string]any{}
	for _, key := range []string{"release", "profile"} {
		if of[key] != nil {
			body[key] = of[key]
		}
	}
	fmt.Fprintln(say, "Asking the phone for root: answer on its screen.")
	var asked struct{ ID string }
	if err := r.ask(ctx, http.MethodPost, "/api/v1/benches/"+p.bench+"/phones/"+p.Handle+"/root", nil, body, &asked); err != nil {
		return "", err
	}
	_, err := r.job(ctx, asked.ID)
	return asked.ID, err
}

// capture takes a fresh capture of a phone and returns its id.
func (r *remote) capture(ctx context.Context, p benchPhone) (string, error) {
	var asked struct{ ID string }
	if err := r.ask(ctx, http.MethodPost, "/api/v1/benches/"+p.bench+"/requests", nil, map[string]string{"kind": "capture", "phone": p.Handle}, &asked); err != nil {
		return "", err
	}
	result, err := r.job(ctx, asked.ID)
	if err != nil {
		return "", err
	}
	var capture struct{ ID string }
	return capture.ID, json.Unmarshal(result, &capture)
}

// tellRehearsal prints a rehearsal; it fails where it can't be run so.
func tellRehearsal(out io.Writer, r run.Rehearsal, whole, asJSON bool) error {
	if asJSON {
		e := json.NewEncoder(out)
		e.SetIndent("", "  ")
		if err := e.Encode(r); err != nil {
			return err
		}
	} else {
		if whole {
			for _, row := range r.Rows {
				name := string(row.Package)
				if row.Kind != "remove" {
					name = row.Text
				}
				fmt.Fprintln(out, strings.TrimRight(fmt.Sprintf("%3d  %-8s %s  %s", row.Number, row.Would, android.Printable(name, 200), row.Why), " "))
			}
			for _, q := range r.Questions {
				fmt.Fprintf(out, "ask the owner: %s (--keep %s)\n", q.Asks, q.Function)
			}
		}
		fmt.Fprintf(out, "%s; %d would go, %d would stay and be made quiet, %d gone already, "+
			"%d not on this phone, %d it will probably refuse, %d left out\n",
			r.FitWhy, r.Count.Goes, r.Count.Quietens, r.Count.Already, r.Count.Absent, r.Count.Refuses, r.Count.LeftOut)
	}
	if len(r.Stops) > 0 {
		return errors.New(printableLines("nothing was done: " + run.StopWords(r.Stops)))
	}
	return nil
}

// runOf finds a run by its number, or the last one of a phone, and how each of
// its steps stands.
func (r *remote) runOf(ctx context.Context, args []string, phone string) (id string, steps map[int]run.State, err error) {
	query := url.Values{"limit": {"1"}}
	if len(args) > 0 {
		n, err := strconv.ParseInt(args[0], 10, 64)
		if err != nil || n < 1 {
			return "", nil, usageError{fmt.Errorf("%q is no number of a run", args[0])}
		}
		query.Set("before", strconv.FormatInt(n+1, 10))
	} else {
		p, err := r.phone(ctx, phone)
		if err != nil {
			return "", nil, err
		}
		query.Set("phone", p.Mark)
	}
	var list struct {
		Items []struct {
			ID     string
			Number int64
		}
	}
	if err := r.ask(ctx, http.MethodGet, "/api/v1/runs", query, nil, &list); err != nil {
		return "", nil, err
	}
	if len(list.Items) == 0 || len(args) > 0 && strconv.FormatInt(list.Items[0].Number, 10) != args[0] {
		return "", nil, errors.New("there is no such run")
	}
	var f followed
	if err := r.ask(ctx, http.MethodGet, "/api/v1/runs/"+list.Items[0].ID, nil, nil, &f); err != nil {
		return "", nil, err
	}
	steps = map[int]run.State{}
	for _, s := range f.Steps {
		steps[s.Number] = s.State
	}
	return f.Run.ID, steps, nil
}

func continueCommand() *cobra.Command {
	var to remote
	var phone string
	c := &cobra.Command{
		Use:     "continue [RUN]",
		Short:   "Go on with a run that was interrupted, stopped or held",
		Example: "  roster bench continue 12\n  roster bench continue --phone \"Lyra 5\"",
		Args:    wantArgs(0, 1, "at most the number of a run"),
		RunE: func(c *cobra.Command, args []string) error {
			id, before, err := to.runOf(c.Context(), args, phone)
			if err == nil {
				err = to.ask(c.Context(), http.MethodPost, "/api/v1/runs/"+id+"/continue", nil, nil, nil)
			}
			if err != nil {
				return err
			}
			return to.follow(c.Context(), c.OutOrStdout(), id, before)
		},
	}
	to.flags(c)
	c.Flags().StringVar(&phone, "phone", "", "the phone whose last run is meant, where no number is given")
	return c
}

func putBackCommand() *cobra.Command {
	var to remote
	var phone string
	var names []string
	c := &cobra.Command{
		Use:     "put-back [RUN]",
		Short:   "Put back what a run changed, the last change first",
		Example: "  roster bench put-back 12\n  roster bench put-back 12 --package com.brannock.notes",
		Args:    wantArgs(0, 1, "at most the number of a run"),
		RunE: func(c *cobra.Command, args []string) error {
			id, before, err := to.runOf(c.Context(), args, phone)
			if err == nil {
				body := map[string]any{}
				if len(names) > 0 {
					body["packages"] = names
				}
				err = to.ask(c.Context(), http.MethodPost, "/api/v1/runs/"+id+"/put-back", nil, body, nil)
			}
			if err != nil {
				return err
			}
			return to.follow(c.Context(), c.OutOrStdout(), id, before)
		},
	}
	to.flags(c)
	c.Flags().StringVar(&phone, "phone", "", "the phone whose last run is meant, where no number is given")
	c.Flags().StringArrayVar(&names, "package", nil, "put back this package alone; may be given several times")
	return c
}
