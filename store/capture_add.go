package store

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"strconv"
	"sync"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/catalog"
)

// NewCapture is a capture on its way into the store.
type NewCapture struct {
	Capture *android.Capture
	// Phone is the keyed hash of the serial number, "" where unknown.
	Phone  string
	Person uuid.UUID
	// Source is "bench" or "file"; Bench is which one, nil for files.
	Source string
	Bench  *uuid.UUID
	// At is when the phone said it, zero for now.
	At time.Time
}

// CaptureSummary says what became of a capture.
type CaptureSummary struct {
	ID uuid.UUID `db:"id" json:"id"`
	Recognised
	BuildID  uuid.UUID `json:"buildId"`
	Packages int       `json:"packages"`
	// NewPackages were never seen on any phone before.
	NewPackages []string `json:"newPackages"`
	// Known is true where exactly this capture was stored before: then
	// nothing was written.
	Known bool `json:"known"`
}

// detail is the part of a package's facts that no query sorts or filters by.
type detail struct {
	MinSDK        int                  `json:"minSdk,omitempty"`
	TargetSDK     int                  `json:"targetSdk,omitempty"`
	Declares      []android.Declared   `json:"declares,omitempty"`
	Requests      []string             `json:"requests,omitempty"`
	Provides      []string             `json:"provides,omitempty"`
	Uses          []android.LibraryUse `json:"uses,omitempty"`
	OverlayTarget string               `json:"overlayTarget,omitempty"`
	Signer        string               `json:"signer,omitempty"`
}

// row is a package of the capture with its identities; pkg is zero until the
// facts are known to be in the store.
type row struct {
	p     *android.Package
	pkg   uuid.UUID
	facts uuid.UUID
	// alike is whether the capture's build is known to ship it with these facts.
	alike bool
	// known is what was known of its icon on that build, told what the capture
	// says; nil for nothing.
	known, told *bool
	// place is where its sizes stand among those of the capture, from one.
	place int
}

// AddCapture stores a capture whole or not at all. The same capture twice is
// one. One more of a firmware that is known, and that tells nothing new of it,
// leaves alone what was worked out.
func (s *Store) AddCapture(ctx context.Context, n NewCapture) (CaptureSummary, error) {
	rows, digest := prepare(n)
	var sum CaptureSummary
	var news bool
	err := s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		sum = CaptureSummary{ID: NewID(), Packages: len(rows), NewPackages: []string{}}
		var err error
		if n.At.IsZero() {
			err = tx.QueryRow(ctx, `select now()`).Scan(&n.At)
		}
		if err != nil {
			return err
		}
		if sum.BuildID, sum.Recognised, err = ensureBuild(ctx, tx, n.Capture.Identity, n.At); err != nil {
			return err
		}
		told, err := tellByInventory(ctx, tx, rows, &sum)
		if err != nil {
			return err
		}
		if len(told.unknown) > 0 {
			if err := addPackages(ctx, tx, n, told.unknown, &sum); err != nil {
				return err
			}
		}
		told.compare(sum.ID)
		if sum.Known, err = insertCapture(ctx, tx, n, &sum, told, digest); err != nil || sum.Known {
			return err
		}
		if err := told.write(ctx, tx, sum.ID); err != nil {
			return err
		}
		if err := addHolders(ctx, tx, n.Capture.Phone); err != nil {
			return err
		}
		ships, err := addPresence(ctx, tx, rows, &sum)
		if err != nil {
			return err
		}
		if news, err = tellsNews(ctx, tx, sum, ships); err != nil {
			return err
		}
		if err := notify(ctx, tx, Event{Topic: CapturesChanged}); err != nil {
			return err
		}
		// How many phones are known of it is counted later, in any case.
		_, err = tx.Exec(ctx, `
			update models set cover_stale = true
			where id = (select model_id from builds where id = $1) and not cover_stale`, sum.BuildID)
		return err
	})
	if err != nil || !news {
		return sum, err
	}
	// In a transaction of its own: it waits for others of this model, and can
	// be made good later.
	if err := s.workOut(ctx, sum.BuildID); err != nil {
		return sum, fmt.Errorf("the capture is stored; working out what it means for what was published: %w", err)
	}
	return sum, nil
}

