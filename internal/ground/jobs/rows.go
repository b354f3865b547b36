package jobs

import (
	"context"
	"time"

	"aftergust/internal/ground/db"
)

// Rows are the processes that work.
type Rows struct{ *db.DB }

// Beat says that a process is there.
func (q Rows) Beat(ctx context.Context, process string) error {
	_, err := q.Conn(ctx).Exec(ctx, "insert into process (id, seen_at) values ($1, now()) on conflict (id) do update set seen_at = now()", process)
	return err
}

// Leave says that a process works no more.
func (q Rows) Leave(ctx context.Context, process string) error {
	_, err := q.Conn(ctx).Exec(ctx, "delete from process where id = $1", process)
	return err
}

// TakeOver lets the jobs run again that a process had begun which was not heard of
// for so long, and returns how many they were. A job that was begun as often as it
// may be is given up, as River does.
func (q Rows) TakeOver(ctx context.Context, silent time.Duration) (n int64, err error) {
	done, err := q.Conn(ctx).Exec(ctx, `
		update river_job set state = case when attempt < max_attempts then 'available' else 'discarded' end::river_job_state,
		    scheduled_at = now(), finalized_at = case when attempt < max_attempts then null else now() end
		where state = 'running' and not exists (
			select 1 from process p where p.id = attempted_by[array_upper(attempted_by, 1)] and p.seen_at > now() - make_interval(secs => $1))`,
		silent.Seconds())
	if err != nil {
		return 0, err
	}
	_, err = q.Conn(ctx).Exec(ctx, "delete from process where seen_at < now() - interval '1 day'")
	return done.RowsAffected(), err
}
