package store

import (
	"context"
	"math"
	"net/netip"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// pacing is how tries to sign in are slowed down: so many are free, the one
// after them has to wait, and each further one twice as long. Nobody is locked
// out: the longest wait is one that a person has patience for.
type pacing struct {
	free    int
	first   time.Duration
	longest time.Duration
}

// What tries are counted by. Whoever guesses one person's password from one
// place is slowed down most; a person and a place by themselves only so far
// that others who sign in there, or as them from elsewhere, still come in.
var (
	pacePair    = pacing{free: 6, first: 2 * time.Second, longest: 5 * time.Minute}
	paceLogin   = pacing{free: 40, first: time.Second, longest: 30 * time.Second}
	paceAddress = pacing{free: 80, first: 500 * time.Millisecond, longest: 5 * time.Second}
)

// triesForgotten is how long after the last try they no longer count, and
// placeForgotten how long a person is known at a place after signing in there:
// their tries from there are their own affair.
const (
	triesForgotten = time.Hour
	placeForgotten = 30 * 24 * time.Hour
)

// after is how long the next try has to wait after so many.
func (p pacing) after(tries int) time.Duration {
	if tries < p.free {
		return 0
	}
	wait := float64(p.first) * math.Pow(2, float64(tries-p.free))
	return time.Duration(min(wait, float64(p.longest)))
}

// place is what counts as one address: of IPv6, whoever has one has 2⁶⁴.
func place(address string) string {
	a, err := netip.ParseAddr(address)
	if err != nil {
		return "nowhere" // no place is ""
	}
	if a = a.Unmap(); a.Is4() {
		return a.String()
	}
	p, err := a.WithZone("").Prefix(64)
	if err != nil {
		return address
	}
	return p.String()
}

// TrySignIn counts a try to sign in before anything is compared, so that many
// at once count as many. Where a wait is returned the try has not been made
// and does not count: it may be made again after that.
func (s *Store) TrySignIn(ctx context.Context, login, address string) (wait time.Duration, err error) {
	type counter struct {
		login, place string
		pacing
	}
	at := place(address)
	counters := []counter{{login, at, pacePair}}
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var known bool
		err := tx.QueryRow(ctx, `
			select exists (
				select from sign_in_places k
				join people p on p.id = k.person_id
				where p.login = $1 and k.place = $2
					and k.at > now() - $3::interval)`, login, at, placeForgotten).Scan(&known)
		if err != nil {
			return err
		}
		if !known {
			counters = append(counters, counter{login, "", paceLogin}, counter{"", at, paceAddress})
		}
		tries := make([]int, len(counters))
		for i, c := range counters { // in one order always: two tries never wait for each other
			var left time.Duration
			err := tx.QueryRow(ctx, `
				insert into sign_in_tries as t (login, place) values ($1, $2)
				on conflict (login, place) do update
				set tries = case when t.at < now() - $3::interval then 0 else t.tries end
				returning tries, next_at - now()`, c.login, c.place, triesForgotten).Scan(&tries[i], &left)
			if err != nil {
				return err
			}
			wait = max(wait, left)
		}
		if wait > 0 {
			return nil
		}
		for i, c := range counters {
			_, err := tx.Exec(ctx, `
				update sign_in_tries set tries = $3, at = now(), next_at = now() + $4::interval
				where login = $1 and place = $2`, c.login, c.place, tries[i]+1, c.after(tries[i]+1))
			if err != nil {
				return err
			}
		}
		return nil
	})
	return wait, err
}

// SignInFailed puts a try that did not work into the record, where somebody
// has the login: what else people type there is nobody's business.
func (s *Store) SignInFailed(ctx context.Context, login string) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		id, err := personNamed(ctx, tx, login)
		if id == uuid.Nil || err != nil {
			return err
		}
		return record(ctx, tx, Act{Action: "person.sign-in-failed", Subject: id.String()})
	})
}

// SignInSlowed puts it into the record that further tries have to wait, once
// until a try works or they are forgotten.
func (s *Store) SignInSlowed(ctx context.Context, login string) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		id, err := personNamed(ctx, tx, login)
		if id == uuid.Nil || err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, `
			insert into sign_in_tries as t (login, place, told_at) values ($1, '', now())
			on conflict (login, place) do update set told_at = now()
			where t.told_at is null or t.told_at < now() - $2::interval`, login, triesForgotten)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		return record(ctx, tx, Act{Action: "person.sign-in-slowed", Subject: id.String()})
	})
}

// SignInWorked forgets the tries that led to it, and knows the person at that
// place from then on.
func (s *Store) SignInWorked(ctx context.Context, person uuid.UUID, login, address string) error {
	at := place(address)
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `
			delete
			from sign_in_tries
			where login = $1 and place = $2 or at < now() - $3::interval`, login, at, 24*triesForgotten); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, `
			update sign_in_tries set tries = greatest(tries - 1, 0), next_at = now()
			where (login, place) in (($1, ''), ('', $2))`, login, at)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			insert into sign_in_places (person_id, place) values ($1, $2)
			on conflict (person_id, place) do update set at = now()`, person, at)
		return err
	})
}

// personNamed finds who has a login; the zero id where nobody has.
func personNamed(ctx context.Context, tx pgx.Tx, login string) (id uuid.UUID, err error) {
	err = tx.QueryRow(ctx, `select id from people where login = $1 and removed_at is null`, login).Scan(&id)
	if isNone(err) {
		err = nil
	}
	return id, err
}
