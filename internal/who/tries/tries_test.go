package tries_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"aftergust/internal/ground"
	"aftergust/internal/who/tries"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A book is what a database would keep, one after the other.
type book struct {
	at   map[string][]time.Time
	down error
}

func (b *book) SpendAttempt(_ context.Context, limits []tries.Limit, since, at time.Time) (int, bool, error) {
	have := func(key string) (n int) {
		for _, one := range b.at[key] {
			if one.After(since) {
				n++
			}
		}
		return n
	}
	for _, l := range limits {
		if have(l.Key) >= l.Most {
			return have(limits[0].Key) + 1, false, b.down
		}
	}
	for _, l := range limits {
		b.at[l.Key] = append(b.at[l.Key], at)
	}
	return have(limits[0].Key), true, b.down
}

func (b *book) ForgiveAttempt(_ context.Context, limits []tries.Limit) error {
	for _, l := range limits {
		b.at[l.Key] = b.at[l.Key][:len(b.at[l.Key])-1]
	}
	return nil
}

func TestAsManyTriesAsMayBeAndNotOneMoreWithinTheQuarterOfAnHour(t *testing.T) {
	now := time.Date(2026, 11, 26, 10, 0, 0, 0, time.UTC)
	kept := &book{at: map[string][]time.Time{}}
	guard := tries.New(kept, func() time.Time { return now })
	link, host := tries.Limit{Key: "door:a", Most: 3}, tries.Limit{Key: "host:b", Most: 30}
	for i := range 3 {
		have, err := guard.Spend(t.Context(), link, host)
		require.NoError(t, err)
		assert.Equal(t, i+1, have)
	}
	_, err := guard.Spend(t.Context(), link, host)
	var mistake *ground.Error
	require.ErrorAs(t, err, &mistake)
	assert.Equal(t, ground.TooMany, mistake.Kind)
	assert.Contains(t, mistake.Say, "Wait 15 minutes")
	now = now.Add(15*time.Minute - 1)
	_, err = guard.Spend(t.Context(), link)
	require.Error(t, err, "one instant too early")
	now = now.Add(1)
	_, err = guard.Spend(t.Context(), link)
	require.NoError(t, err)
	require.NoError(t, guard.Forgive(t.Context(), link))
	for range 3 {
		_, err = guard.Spend(t.Context(), link)
		require.NoError(t, err, "what was forgiven does not count")
	}
	_, err = guard.Spend(t.Context(), link)
	require.Error(t, err)
}

func TestWhereTheDatabaseIsDownNobodyIsLetThrough(t *testing.T) {
	guard := tries.New(&book{at: map[string][]time.Time{}, down: errors.New("no database")}, time.Now)
	_, err := guard.Spend(t.Context(), tries.Limit{Key: "a", Most: 3})
	require.ErrorContains(t, err, "no database")
}
