package app_test

import (
	"fmt"
	"net"
	"testing"
	"time"

	"aftergust/internal/app"
	"aftergust/internal/dev/apptest"

	"github.com/stretchr/testify/require"
)

// With 120 letters waiting for a mail server that accepted connections and said nothing, a
// package that was to go by itself went 108 seconds late.
func TestAMailServerThatSaysNothingHoldsUpNoPackageThatGoesByItself(t *testing.T) {
	t.Parallel()
	silent, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer silent.Close()
	go func() {
		for {
			conn, err := silent.Accept()
			if err != nil {
				return
			}
			defer conn.Close()
		}
	}()
	s := apptest.Start(t, pg, func(c *app.Config) { c.SMTPURL = "smtp://" + silent.Addr().String() })
	people := map[string][]string{}
	for i := range 40 {
		people[fmt.Sprintf("guest%d@kelpwick.example", i)] = []string{"see", "take"}
	}
	s.Send(t, s.Pack(t, []string{apptest.File(t, "cut.bin", 1000)}, people))
	goes := s.Pack(t, []string{apptest.File(t, "later.bin", 1000)}, map[string][]string{"hanne@kelpwick.example": {"see", "take"}})
	s.Do(t, "PUT", "/packages/"+goes.ID+"/going", map[string]any{"at": time.Now().Add(2 * time.Second).UTC().Format(time.RFC3339)}, nil)
	count := func(sql string, args ...any) (n int) {
		require.NoError(t, s.App.Store.Pool().QueryRow(t.Context(), sql, args...).Scan(&n))
		return n
	}
	apptest.Eventually(t, "it goes", func() bool {
		return count("select count(*) from parcel where id = $1 and sent_at is not null", goes.ID) == 1
	})
	// However slow the machine: it did not wait until all letters before it had been tried.
	require.Greater(t, count("select count(*) from letter where tries = 0"), 12)
}
