package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/desk"
	"roster/core/wording"
)

// waitingChanges are changes that wait for a reviewer: lists from elsewhere
// apart, and those that somebody asked this person to look at.
func waitingChanges(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	type waiting struct {
		ID       uuid.UUID `db:"id"`
		Number   int64     `db:"number"`
		Title    string    `db:"title"`
		Author   string    `db:"author"`
		SentAt   time.Time `db:"sent_at"`
		Imported string    `db:"imported_from"`
		Edits    int       `db:"edits"`
		Half     int       `db:"half"`
		Touches  int       `db:"touches"`
		Ran      int       `db:"ran"`
		AskedBy  string    `db:"asked_by"`
		Words    string    `db:"words"`
	}
	ids := append(append(d.ids(desk.Change), d.ids(desk.Import)...), d.ids(desk.Asked)...)
	rows, err := q.Query(ctx, `
		with open as (
			select c.*
			from changes c
			where c.state = 'sent' and c.author_id <> $1
				and ($2 or c.id = any($3)
					or exists (select from asked q
						where q.change_id = c.id and q.person_id = $1 and q.answered_at is null))
			order by c.sent_at limit $4)
		select c.id, c.number, c.title, w.name as author, greatest(c.sent_at, n.round_at) as sent_at, c.imported_from,
			n.edits, n.half, t.touches, t.ran, coalesce(q.by, '') as asked_by, coalesce(q.words, '') as words
		from open c join people w on w.id = c.author_id
			cross
			join lateral (select count(*)::int as edits,
				(count(*) filter (where exists (select from approvals a
					where a.edit_id = e.id and a.person_id <> $1)))::int as half,
				max(e.created_at) filter (where e.round > 1) as round_at,
				array_agg(distinct e.package_id) as packages
				from edits e
				where e.change_id = c.id
				and e.state = 'open') n
			cross join lateral (
				select count(*)::int as touches,
					(select count(distinct x.phone) from runs x where x.release_id = any(array_agg(r.id)))::int as ran
				from releases r
				where r.state = 'current' and exists (select from release_packages y
					where y.release_id = r.id and y.package_id = any(n.packages) offset 0)) t
			left
			join lateral (select b.name as by, a.words
				from asked a
				join people b on b.id = a.asked_by
				where a.change_id = c.id
				and a.person_id = $1 and a.answered_at is null) q on true`,
		d.ID, d.reviews(), ids, maxDeskLines)
	list, err := collectRows[waiting](rows, err)
	lines := make([]desk.Line, len(list))
	for i, c := range list {
		l := desk.Line{Kind: desk.Change, Since: c.SentAt, To: "/review/" + c.ID.String(), Affected: c.Ran}
		l.Whom = wording.Count(c.Ran, "phone") + " ran what it touches"
		what := wording.Count(c.Edits, "edit")
		if c.Touches > 0 {
			what += ", touching " + wording.Count(c.Touches, "release")
			l.Weighs = 1.5
		}
		if c.Half > 0 {
			what += fmt.Sprintf(", %d waiting for a second reviewer", c.Half)
		}
		switch {
		case c.AskedBy != "":
			l.Kind = desk.Asked
			l.Text = fmt.Sprintf("%s asks you to look at “%s” by %s: %s.", c.AskedBy, c.Title, c.Author, what)
			if c.Words != "" {
				l.Words, l.HandedBy = c.Words, c.AskedBy
			}
		case c.Imported != "":
			l.Kind = desk.Import
			l.Text = fmt.Sprintf("The list “%s”, brought in by %s, waits for review: %s.", c.Imported, c.Author, what)
		default:
			l.Text = fmt.Sprintf("Change %d, “%s” by %s, waits for review: %s.", c.Number, c.Title, c.Author, what)
		}
		l.Key = lineKey(l.Kind, c.ID)
		lines[i] = l
	}
	return lines, err
}

// returnedToYou are the person's own changes and publications that came back
// with words, until they are sent or asked for again.
func returnedToYou(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	rows, err := q.Query(ctx, `
		(select c.id, '/review/' || c.id, c.title, coalesce(w.name, ''),
			coalesce((select e.words
				from edits e
				where e.change_id = c.id and e.state = 'returned' and e.words <> ''
				order by e.decided_at desc
				limit 1),
				''),
			coalesce(c.decided_at, c.sent_at)
		from changes c
		left
			join lateral (select p.name from edits e join people p on p.id = e.decided_by where e.change_id = c.id
				and e.state = 'returned' order by e.decided_at desc limit 1) w on true
		where c.state = 'returned' and (c.author_id = $1 or c.id = any($2)) order by c.sent_at desc limit $3)
		union all
		(select u.id, '/profiles/' || u.profile_id, d.name || ': ' || p.name, coalesce(w.name, ''), u.answer,
			u.decided_at
		from publications u
		join profiles p on p.id = u.profile_id
		join models d on d.id = p.model_id
		left join people w on w.id = u.decided_by
		where u.state = 'returned' and (u.asked_by = $1 or u.id = any($2))
			and not exists (select from publications n where n.profile_id = u.profile_id and n.asked_at > u.asked_at)
		order by u.decided_at desc
		limit $3)`,
		d.ID, d.ids(desk.Returned), maxDeskLines)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (l desk.Line, err error) {
		var id uuid.UUID
		var title, by string
		if err = row.Scan(&id, &l.To, &title, &by, &l.Words, &l.Since); err != nil {
			return l, err
		}
		l.Key, l.Kind, l.HandedBy = lineKey(desk.Returned, id), desk.Returned, by
		l.Text = fmt.Sprintf("%s returned “%s” to you.", by, title)
		return l, nil
	})
}

