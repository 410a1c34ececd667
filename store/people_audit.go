package store

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Act is something that somebody did and that the audit record keeps.
type Act struct {
	// Person is who did it; nil for the installation itself.
	Person uuid.UUID
	// Action is a short stable name such as change.decided.
	Action string
	// Subject names what it was done to: an id, a number or a path.
	Subject string
	// Detail is marshalled to JSON. It never holds secrets, and names people
	// by their ids alone, so that one who is removed keeps their place.
	Detail any
}

// AuditEntry is one entry of the record.
type AuditEntry struct {
	Seq     int64           `db:"seq" json:"seq"`
	At      time.Time       `db:"at" json:"at"`
	Person  *uuid.UUID      `db:"person_id" json:"personId,omitempty"`
	Name    string          `db:"name" json:"name"`
	Action  string          `db:"action" json:"action"`
	Subject string          `db:"subject" json:"subject"`
	Detail  json.RawMessage `db:"detail" json:"detail"`
	Hash    []byte          `db:"hash" json:"-"`
	// HashHex is SHA-256 over this entry and the hash of the one before.
	HashHex string `db:"hash_hex" json:"hash"`
	// About is what it is about as people call it; see NameSubjects.
	About *AuditSubject `db:"-" json:"about,omitempty"`
}

const auditColumns = `
	select a.seq, a.at, a.person_id, coalesce(p.name, 'Roster') as name, a.action, a.subject, a.detail, a.hash,
		encode(a.hash, 'hex') as hash_hex
	from audit a left join people p on p.id = a.person_id`

// record adds an entry to the audit record, in the transaction of what it is
// about. Entries wait for each other, so it comes last in a transaction.
func record(ctx context.Context, tx pgx.Tx, a Act) error {
	if a.Detail == nil {
		a.Detail = struct{}{}
	}
	raw, err := json.Marshal(a.Detail)
	if err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `select pg_advisory_xact_lock(422)`); err != nil {
		return err
	}
	e := AuditEntry{Action: a.Action, Subject: a.Subject}
	var before []byte
	// PostgreSQL keeps jsonb in a form of its own and times to the microsecond:
	// the hash is over what it gives back.
	err = tx.QueryRow(ctx, `
		select coalesce((select max(seq) from audit), 0) + 1, (select hash from audit order by seq desc limit 1),
			clock_timestamp(), $1::jsonb`, string(raw)).
		Scan(&e.Seq, &before, &e.At, &e.Detail)
	if err != nil {
		return err
	}
	if a.Person != uuid.Nil {
		e.Person = &a.Person
	}
	_, err = tx.Exec(ctx, `
		insert into audit (seq, at, person_id, action, subject, detail, hash) values ($1, $2, $3, $4, $5, $6, $7)`,
		e.Seq, e.At, e.Person, e.Action, e.Subject, e.Detail, e.sum(before))
	if topic, told := topicOfAct[a.Action]; err == nil && told {
		err = notify(ctx, tx, Event{Topic: topic})
	}
	return err
}

// topicOfAct are the acts whose entry is all that tells of them.
var topicOfAct = map[string]Topic{
	"person.added":           PeopleChanged,
	"person.invited":         PeopleChanged,
	"person.joined":          PeopleChanged,
	"person.removed":         PeopleChanged,
	"person.role":            PeopleChanged,
	"person.uninvited":       PeopleChanged,
	"profile.made":           ProfilesChanged,
	"profile.set":            ProfilesChanged,
	"publication.asked":      ProfilesChanged,
	"publication.published":  ProfilesChanged,
	"publication.returned":   ProfilesChanged,
	"publication.taken-back": ProfilesChanged,
}

// sum is the entry's hash: SHA-256 over the hash before and each part of the
// entry, every one with its length in front so that none can run into another.
func (e AuditEntry) sum(before []byte) []byte {
	person := ""
	if e.Person != nil {
		person = e.Person.String()
	}
	h := sha256.New()
	for _, part := range [][]byte{before, binary.BigEndian.AppendUint64(nil, uint64(e.Seq)), []byte(e.At.UTC().Format(time.RFC3339Nano)),
		[]byte(person), []byte(e.Action), []byte(e.Subject), e.Detail} {
		h.Write(binary.BigEndian.AppendUint64(nil, uint64(len(part))))
		h.Write(part)
	}
	return h.Sum(nil)
}

// Record adds an entry for something that has no transaction of its own.
func (s *Store) Record(ctx context.Context, a Act) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error { return record(ctx, tx, a) })
}

// AuditQuery says which entries of the record to list; zero values ask for all.
type AuditQuery struct {
	Person uuid.UUID
	// Action is a whole action, or the first part of it: change finds
	// change.sent.
	Action       string
	Subject      string
	Since, Until time.Time
	// Before is the number of the last entry of the page before.
	Before int64
	Limit  int
}

// Audit lists entries of the record, newest first.
func (s *Store) Audit(ctx context.Context, q AuditQuery) ([]AuditEntry, error) {
	until := q.Until
	if until.IsZero() {
		until = time.Now().AddDate(1, 0, 0)
	}
	rows, err := s.pool.Query(ctx, auditColumns+`
		where ($1 = `+everywhereID+`::uuid or a.person_id = $1)
			and ($2 = '' or a.action = $2 or a.action like $3)
			and ($4 = '' or a.subject = $4) and a.at >= $5 and a.at < $6 and ($7 = 0 or a.seq < $7)
		order by a.seq desc limit $8`,
		q.Person, q.Action, escapeLike(q.Action)+".%", q.Subject, q.Since, until, q.Before, q.Limit)
	return collectRows[AuditEntry](rows, err)
}

// AuditProof is what checking the record came to.
type AuditProof struct {
	Entries int64 `json:"entries"`
	// Head is the hash of the newest entry in hex: whoever keeps it elsewhere
	// can tell later that nothing was cut off the end.
	Head string `json:"head"`
	// Wrong says what is wrong, "" where the record holds together.
	Wrong string `json:"wrong"`
}

// CheckAudit goes through the whole record. Where an expected head is given,
// it has to be in the record.
func (s *Store) CheckAudit(ctx context.Context, expected string) (AuditProof, error) {
	var proof AuditProof
	var before []byte
	found := expected == ""
	for {
		rows, err := s.pool.Query(ctx, auditColumns+` where a.seq > $1 order by a.seq limit $2`,
			proof.Entries, auditAtOnce)
		list, err := collectRows[AuditEntry](rows, err)
		if err != nil {
			return proof, err
		}
		for _, e := range list {
			proof.Entries++
			switch {
			case e.Seq != proof.Entries:
				proof.Wrong = fmt.Sprintf("entry %d is missing", proof.Entries)
			case string(e.sum(before)) != string(e.Hash):
				proof.Wrong = fmt.Sprintf("entry %d, or the one before it, is not what was written", e.Seq)
			}
			if proof.Wrong != "" {
				return proof, nil
			}
			before = e.Hash
			found = found || e.HashHex == expected
		}
		if len(list) < auditAtOnce {
			break
		}
	}
	proof.Head = hex.EncodeToString(before)
	if !found {
		proof.Wrong = "the entry with the hash that you expected is not there: the end was cut off, or this is another record"
	}
	return proof, nil
}

// auditAtOnce is how many entries of the record are checked in one go.
const auditAtOnce = 5000
