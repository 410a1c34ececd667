package demo_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"io/fs"
	"log/slog"
	"slices"
	"strings"
	"testing"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/santhosh-tekuri/jsonschema/v6"

	"roster/bench"

	"roster/core/android"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/gain"
	"roster/core/profile"
	"roster/demo"
	"roster/phone"
	"roster/store"
	"roster/store/storetest"
)

// capture reads what a stand-in of a build says, as the bench would.
func capture(t *testing.T, model, build string) (*phone.Scenario, *android.Capture) {
	t.Helper()
	s, err := phone.Of(demo.World, model, build, "SERIAL")
	if err != nil {
		t.Fatal(err)
	}
	p := phone.New(s, slog.New(slog.DiscardHandler))
	var reading android.Reading
	for _, q := range bench.Questions() {
		if err := reading.Read(q.Asking, bytes.NewReader(p.Ask(t.Context(), q.Line()))); err != nil {
			t.Fatal(err)
		}
	}
	c, err := reading.Capture()
	if err != nil {
		t.Fatal(err)
	}
	return s, c
}

// TestEveryBuildIsRead holds the readers to every stand-in: nothing is lost
// and every line is understood.
func TestEveryBuildIsRead(t *testing.T) {
	models, err := fs.Glob(demo.World, "models/*.yaml")
	if err != nil || len(models) < 2 {
		t.Fatalf("%v, %v", models, err)
	}
	seen := map[string]string{}
	for _, file := range models {
		m, err := phone.LoadModel(demo.World, file)
		if err != nil {
			t.Fatal(err)
		}
		for _, b := range m.Builds {
			s, c := capture(t, file, b.Key())
			what := m.Name + " " + b.Key()
			if !c.Complete || len(c.Packages) != len(s.Packages) || len(c.Packages) < 140 {
				t.Errorf("%s: %d packages of %d, %s", what, len(c.Packages), len(s.Packages), c.Missing)
			}
			if notes, _ := c.Notes(); len(notes) > 0 {
				t.Errorf("%s: not understood: %+v", what, notes[0])
			}
			if c.Identity.Carrier != b.Edition || c.Identity.Release != b.Release || c.Identity.MarketName != m.Name {
				t.Errorf("%s is taken for %+v", what, c.Identity)
			}
			if other, twice := seen[c.Identity.Fingerprint]; twice {
				t.Errorf("%s and %s have one fingerprint", what, other)
			}
			seen[c.Identity.Fingerprint] = what
		}
	}
}

// TestTraps finds what the sample world is there to show in what the phone
// says.
func TestTraps(t *testing.T) {
	_, before := capture(t, "models/lyra-5.yaml", "14.2.1")
	_, after := capture(t, "models/lyra-5.yaml", "15.0.0")
	_, carrier := capture(t, "models/lyra-5.yaml", "Norrwave 15.0.0")
	by := func(c *android.Capture) map[android.PackageName]android.Package {
		m := map[android.PackageName]android.Package{}
		for _, p := range c.Packages {
			m[p.Name] = p
		}
		return m
	}
	old, now, nw := by(before), by(after), by(carrier)
	users := func(library string) (n int) {
		for _, p := range after.Packages {
			for _, u := range p.Uses {
				if u.Name == library && u.Kind == "required" {
					n++
				}
			}
		}
		return n
	}
	for what, ok := range map[string]bool{
		"two rest on the accessibility service":  users("com.brannock.access.feedback") == 2 && slices.Contains(now["com.brannock.access.suite"].Provides, "com.brannock.access.feedback"),
		"a transit card rests on the wallet":     users("com.brannock.wallet.api") == 1,
		"wallet and identity share a user":       now["com.brannock.wallet.core"].SharedUser == now["com.brannock.identity"].SharedUser,
		"the retail demo ships switched off":     now["com.brannock.retaildemo"].Enabled == android.EnabledOff,
		"the update brings the health agent":     old["com.brannock.devicehealth.agent"].Name == "" && now["com.brannock.devicehealth.agent"].StartsAtBoot,
		"the update takes the survey away":       old["com.brannock.survey"].Name != "" && now["com.brannock.survey"].Name == "",
		"the carrier adds its own":               now["com.norrwave.selfcare"].Name == "" && nw["com.norrwave.selfcare"].Name != "",
		"the browser was updated from its image": now["com.brannock.browser"].Partition == "product" && strings.HasPrefix(now["com.brannock.browser"].Path, "/data/app/"),
		"an overlay names its target":            now["com.brannock.themes.night"].OverlayTarget == "com.android.systemui",
	} {
		if !ok {
			t.Errorf("the sample world lost a trap: %s", what)
		}
	}
	desk, err := phone.Load(demo.World, "phones/lyra-5-desk.yaml")
	if err != nil {
		t.Fatal(err)
	}
	if len(desk.Packages) < 140 || !slices.Contains(desk.Protected, "com.brannock.devicecare") || !slices.Contains(desk.Administrators, "com.brannock.retaildemo") || len(desk.ComesBack) == 0 {
		t.Errorf("the phone on the desk lost its traps: %d packages", len(desk.Packages))
	}
}

