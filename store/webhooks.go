package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Webhook is a receiver that is told what the public feed tells.
type Webhook struct {
	ID        uuid.UUID `db:"id" json:"id"`
	URL       string    `db:"url" json:"url"`
	Sealed    []byte    `db:"sealed" json:"-"`
	CreatedBy string    `db:"created_by" json:"createdBy"`
	CreatedAt time.Time `db:"created_at" json:"createdAt"`
	// Waiting counts what it has not taken yet, Failed what was given up.
	Waiting int `db:"waiting" json:"waiting"`
	Failed  int `db:"failed" json:"failed"`
}

// Delivery is one thing told to a receiver.
type Delivery struct {
	ID        uuid.UUID       `db:"id" json:"id"`
	WebhookID uuid.UUID       `db:"webhook_id" json:"-"`
	Type      string          `db:"type" json:"type"`
	Body      json.RawMessage `db:"body" json:"-"`
	CreatedAt time.Time       `db:"created_at" json:"createdAt"`
	Attempts  int             `db:"attempts" json:"attempts"`
	NextAt    *time.Time      `db:"next_at" json:"nextAt,omitempty" doc:"When it is tried next"`
	TakenAt   *time.Time      `db:"taken_at" json:"takenAt,omitempty"`
	Answer    string          `db:"answer" json:"answer" doc:"What the receiver said last"`
}

// NewDelivery is something to be told: Item is what tells it from all others.
type NewDelivery struct {
	Item, Type string
	Body       json.RawMessage
	At         time.Time
}

const (
	maxWebhooks   = 20
	maxDeliveries = 50 // in a list
)

// ErrManyWebhooks says that there are as many receivers as there may be.
var ErrManyWebhooks = errors.New("there are 20 receivers: end one first")

const webhookColumns = `
	select w.id, w.url, w.sealed, p.name as created_by, w.created_at,
		count(d.id) filter (where d.next_at is not null)::int as waiting,
		count(d.id) filter (where d.next_at is null and d.taken_at is null)::int as failed
	from webhooks w
	join people p on p.id = w.created_by
	left join webhook_deliveries d on d.webhook_id = w.id
	where w.ended_at is null`

// Webhooks lists the receivers, oldest first.
func (s *Store) Webhooks(ctx context.Context) ([]Webhook, error) {
	rows, err := s.pool.Query(ctx, webhookColumns+` group by w.id, p.name order by w.created_at limit $1`, maxWebhooks)
	return collectRows[Webhook](rows, err)
}

// AddWebhook keeps a receiver with the id.
func (s *Store) AddWebhook(ctx context.Context, id, person uuid.UUID, url string, sealed []byte) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `lock table webhooks in share row exclusive mode`); err != nil {
			return err
		}
		var many bool
		err := tx.QueryRow(ctx, `
			select count(*) >= $1 from webhooks where ended_at is null`, maxWebhooks).Scan(&many)
		if err == nil && many {
			err = ErrManyWebhooks
		}
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `
			insert into webhooks (id, url, sealed, created_by)
			values ($1, $2, $3, $4)`, id, url, sealed, person); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "webhook.added", Subject: id.String(), Detail: map[string]string{"url": url}})
	})
}

// EndWebhook tells a receiver nothing any more.
func (s *Store) EndWebhook(ctx context.Context, person, id uuid.UUID) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			update webhooks set ended_at = now(), sealed = '' where id = $1 and ended_at is null`, id)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrNotFound
		}
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `delete from webhook_deliveries where webhook_id = $1`, id); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "webhook.ended", Subject: id.String()})
	})
}

// Deliveries lists what a receiver was told lately, newest first.
func (s *Store) Deliveries(ctx context.Context, webhook uuid.UUID) ([]Delivery, error) {
	rows, err := s.pool.Query(ctx, `
		select id, webhook_id, type, body, created_at, attempts, next_at, taken_at, answer
		from webhook_deliveries
		where webhook_id = $1
		order by created_at desc, id desc limit $2`, webhook, maxDeliveries)
	return collectRows[Delivery](rows, err)
}

// Deliver has a receiver be told things that it was not told yet, of those that
// happened since it is there.
func (s *Store) Deliver(ctx context.Context, w Webhook, list []NewDelivery) error {
	items, types, bodies := []string{}, []string{}, []json.RawMessage{}
	for _, d := range list {
		if !d.At.Before(w.CreatedAt) {
			items, types, bodies = append(items, d.Item), append(types, d.Type), append(bodies, d.Body)
		}
	}
	if len(items) == 0 {
		return nil
	}
	ids := make([]uuid.UUID, len(items))
	for i := range ids {
		ids[i] = NewID()
	}
	_, err := s.pool.Exec(ctx, `
		insert into webhook_deliveries (id, webhook_id, item, type, body)
		select x.id, w.id, x.item, x.type, x.body
		from unnest($2::uuid[], $3::text[], $4::text[], $5::json[]) x (id, item, type, body)
		join webhooks w on w.id = $1 and w.ended_at is null
		on conflict (webhook_id, item) do nothing`, w.ID, ids, items, types, bodies)
	return err
}

// ClaimDelivery takes the delivery that is due longest, if any is, for lease:
// after that somebody else tries it. Tries counts this one, too.
func (s *Store) ClaimDelivery(ctx context.Context, lease time.Duration) (Delivery, error) {
	rows, err := s.pool.Query(ctx, `
		update webhook_deliveries d
		set attempts = attempts + 1, next_at = now() + $1::interval
		where id = (select id from webhook_deliveries
			where next_at <= now()
			order by next_at
			limit 1 for update skip locked)
		returning id, webhook_id, type, body, created_at, attempts, next_at, taken_at, answer`, lease)
	return one[Delivery](rows, err)
}

// DeliveryTried notes what came of a try. Next is when it is tried again; the
// zero time where it was taken, or is given up.
func (s *Store) DeliveryTried(ctx context.Context, id uuid.UUID, taken bool, answer string, next time.Time) error {
	var again *time.Time
	if !next.IsZero() {
		again = &next
	}
	_, err := s.pool.Exec(ctx, `
		update webhook_deliveries
		set next_at = $2, answer = $3, taken_at = case when $4 then now() end
		where id = $1`, id, again, answer, taken)
	return err
}

// ForgetTests removes deliveries that only tried out whether a receiver hears.
func (s *Store) ForgetTests(ctx context.Context, webhook uuid.UUID) error {
	_, err := s.pool.Exec(ctx, `
		delete from webhook_deliveries
		where webhook_id = $1 and item like 'test:%' and next_at is null`, webhook)
	return err
}
