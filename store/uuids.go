package store

import (
	"fmt"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/pgtype"
	pgxuuid "github.com/vgarvardt/pgx-google-uuid/v5"
)

// registerUUIDs makes a connection read and write uuid.UUID as it is sent, 16
// bytes. Without uuidCodec pgx takes it for a database/sql scanner, and reads
// each as text.
func registerUUIDs(m *pgtype.Map) {
	pgxuuid.Register(m)
	m.RegisterType(&pgtype.Type{Name: "uuid", OID: pgtype.UUIDOID, Codec: uuidCodec{}})
}

type uuidCodec struct{ pgxuuid.UUIDCodec }

// PlanScan is how a value is read into a target.
func (c uuidCodec) PlanScan(m *pgtype.Map, oid uint32, format int16, target any) pgtype.ScanPlan {
	if _, ok := target.(*uuid.UUID); ok && format == pgtype.BinaryFormatCode {
		return scanUUID{}
	}
	return c.UUIDCodec.PlanScan(m, oid, format, target)
}

type scanUUID struct{}

// Scan copies 16 bytes into a *uuid.UUID.
func (scanUUID) Scan(src []byte, target any) error {
	if src == nil {
		return fmt.Errorf("cannot scan NULL into %T", target)
	}
	id, err := uuid.FromBytes(src)
	if err == nil {
		*target.(*uuid.UUID) = id
	}
	return err
}