// waitingPublications are profiles that somebody asks a second person to sign.
func waitingPublications(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	if !d.wants(d.publishes(), desk.PublicationAsk) {
		return nil, nil
	}
	rows, err := q.Query(ctx, `
		select u.id, p.id, d.name || ': ' || p.name, w.name, u.words, u.asked_at, `+ranIt+`, m.slug, d.slug
		from publications u
		join profiles p on p.id = u.profile_id
		join models d on d.id = p.model_id
		join makers m on m.id = d.maker_id
		join people w on w.id = u.asked_by
		where u.state = 'open' and u.asked_by <> $1 and ($2 or u.id = any($3))
		order by u.asked_at
		limit $4`, d.ID, d.publishes(), d.ids(desk.PublicationAsk), maxDeskLines)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (l desk.Line, err error) {
		var id, profile uuid.UUID
		var title, by, maker, model string
		if err = row.Scan(&id, &profile, &title, &by, &l.Words, &l.Since, &l.Affected, &maker, &model); err != nil {
			return l, err
		}
		l.Key, l.Kind = lineKey(desk.PublicationAsk, id), desk.PublicationAsk
		l.To, l.Whom = address("/profiles/"+profile.String(), maker, model, ""), wording.Count(l.Affected, "phone")+" ran it"
		if l.Words != "" {
			l.HandedBy = by
		}
		l.Text = fmt.Sprintf("%s asks to publish %s: a second person signs.", by, title)
		return l, nil
	})
}

// openRuns are the person's runs that stopped in the middle.
func openRuns(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	rows, err := q.Query(ctx, `
		select r.id, r.number, r.phone_name, p.name, r.release_id is null, r.state, r.why,
			coalesce((select max(coalesce(st.ended_at, st.sent_at)) from run_steps st where st.run_id = r.id),
				r.started_at)
		from runs r join profiles p on p.id = r.profile_id
		where (r.person_id = $1 or r.id = any($2)) and r.state in ('stopped', 'held', 'interrupted')
		order by r.started_at desc
		limit $3`, d.ID, d.ids(desk.RunOpen), maxDeskLines)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (l desk.Line, err error) {
		var id uuid.UUID
		var number int64
		var phone, edition, state, why string
		var draft bool
		if err = row.Scan(&id, &number, &phone, &edition, &draft, &state, &why, &l.Since); err != nil {
			return l, err
		}
		l.Key, l.Kind, l.To, l.Affected, l.Whom = lineKey(desk.RunOpen, id), desk.RunOpen, "/bench/runs/"+id.String(), 1, "1 phone"
		how := map[string]string{"stopped": "was stopped", "held": "stopped by itself", "interrupted": "was interrupted"}[state]
		l.Text = fmt.Sprintf("Run %d of %s on %s %s: continue it, or put back.", number, edition, phone, how)
		if why != "" && state == "held" {
			l.Text += " " + strings.ToUpper(why[:1]) + why[1:] + "."
		}
		return l, nil
	})
}

// dueChecks are the person's runs whose phones were used for a week, and whose
// check lists are not finished.
func dueChecks(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	rows, err := q.Query(ctx, `
		select r.id, r.number, r.phone_name, p.name, r.ended_at + interval '7 days',
			(select count(*) from run_checks c where c.run_id = r.id and c.answer = '')::int
		from runs r join profiles p on p.id = r.profile_id
		where (r.person_id = $1 or r.id = any($2)) and r.state = 'finished' and r.ended_at < now() - interval '7 days'
			and exists (select from run_checks c where c.run_id = r.id and c.answer = '')
		order by r.ended_at desc limit $3`, d.ID, d.ids(desk.CheckDue), maxDeskLines)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (l desk.Line, err error) {
		var id uuid.UUID
		var number int64
		var phone, edition string
		var open int
		if err = row.Scan(&id, &number, &phone, &edition, &l.Since, &open); err != nil {
			return l, err
		}
		l.Key, l.Kind, l.To, l.Affected, l.Whom = lineKey(desk.CheckDue, id), desk.CheckDue, "/bench/runs/"+id.String(), 1, "1 phone"
		l.Text = fmt.Sprintf("Used for a week? %s of run %d (%s on %s) %s not answered.", wording.Count(open, "check"), number, edition, phone, verb(open, "is", "are"))
		return l, nil
	})
}

