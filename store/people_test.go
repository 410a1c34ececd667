package store_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"roster/core/change"
	"roster/store"
)

// What stays of a person who leaves, under a pseudonym, and what goes: one line
// for every column that names a person. Whoever adds one decides here.
var (
	ofWhatTheyDid = []string{
		"approvals.person_id", "asked.asked_by", "backups.deleted_by", "backups.person_id", "benches.created_by", "benches.person_id", "captures.person_id", "changes.author_id", "claims.set_by", "comments.person_id",
		"desk_handed.from_id", "edits.decided_by", "edits.settled_by", "history.accepted_by", "history.author_id", "invitations.created_by", "invitations.used_by", "jobs.person_id", "lifts.person_id",
		"mappings.person_id", "notices.by_id", "password_links.created_by", "profiles.changed_by", "publications.asked_by", "publications.decided_by", "releases.asked_by", "releases.published_by", "releases.withdrawn_by", "report_notes.person_id", "reports.decided_by",
		"measurements.person_id", "run_checks.answered_by", "runs.person_id", "signing_keys.made_by", "signing_keys.retired_by",
		"sources.person_id", "trials.person_id", "webhooks.created_by", "wanted_trials.asked_by", "wanted_trials.closed_by",
	}
	theirOwn = map[string]string{ // column: the rows that go, beside being theirs
		"answered.person_id": "true", "asked.person_id": "true", "attachments.person_id": "not used", "challenges.person_id": "true", "passkeys.person_id": "true", "desk_handed.to_id": "true", "desk_put_off.person_id": "true", "edits.author_id": "change_id is null",
		"drafts.person_id": "true", "follows.person_id": "true", "looks.person_id": "true", "identities.person_id": "true", "notices.person_id": "true", "password_links.person_id": "true", "saved_views.person_id": "not shared", "sessions.person_id": "true", "sign_in_places.person_id": "true",
		"tokens.person_id": "revoked_at is null",
	}
)

// TestLeaving removes a person who has one of everything.
func TestLeaving(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	gone, keeper := w.people["rev"].ID, w.people["main"].ID
	w.must(w.SetRole(w.ctx, keeper, keeper, "keeper"))
	id, _ := w.send("tech", w.edit("com.brannock.p001", change.Load, everywhere, `{"load":"loose"}`))
	own, _, err := w.AddEdits(w.ctx, gone, []store.NewEdit{w.edit("com.brannock.p002", change.Load, everywhere, `{"load":"loose"}`), w.edit("com.brannock.p003", change.Load, everywhere, `{"load":"loose"}`)})
	w.must(err)
	_, err = w.Send(w.ctx, gone, store.Sending{Key: "k", Title: "x", Edits: own[:1]})
	w.must(err)
	for _, shared := range []bool{true, false} {
		_, err = w.SaveView(w.ctx, gone, fmt.Sprint("shared ", shared), shared, store.LedgerView{})
		w.must(err)
	}
	_, err = w.AddAttachment(w.ctx, gone, "x.txt", "text/plain", []byte("x"))
	w.must(err)
	_, err = w.AddToken(w.ctx, gone, "x", []string{"read"}, []byte("t"), time.Now().Add(time.Hour))
	w.must(err)
	line := "told:" + store.NewID().String()
	w.must(w.StartSession(w.ctx, []byte("s"), gone, time.Hour, "a browser", nil))
	w.must(w.SignInWorked(w.ctx, gone, "rev", "192.0.2.1"))
	w.must(w.AddIdentity(w.ctx, store.Identity{Issuer: "https://id.example", Subject: "1"}, gone))
	w.must(w.AddPasskey(w.ctx, gone, store.Passkey{ID: []byte("k"), Name: "x", Held: []byte("{}")}))
	_, err = w.KeepChallenge(w.ctx, gone, store.MakePasskey, []byte("{}"), time.Now().Add(time.Hour))
	w.must(err)
	w.must(w.MakePasswordLink(w.ctx, gone, gone, []byte("l"), time.Now().Add(time.Hour)))
	w.must(w.MakePasswordLink(w.ctx, gone, w.people["tech"].ID, []byte("m"), time.Now().Add(time.Hour)))
	w.must(w.Look(w.ctx, gone, id, time.Now()))
	w.must(w.Ask(w.ctx, w.people["tech"].ID, id, gone, "look"))
	_, reviewed, err := w.Change(w.ctx, gone, id)
	w.must(err)
	w.must(w.SaveDecisionsDraft(w.ctx, gone, id, store.DraftDecided{Revision: 1, Decisions: []store.Decision{{Edit: reviewed[0].ID, Verdict: change.Accepted}}}))
	w.must(w.Follow(w.ctx, gone, "model", w.scope("").Model.ID))
	w.must(w.Hand(w.ctx, w.people["second"].ID, gone, line, "yours"))
	w.must(w.PutOff(w.ctx, gone, "told:decided", time.Now().Add(time.Hour)))
	w.must(w.Hand(w.ctx, gone, w.people["second"].ID, "told:"+store.NewID().String(), "mine"))

	rows, err := w.Pool().Query(w.ctx, `
		select c.conrelid::regclass || '.' || a.attname
		from pg_constraint c
		join pg_attribute a on a.attrelid = c.conrelid and a.attnum = c.conkey[1]
		where c.contype = 'f' and c.confrelid = 'people'::regclass`)
	w.must(err)
	columns, err := pgx.CollectRows(rows, pgx.RowTo[string])
	w.must(err)
	for _, column := range columns {
		if _, goes := theirOwn[column]; goes == slices.Contains(ofWhatTheyDid, column) {
			t.Errorf("%s: nobody decided whether it goes with the person", column)
		}
	}
	left := func(column, which string) (n int) {
		table, name, _ := strings.Cut(column, ".")
		w.must(w.Pool().QueryRow(w.ctx, fmt.Sprintf(`
			select count(*) from %s where %s = $1 and (%s)`, table, name, which), gone).Scan(&n))
		return n
	}
	for column, which := range theirOwn {
		if left(column, which) == 0 {
			t.Errorf("%s: there is none of it that could go", column)
		}
	}
	w.must(w.RemovePerson(w.ctx, keeper, gone))
	for column, which := range theirOwn {
		if n := left(column, which); n != 0 {
			t.Errorf("%s: %d are left", column, n)
		}
	}
	if left("saved_views.person_id", "shared") != 1 || left("edits.author_id", "change_id is not null") != 1 || left("desk_handed.from_id", "true") != 1 {
		t.Error("something went that others use")
	}
	var back int
	w.must(w.Pool().QueryRow(w.ctx, `
		select count(*) from desk_put_off where person_id = $1`, w.people["second"].ID).Scan(&back))
	if back != 0 {
		t.Error("what was handed to them is on nobody's Desk")
	}
}

// TestRulesOfBefore: rules that were set before there was another one have its
// default.
func TestRulesOfBefore(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	_, err := w.Pool().Exec(w.ctx, `
		insert into settings (key, value) values ('installation rules', $1)`, `{"idleHours": 5, "benchNetworks": []}`)
	if err != nil {
		t.Fatal(err)
	}
	if r, _, err := w.InstallationRules(w.ctx); err != nil || r.IdleHours != 5 || r.BackupDays != store.DefaultInstallationRules.BackupDays {
		t.Errorf("%+v, %v", r, err)
	}
}
