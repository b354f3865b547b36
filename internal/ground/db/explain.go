package db

import (
	"errors"
	"strings"

	"aftergust/internal/ground"

	"github.com/jackc/pgx/v5/pgconn"
)

var (
	errUnkept = &ground.Error{Kind: ground.Invalid, Code: "unreadable_text",
		Say: "A text holds a character that cannot be kept. Type it again; nothing was changed."}
	errBeyond = &ground.Error{Kind: ground.Invalid, Code: "invalid", Say: "A number in this request is larger than any that there can be."}
)

// Explain says in words what a database says of a request: that it is not there,
// or that it cannot keep what it was given. It is nil for everything else, also
// for no error.
// Source: PostgreSQL, appendix A, error codes.
func Explain(err error) *ground.Error {
	var said *pgconn.PgError
	var connecting *pgconn.ConnectError
	switch {
	case errors.As(err, &connecting):
		return ground.ErrAway
	case !errors.As(err, &said):
		return nil
	case said.Code == "22021" || said.Code == "22P05": // bytes that are no text
		return errUnkept
	case said.Code == "22003": // a number out of range
		return errBeyond
	case said.Code == "53100": // no room
		return ground.ErrFull
	case strings.HasPrefix(said.Code, "57P") || strings.HasPrefix(said.Code, "08") || said.Code == "53300":
		return ground.ErrAway
	}
	return nil
}

// MayCome reports whether a database that cannot be reached may be one that is only
// starting: not where it knows neither us nor the database of that name.
func MayCome(err error) bool {
	var said *pgconn.PgError
	if errors.As(err, &said) && (strings.HasPrefix(said.Code, "28") || said.Code == "3D000") {
		return false
	}
	return Explain(err) == ground.ErrAway
}
