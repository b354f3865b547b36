package db

import (
	"errors"

	"github.com/jackc/pgx/v5/pgconn"
)

// uniqueViolation is how PostgreSQL calls a twin (its manual, appendix A).
const uniqueViolation = "23505"

// UnlessTwin reports whether a statement met nothing of the same name.
func UnlessTwin(_ pgconn.CommandTag, err error) (bool, error) {
	var problem *pgconn.PgError
	if errors.As(err, &problem) && problem.Code == uniqueViolation {
		return false, nil
	}
	return true, err
}