// tellsNews reports whether a stored capture changes what is known of its
// build, and if so marks how releases stand on it as to be made anew: it ships
// something that was not known, something came back to the phone, the capture
// stands for the build from now on, see standingCapture, or what an earlier one
// told was never worked out.
func tellsNews(ctx context.Context, tx pgx.Tx, sum CaptureSummary, ships bool) (bool, error) {
	var stands, seenBefore, open bool
	err := tx.QueryRow(ctx, `
		select not exists (select from captures e
				where e.build_id = c.build_id and (e.taken_at, e.id) < (c.taken_at, c.id)
					and (e.phone_facts ? 'roles' or e.phone_facts ? 'keyboards', e.complete)
						>= (c.phone_facts ? 'roles' or c.phone_facts ? 'keyboards', c.complete)),
			c.phone <> '' and (
				exists (select from captures e where e.phone = c.phone and e.build_id <> c.build_id)
				or exists (select from runs r where r.phone = c.phone)),
			not exists (select from arrivals a where a.build_id = c.build_id and a.made_from = $2)
		from captures c
		where c.id = $1`, sum.ID, firmwareVersion).Scan(&stands, &seenBefore, &open)
	if err != nil {
		return false, err
	}
	back := 0
	if seenBefore {
		if back, err = addCameBack(ctx, tx, []uuid.UUID{sum.ID}); err != nil {
			return false, err
		}
	}
	if !ships && back == 0 && !stands && !open {
		return false, nil
	}
	_, err = tx.Exec(ctx, `update holds set made_from = '' where build_id = $1`, sum.BuildID)
	return true, err
}

// workOut works out what is known of a build's model, after a capture brought
// something new.
func (s *Store) workOut(ctx context.Context, build uuid.UUID) error {
	var model uuid.UUID
	if err := s.pool.QueryRow(ctx, `select model_id from builds where id = $1`, build).Scan(&model); err != nil {
		return err
	}
	// The net is read while the build is compared, on a connection that is had before
	// the transaction begins: so nobody who waits for it waits for another one. What it
	// comes to is kept; where it failed it is read again.
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	var net sync.WaitGroup
	net.Go(func() {
		defer conn.Release()
		_, _ = s.nets(ctx, conn, []uuid.UUID{build})
	})
	defer net.Wait()
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		models := []uuid.UUID{model}
		if _, err := tx.Exec(ctx, `select from models where id = $1 for no key update`, model); err != nil {
			return err
		}
		arrived, err := freshenArrivals(ctx, tx, models)
		if err != nil {
			return err
		}
		net.Wait()
		if err := s.freshenResting(ctx, tx, models); err != nil {
			return err
		}
		if err := s.freshenHolds(ctx, tx, models); err != nil {
			return err
		}
		if err := tellArrived(ctx, tx, arrived); err != nil {
			return err
		}
		return notify(ctx, tx, Event{Topic: CapturesChanged})
	})
}

// prepare gives each package the identity of its facts and the capture its
// own digest.
func prepare(n NewCapture) ([]row, []byte) {
	c := n.Capture
	rows := make([]row, len(c.Packages))
	whole := sha256.New()
	fmt.Fprintf(whole, "%s\n%s\n%t\n", c.Identity.Fingerprint, n.Phone, c.Complete)
	if err := json.NewEncoder(whole).Encode(c.Phone); err != nil {
		panic(err) // strings and lists of them always encode
	}
	var buf []byte
	for i := range c.Packages {
		p := &c.Packages[i]
		buf = appendFacts(buf[:0], p)
		sum := sha256.Sum256(buf)
		rows[i] = row{p: p, facts: uuid.UUID(sum[:16])}
		buf = append(append(buf[:0], sum[:]...), p.Enabled...)
		buf = append(strconv.AppendBool(append(buf, ' '), p.Installed), '\n')
		whole.Write(buf)
	}
	tellIcons(rows, c.Phone.Icons)
	return rows, whole.Sum(nil)
}

// appendFacts writes everything that the facts table keeps of a package, each
// part ended so that no two packages read alike.
func appendFacts(b []byte, p *android.Package) []byte {
	text := func(list ...string) {
		for _, s := range list {
			b = append(append(b, s...), 0)
		}
		b = append(b, 1)
	}
	number := func(list ...int64) {
		for _, n := range list {
			b = append(strconv.AppendInt(b, n, 10), 0)
		}
	}
	text(string(p.Name), p.VersionName, imagePath(p), p.Partition, p.SharedUser, p.OverlayTarget, p.Signer)
	number(p.VersionCode, int64(p.MinSDK), int64(p.TargetSDK))
	for _, flag := range []bool{p.System, p.Privileged, p.Persistent, p.StartsAtBoot} {
		b = strconv.AppendBool(b, flag)
	}
	text(p.Requests...)
	text(p.Provides...)
	for _, d := range p.Declares {
		text(d.Name, d.Protection)
	}
	b = append(b, 2)
	for _, u := range p.Uses {
		text(u.Name, u.Kind)
	}
	return b
}

