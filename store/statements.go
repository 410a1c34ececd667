package store

import (
	"context"
	"sync/atomic"

	"github.com/jackc/pgx/v5"
)

type statementsKey struct{}

// CountStatements returns a context whose statements are counted: each that is
// sent to the database with it, a copy as one, those of a batch one by one, and
// neither begin nor commit. What an action asks may not grow with the
// catalogue; tests hold it to that.
func CountStatements(ctx context.Context) (context.Context, *atomic.Int64) {
	n := new(atomic.Int64)
	return context.WithValue(ctx, statementsKey{}, n), n
}

func countStatement(ctx context.Context) {
	if n, ok := ctx.Value(statementsKey{}).(*atomic.Int64); ok {
		n.Add(1)
	}
}

// TraceQueryStart and TraceQueryEnd are what pgx asks of every tracer.
func (waits) TraceQueryStart(ctx context.Context, _ *pgx.Conn, q pgx.TraceQueryStartData) context.Context {
	if q.SQL != "begin" && q.SQL != "commit" && q.SQL != "rollback" {
		countStatement(ctx)
	}
	return ctx
}

// TraceQueryEnd does nothing.
func (waits) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}

// TraceCopyFromStart counts a copy.
func (waits) TraceCopyFromStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceCopyFromStartData) context.Context {
	countStatement(ctx)
	return ctx
}

// TraceCopyFromEnd does nothing.
func (waits) TraceCopyFromEnd(context.Context, *pgx.Conn, pgx.TraceCopyFromEndData) {}

// TraceBatchStart does nothing: a batch's statements are counted by themselves.
func (waits) TraceBatchStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	return ctx
}

// TraceBatchQuery counts a statement of a batch.
func (waits) TraceBatchQuery(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchQueryData) {
	countStatement(ctx)
}

// TraceBatchEnd does nothing.
func (waits) TraceBatchEnd(context.Context, *pgx.Conn, pgx.TraceBatchEndData) {}