// trialsWanted are trials that would prove a draft, on builds that the person
// has captured phones of.
func trialsWanted(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	rows, err := q.Query(ctx, `
		select w.id, d.name, b.carrier, b.region, b.version, p.name, w.asked_at, n.left, `+ranIt+`, m.slug, d.slug
		from wanted_trials w
		join builds b on b.id = w.build_id
		join models d on d.id = b.model_id
		join makers m on m.id = d.maker_id
		join profiles p on p.id = w.profile_id
			cross join lateral (select count(*)::int as left from unnest(w.packages) u (name) where not exists (
				select from trials t
				join packages k on k.id = t.package_id
				where k.name = u.name and t.build_id = w.build_id and `+trialGone+`)) n
		where w.closed_at is null and n.left > 0
			and (w.id = any($2)
				or exists (select from captures c
					join builds y on y.id = c.build_id
					where y.model_id = b.model_id and c.person_id = $1))
			order by w.asked_at desc
			limit $3`,
		d.ID, d.ids(desk.TrialsWanted), maxDeskLines)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (l desk.Line, err error) {
		var id uuid.UUID
		var model, carrier, region, version, edition, makerSlug, modelSlug string
		var left int
		if err = row.Scan(&id, &model, &carrier, &region, &version, &edition, &l.Since, &left, &l.Affected, &makerSlug, &modelSlug); err != nil {
			return l, err
		}
		l.Key, l.Kind = lineKey(desk.TrialsWanted, id), desk.TrialsWanted
		l.To = address("/builds/wanted/"+id.String(), makerSlug, modelSlug, "")
		l.Whom = wording.Count(l.Affected, "phone") + " ran what it is for"
		l.Text = fmt.Sprintf("%s of %s were never tried on %s %s, and you have such phones: one that goes without them would prove it.", wording.Count(left, "package"), edition, model, buildName(carrier, region, version))
		return l, nil
	})
}

// toldNews are what the person was told and has not read, but for what has a
// line of its own: what they follow and what was said to them, a line each, and
// all else in one.
func toldNews(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	rows, err := q.Query(ctx, noticeColumns+` where n.person_id = $1 and n.read_at is null
			and n.kind in ('comment', 'lifted', 'withdrawn', 'followed-package', 'followed-model', 'followed-release',
				'backup-ended')
		order by n.at desc limit $2`, d.ID, maxDeskLines)
	list, err := collectRows[Notice](rows, err)
	if err != nil {
		return nil, err
	}
	lines := make([]desk.Line, len(list), len(list)+1)
	for i, n := range list {
		lines[i] = desk.Line{Key: lineKey(desk.Told, n.ID), Kind: desk.Told, Text: n.Sentence(), To: n.To(), Since: n.At}
		if n.Kind == "comment" {
			lines[i].Words, lines[i].HandedBy, lines[i].Weighs = n.Words, n.By, 3
		}
	}
	var n int
	var since *time.Time
	err = q.QueryRow(ctx, `
		select count(*)::int, min(n.at) from notices n left join changes c on c.id = n.change_id
		where n.person_id = $1 and n.read_at is null and n.kind in ('decided', 'publish-published')
			and c.state is distinct from 'returned'`, d.ID).Scan(&n, &since)
	if err != nil || n == 0 {
		return lines, err
	}
	return append(lines, desk.Line{Key: string(desk.Told) + ":decided", Kind: desk.Told, To: "/news", Since: *since,
		Text: fmt.Sprintf("%s %s decided about what you sent or asked for.", wording.Count(n, "thing"), verb(n, "was", "were"))}), nil
}

// Sentence says a notice in a sentence.
func (n Notice) Sentence() string {
	about := "“" + n.Title + "”"
	switch n.Kind {
	case "decided":
		return n.By + " decided about " + about + ": " + wording.Sentence(n.Words)
	case "comment":
		return n.By + " said something about " + about + "."
	case "asked":
		return n.By + " asks you to look at " + about + "."
	case "revised":
		return n.By + " sent " + about + " again."
	case "publish-asked":
		return n.By + " asks to publish " + about + "."
	case "publish-published":
		return n.By + " published " + about + "."
	case "publish-returned":
		return n.By + " wants something changed before " + about + " is published: " + n.Words
	case "publish-outdated":
		return n.By + " changed the rules of " + about + ": what was asked to be published is withdrawn."
	case "withdrawn":
		return n.By + " withdrew a release of " + about + ": " + n.Words
	case "stops":
		return about + " is marked: " + n.Words
	case "lifted":
		return n.By + " lifted a mark of " + about + ": " + n.Words
	case "followed-package":
		return n.Package + ": " + n.Words
	case "followed-release":
		return n.Title + ": " + n.Words
	case "check-due", "followed-model", "backup-ended":
		return n.Words
	}
	return about
}

// To is where what a notice tells of is dealt with.
func (n Notice) To() string {
	switch {
	case n.Kind == "backup-ended":
		return "/bench?at=saved"
	case n.RunID != nil:
		return "/bench/runs/" + n.RunID.String()
	case n.Package != "":
		return "/packages/" + n.Package
	case n.ChangeID != nil:
		return "/review/" + n.ChangeID.String()
	case n.ProfileID != nil:
		return "/profiles/" + n.ProfileID.String()
	case n.BuildID != nil:
		return address("/builds", n.Maker, n.Model, n.BuildID.String())
	}
	return "/news"
}
