package account

import (
	"github.com/alexedwards/argon2id"
)

// Parameters of argon2id: RFC 9106, section 4, the second recommended set (64 MiB,
// three passes) with as many lanes as this machine class has cores.
var argonParams = &argon2id.Params{Memory: 64 * 1024, Iterations: 3, Parallelism: 2, SaltLength: 16, KeyLength: 32}

// HashPassword is how a password or passphrase is kept. It takes about a tenth
// of a second and 64 MiB on purpose.
func HashPassword(password string) (string, error) {
	return argon2id.CreateHash(password, argonParams)
}

func PasswordMatches(password, hash string) (bool, error) {
	return argon2id.ComparePasswordAndHash(password, hash)
}