// imagePath is where a package lies, without the random folder names of the
// owner's partition, which differ on every phone.
func imagePath(p *android.Package) string {
	switch {
	case p.SystemPath != "":
		return p.SystemPath
	case p.Partition == "data":
		return "/data/app"
	}
	return p.Path
}

// insertCapture writes the capture's own row, unless it was stored before: then
// sum gets that one's id.
func insertCapture(ctx context.Context, tx pgx.Tx, n NewCapture, sum *CaptureSummary, told *telling, digest []byte) (known bool, err error) {
	reports, err := json.Marshal(n.Capture.Reports)
	if err != nil {
		return false, err
	}
	facts, err := json.Marshal(n.Capture.Phone)
	if err != nil {
		return false, err
	}
	sizes := told.sizes()
	tag, err := tx.Exec(ctx, `
		insert into captures (id, build_id, phone, person_id, source, complete, missing, reports, digest,
			bench_id, phone_facts, taken_at, inventory_id, app_bytes, data_bytes, cache_bytes)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16) on conflict (digest) do nothing`,
		sum.ID, sum.BuildID, n.Phone, n.Person, n.Source, n.Capture.Complete, n.Capture.Missing, reports, digest, n.Bench, facts, n.At,
		told.inventory, sizes[0], sizes[1], sizes[2])
	if err != nil || tag.RowsAffected() > 0 {
		return false, err
	}
	return true, tx.QueryRow(ctx, `select id from captures where digest = $1`, digest).Scan(&sum.ID)
}

// identify fills in the packages' ids from the facts that are in the store, and
// whether the build is known to ship them with these, and what is known of their
// icons there. It returns those whose facts are not there yet.
func identify(ctx context.Context, tx pgx.Tx, rows []*row, build uuid.UUID) (unknown []*row, err error) {
	facts := make([]uuid.UUID, len(rows))
	for i, r := range rows {
		facts[i] = r.facts
	}
	// Joined with unnest they are looked up by index, whatever the planner
	// thinks of the table's size.
	r, err := tx.Query(ctx, `
		select f.id, f.package_id, coalesce(x.facts_id = f.id, false), x.icon
		from unnest($1::uuid[]) as wanted (id)
		join facts f using (id)
		left join presence x on x.build_id = $2 and x.package_id = f.package_id`, facts, build)
	if err != nil {
		return nil, err
	}
	known := make(map[uuid.UUID]row, len(rows))
	var id uuid.UUID
	var found row
	if _, err := pgx.ForEachRow(r, []any{&id, &found.pkg, &found.alike, &found.known}, func() error { known[id] = found; return nil }); err != nil {
		return nil, err
	}
	for _, r := range rows {
		k, ok := known[r.facts]
		if r.pkg, r.alike, r.known = k.pkg, k.alike, k.known; !ok {
			unknown = append(unknown, r)
		}
	}
	return unknown, nil
}

// addPackages adds the packages and facts that are new, under the catalogue's
// lock: another capture may have brought them a moment ago.
func addPackages(ctx context.Context, tx pgx.Tx, n NewCapture, rows []*row, sum *CaptureSummary) error {
	if err := lockCatalogue(ctx, tx); err != nil {
		return err
	}
	facts, err := identify(ctx, tx, rows, sum.BuildID)
	if err != nil || len(facts) == 0 {
		return err
	}
	names := make([]string, len(facts))
	for i, r := range facts {
		names[i] = string(r.p.Name)
	}
	r, err := tx.Query(ctx, `
		select p.name, p.id from unnest($1::text[]) as wanted (name) join packages p using (name)`, names)
	if err != nil {
		return err
	}
	known := make(map[string]uuid.UUID, len(names))
	var name string
	var id uuid.UUID
	if _, err := pgx.ForEachRow(r, []any{&name, &id}, func() error { known[name] = id; return nil }); err != nil {
		return err
	}
	var fresh []*row
	for _, r := range facts {
		if r.pkg = known[string(r.p.Name)]; r.pkg == uuid.Nil {
			r.pkg = NewID()
			fresh = append(fresh, r)
			sum.NewPackages = append(sum.NewPackages, string(r.p.Name))
		}
	}
	_, err = tx.CopyFrom(ctx, pgx.Identifier{"packages"}, []string{"id", "name", "origin", "origin_reason", "first_seen"},
		pgx.CopyFromSlice(len(fresh), func(i int) ([]any, error) {
			origin, why := catalog.GuessOrigin(*fresh[i].p, n.Capture.Identity)
			return []any{fresh[i].pkg, string(fresh[i].p.Name), string(origin), why, n.At}, nil
		}))
	if err != nil {
		return err
	}
	_, err = tx.CopyFrom(ctx, pgx.Identifier{"facts"},
		[]string{"id", "package_id", "version_code", "version_name", "path", "partition", "system", "privileged", "persistent", "shared_user", "starts_at_boot", "details"},
		pgx.CopyFromSlice(len(facts), func(i int) ([]any, error) {
			p := facts[i].p
			details, err := json.Marshal(detail{p.MinSDK, p.TargetSDK, p.Declares, p.Requests, p.Provides, p.Uses, p.OverlayTarget, p.Signer})
			return []any{facts[i].facts, facts[i].pkg, p.VersionCode, p.VersionName, imagePath(p), p.Partition, p.System, p.Privileged, p.Persistent, p.SharedUser, p.StartsAtBoot, details}, err
		}))
	return err
}

