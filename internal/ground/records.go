package ground

import "context"

// Records is what every part of the work needs of the database, beside its own
// few queries.
type Records interface {
	// Tx runs do in one transaction: all of it happens, or none. What is called
	// with the context that do is given takes part in it; inside another Tx it
	// joins that one (docs/decisions/transactions-travel-in-the-context.md).
	Tx(ctx context.Context, do func(ctx context.Context) error) error
	// Announce tells every process, on commit, that something changed.
	Announce(ctx context.Context, c Change) error
	// Enqueue adds jobs that run once the surrounding transaction is committed.
	Enqueue(ctx context.Context, jobs ...Job) error
}
