package tally_test

import (
	"testing"

	"aftergust/internal/dev/pgserver"
)

var pg *pgserver.Server

func TestMain(m *testing.M) {
	pgserver.Main(m, func(s *pgserver.Server) { pg = s })
}