// refuseShortLeases has a database refuse what a server beside a slow machine's
// seeding would take for a run whose bench has fallen silent.
func refuseShortLeases(t *testing.T, address string) {
	t.Helper()
	db, err := pgx.Connect(t.Context(), address)
	if err != nil {
		t.Fatal(err)
	}
	_, err = db.Exec(t.Context(), `
		create function refuse() returns trigger language plpgsql as $$ begin
			if new.state = 'going' and new.lease < now() + interval '1 minute' then
				raise 'a run of the sample world would be taken for interrupted';
			end if;
			return new;
		end $$;
		create trigger refuse before insert or update on runs for each row execute function refuse()`)
	if err != nil {
		t.Fatal(err)
	}
	if err := db.Close(t.Context()); err != nil {
		t.Fatal(err)
	}
}

func TestSeed(t *testing.T) {
	ctx := context.Background()
	address := storetest.URL(t)
	st, err := store.New(ctx, address)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(st.Close)
	refuseShortLeases(t, address)
	in := demo.Installation{
		Store:        st,
		HashPassword: func(p string) (string, error) { return "hash of " + p, nil },
		PhoneHash:    func(serial string) string { return fmt.Sprintf("%x", sha256.Sum256([]byte(serial)))[:24] },
		Signer: func(ctx context.Context) (store.Sign, error) {
			return func([]byte, *profile.Document) (string, string, error) { return "signature", "KEY", nil }, st.AddKey(ctx, store.SigningKey{ID: "KEY", Public: "p", Sealed: []byte("s")})
		},
	}
	for range 2 { // a second start changes nothing
		if err := demo.Seed(ctx, in); err != nil {
			t.Fatal(err)
		}
	}
	for _, s := range demo.SignIns() {
		if p, hash, err := st.PasswordHash(ctx, s.Login); err != nil || p.Role != s.Role || hash != "hash of "+s.Password {
			t.Errorf("%+v: %+v, %v", s, p, err)
		}
	}
	if n, err := st.CountPeople(ctx); err != nil || n != 9 {
		t.Errorf("%d people, %v", n, err)
	}
	waiting, err := st.Changes(ctx, store.ChangeQuery{State: "sent", Limit: 50})
	if err != nil || len(waiting) != 6 {
		t.Errorf("%d changes wait, %v", len(waiting), err)
	}
	every, err := st.Changes(ctx, store.ChangeQuery{Limit: 12})
	if err != nil {
		t.Fatal(err)
	}
	states, conflicts := map[change.State]int{}, 0
	for _, c := range every {
		states[c.State]++
		_, edits, err := st.Change(ctx, uuid.Nil, c.ID)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range edits {
			if e.State == "open" && !change.Field(e.Field).Adds() && change.Merge(e.Base, e.Now, e.Value) == change.Conflict {
				conflicts++
			}
		}
		if c.State == "sent" && c.AuthorChanges < change.DefaultReviewRules.FirstChanges {
			t.Errorf("%s of %q is a newcomer", c.Author, c.Title)
		}
	}
	if conflicts != 2 || states["accepted"] != 3 || states["returned"] != 1 || states["turned-down"] != 1 || states["taken-back"] != 1 {
		t.Errorf("%d conflicts, %v", conflicts, states)
	}
	sc, err := st.FindScope(ctx, "brannock", "lyra-5", "")
	if err != nil {
		t.Fatal(err)
	}
	rows, _, total, err := st.Ledger(ctx, store.LedgerQuery{Scope: sc, Method: "remove-for-user", Limit: 1000})
	if err != nil || total < 150 {
		t.Fatalf("%d packages, %v", total, err)
	}
	loads, standings, trials := map[string]int{}, map[string]int{}, 0
	for _, r := range rows {
		loads[r.Load]++
		standings[r.Standing]++
		trials += len(strings.ReplaceAll(r.Strip, "/", ""))
		// Graded for the maker: with several makers it has to be the right one.
		if r.Name == "com.brannock.keys" && (r.Load != "load-bearing" || r.LoadScope != "maker") {
			t.Errorf("the only keyboard is %s by a grade of %q", r.Load, r.LoadScope)
		}
	}
	for _, l := range evidence.Loads {
		if loads[string(l)] == 0 {
			t.Errorf("nothing is %s: %v", l, loads)
		}
	}
	for _, s := range []evidence.Standing{evidence.Untried, evidence.Thin, evidence.Contested, evidence.Fair, evidence.Firm} {
		if standings[string(s)] == 0 {
			t.Errorf("nothing is %s: %v", s, standings)
		}
	}
	if trials < 380 {
		t.Errorf("%d trials", trials)
	}
	r, err := st.Release(ctx, "brannock", "lyra-5", "quiet-phone", 0)
	if err != nil || r.Number != 4 || r.Steps < 8 {
		t.Fatalf("%+v, %v", r.ReleaseLine, err)
	}
	releases, err := st.Releases(ctx, store.Scope{}, 100)
	if err != nil || len(releases) != 13 {
		t.Errorf("%d releases, %v", len(releases), err)
	}
	schema := releaseSchema(t)
	withdrawn, imaged := 0, 0
	for _, line := range releases {
		one, err := st.ReleaseByID(ctx, line.ID)
		if err != nil {
			t.Fatal(err)
		}
		if value, err := jsonschema.UnmarshalJSON(bytes.NewReader(one.Document)); err != nil || schema.Validate(value) != nil {
			t.Errorf("%s no. %d is none by its own schema: %v", line.Edition, line.Number, schema.Validate(value))
		}
		imaged += strings.Count(string(one.Document), `"method":"remove-from-image"`)
	}
	if imaged != 4 {
		t.Errorf("%d packages go from the image", imaged)
	}
	for _, r := range releases {
		if r.State == "withdrawn" && r.Reason != "" {
			withdrawn++
		}
	}
	if withdrawn != 1 {
		t.Errorf("%d releases are withdrawn", withdrawn)
	}
	var doc profile.Document
	if err := json.Unmarshal(r.Document, &doc); err != nil {
		t.Fatal(err)
	}
	for _, step := range doc.Removals() {
		if step.Load == evidence.LoadBearing || (step.Load == evidence.TiedIn || step.Load == evidence.Unproven) && step.Pinned == "" {
			t.Errorf("the sample release takes %s, which is %s", step.Package, step.Load)
		}
	}
	publishesGain(t, st, "short-loan")
}