// fillHolders notes who has held which role on the phones of all captures.
const fillHolders = `
	insert into role_holders
	select distinct r ->> 'name', p.id
	from captures k, jsonb_array_elements(coalesce(k.phone_facts -> 'roles', '[]')) r,
		jsonb_array_elements_text(coalesce(r -> 'holders', '[]')) h
	join packages p on p.name = h
	on conflict do nothing`

// addHolders notes who holds which role on the captured phone, for the filter.
func addHolders(ctx context.Context, tx pgx.Tx, phone android.PhoneFacts) error {
	var roles, names []string
	for _, r := range phone.Roles {
		for _, h := range r.Holders {
			roles, names = append(roles, r.Name), append(names, string(h))
		}
	}
	if len(roles) == 0 {
		return nil
	}
	_, err := tx.Exec(ctx, `
		insert into role_holders (role, package_id)
		select distinct k.role, p.id
		from unnest($1::text[], $2::text[]) k (role, name)
		join packages p using (name)
		order by 1, 2
		on conflict do nothing`, roles, names)
	return err
}

// Capture is a stored capture as a page shows it.
type Capture struct {
	ID        uuid.UUID        `db:"id" json:"id"`
	BuildID   uuid.UUID        `db:"build_id" json:"buildId"`
	Maker     string           `db:"maker" json:"maker"`
	MakerName string           `db:"maker_name" json:"makerName"`
	Model     string           `db:"model" json:"model"`
	ModelName string           `db:"model_name" json:"modelName"`
	Version   string           `db:"version" json:"version"`
	Release   string           `db:"release" json:"release"`
	Carrier   string           `db:"carrier" json:"carrier"`
	Region    string           `db:"region" json:"region"`
	Phone     string           `db:"phone" json:"phone" doc:"Keyed hash of the serial number, empty where unknown"`
	TakenAt   time.Time        `db:"taken_at" json:"takenAt"`
	Source    string           `db:"source" json:"source"`
	Complete  bool             `db:"complete" json:"complete"`
	Missing   string           `db:"missing" json:"missing"`
	Packages  int              `db:"packages" json:"packages"`
	Reports   []android.Report `db:"reports" json:"reports" nullable:"false"`
	// Gone are packages that the build ships and this phone's user has not.
	Gone []string `db:"gone" json:"gone" nullable:"false"`
	// Ungraded counts packages of the build that no person has graded here.
	Ungraded int `db:"ungraded" json:"ungraded"`
}

// Capture reads one capture.
func (s *Store) Capture(ctx context.Context, id uuid.UUID) (Capture, error) {
	rows, err := s.pool.Query(ctx, `
		select c.id, c.build_id, m.slug as maker, m.name as maker_name, d.slug as model, d.name as model_name,
			b.version, b.release, b.carrier, b.region,
			c.phone, c.taken_at, c.source, c.complete, c.missing, c.reports,
			(select count(*) from sightings where capture_id = c.id)::int as packages,
			array(select p.name from sightings x join packages p on p.id = x.package_id
				where x.capture_id = c.id and not x.installed order by p.name) as gone,
			(select count(*) from presence x where x.build_id = b.id and not exists (
				select from claims k where k.package_id = x.package_id and k.field = 'load' and k.value is not null
				and k.scope_id in ($2, m.id, d.id, b.id)))::int as ungraded
		from captures c
		join builds b on b.id = c.build_id
		join models d on d.id = b.model_id
		join makers m on m.id = d.maker_id
		where c.id = $1`, id, uuid.Nil)
	return one[Capture](rows, err)
}
