package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/desk"
	"roster/core/wording"
)

// A wave is the same trouble of a release on so many phones in a week: it weighs
// as much as trials that contradict each other.
const (
	wavePhones = 3
	waveWeighs = 3
)

// toldFromOutside are what strangers told and nobody has looked at, a line for each
// release and each kind of trouble.
func toldFromOutside(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	if !d.wants(d.reviews(), desk.Outside) {
		return nil, nil
	}
	rows, err := q.Query(ctx, `
		select coalesce(r.release_id, '00000000-0000-0000-0000-000000000000'), r.outcome, lower(r.function),
			coalesce(m.name || ' ' || d.name || ': ' || p.name, ''), min(r.at),
			count(distinct coalesce(nullif(r.phone, ''), r.id::text)),
			count(distinct coalesce(nullif(r.phone, ''), r.id::text)) filter (where r.at > now() - interval '7 days')
		from reports r
		left join releases l on l.id = r.release_id
		left join profiles p on p.id = l.profile_id
		left join models d on d.id = p.model_id
		left join makers m on m.id = d.maker_id
		where r.state = 'waiting'
		group by 1, 2, 3, 4
		order by r.outcome = 'worked', 7 desc, 5
		limit $1`, maxDeskLines)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (l desk.Line, err error) {
		var release uuid.UUID
		var outcome ReportOutcome
		var function, title string
		var lately int
		if err = row.Scan(&release, &outcome, &function, &title, &l.Since, &l.Affected, &lately); err != nil {
			return l, err
		}
		// What strangers wrote is in no key, however long it is.
		l.Key = lineKey(desk.Outside, release, uuid.NewSHA1(release, []byte(string(outcome)+"\n"+function)))
		l.Kind, l.To, l.Whom = desk.Outside, "/review/outside", wording.Count(l.Affected, "phone")
		l.Text = outsideWords(outcome, function, title)
		if outcome != ToldWorked && lately >= wavePhones {
			l.Weighs = waveWeighs
			l.Text += fmt.Sprintf(" On %d phones within a week.", lately)
		}
		return l, nil
	})
}

// outsideWords say what strangers tell.
func outsideWords(outcome ReportOutcome, function, title string) string {
	what := map[ReportOutcome]string{
		ToldWorked: "it worked", ToldMissing: "something is missing", ToldBroken: "something is broken", ToldWouldNotGo: "something would not go",
		ToldCameBack: "something came back", ToldNotListed: "their phone is not listed",
	}[outcome]
	if function != "" {
		what += " (" + function + ")"
	}
	if title == "" {
		return "Told from outside: " + what + "."
	}
	return "Told from outside of " + title + ": " + what + "."
}