// publishesGain publishes an edition once more, after its phones were measured: the
// release says what exactly its removals brought them, and what its packages take, and
// is one by its schema.
func publishesGain(t *testing.T, st *store.Store, edition string) {
	t.Helper()
	ctx := t.Context()
	newest, err := st.Release(ctx, "brannock", "lyra-5", edition, 0)
	if err != nil {
		t.Fatal(err)
	}
	of, err := st.ProfileOf(ctx, newest.ID)
	if err != nil {
		t.Fatal(err)
	}
	p, err := st.Profile(ctx, of)
	if err != nil {
		t.Fatal(err)
	}
	people := map[string]store.Person{}
	for _, login := range []string{"maintainer", "keeper"} {
		if people[login], _, err = st.PasswordHash(ctx, login); err != nil {
			t.Fatal(err)
		}
	}
	asked, err := st.AskPublication(ctx, of, p.Revision, []string{"Measured."}, "", people["maintainer"].ID)
	if err != nil {
		t.Fatal(err)
	}
	sign := func([]byte, *profile.Document) (string, string, error) { return "signature", "KEY", nil }
	if _, err := st.DecidePublication(ctx, asked, people["keeper"], store.Verdict{State: "published"}, sign); err != nil {
		t.Fatal(err)
	}
	next, err := st.Release(ctx, "brannock", "lyra-5", edition, 0)
	if err != nil || next.Number != newest.Number+1 {
		t.Fatalf("%+v, %v", next.ReleaseLine, err)
	}
	schema := releaseSchema(t)
	if value, err := jsonschema.UnmarshalJSON(bytes.NewReader(next.Document)); err != nil || schema.Validate(value) != nil {
		t.Errorf("a release with what it brought is none by its own schema: %v", schema.Validate(value))
	}
	d, err := profile.ParseDocument(next.Document)
	if err != nil {
		t.Fatal(err)
	}
	if f := d.Gain[gain.Memory]; f.Verdict != gain.Gains || f.Phones != 12 || f.People != 7 {
		t.Errorf("%+v", d.Gain)
	}
	if i := slices.IndexFunc(d.Steps, func(s profile.Step) bool { return s.Uses != nil && s.Uses.Memory > 0 && s.Uses.Phones == 45 }); i < 0 {
		t.Errorf("no step says what phones attribute to its package: %+v", d.Removals()[0])
	}
}

// releaseSchema is what releases promise to be.
func releaseSchema(t *testing.T) *jsonschema.Schema {
	t.Helper()
	v, err := jsonschema.UnmarshalJSON(bytes.NewReader(profile.Schema))
	if err != nil {
		t.Fatal(err)
	}
	c := jsonschema.NewCompiler()
	if err := c.AddResource("release.json", v); err != nil {
		t.Fatal(err)
	}
	s, err := c.Compile("release.json")
	if err != nil {
		t.Fatal(err)
	}
	return s
}
