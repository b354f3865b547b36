// Package hashing keeps passwords and passphrases as argon2id hashes (RFC 9106).
// Each hash takes 64 MiB on purpose, so only a few are made at a time in a
// process, and whoever does not get a turn is told to try again.
package hashing

import (
	"context"
	"time"

	"aftergust/internal/ground"
	"aftergust/internal/ground/turns"

	"github.com/alexedwards/argon2id"
)

// Parameters of argon2id: RFC 9106, section 4, the second recommended set (64 MiB,
// three passes) with as many lanes as this machine class has cores.
var params = &argon2id.Params{Memory: 64 * 1024, Iterations: 3, Parallelism: 2, SaltLength: 16, KeyLength: 32}

// Fast makes all hashes of this process cheap, and worthless: for tests of other
// parts, which make hundreds. It comes before any hash is made.
func Fast() { params.Memory, params.Iterations, params.Parallelism = 64, 1, 1 }

const (
	// atOnce is how many are made at a time: 128 MiB in use, and as much again until
	// it is collected.
	atOnce = 2
	// patience is how long one waits for a turn; a turn takes about a tenth of a second.
	patience = time.Minute
	// waitMost is how many of one source may wait for a turn.
	waitMost = 400
)

var queue = turns.New(atOnce, atOnce, waitMost)

// Waiting is how many wait for a hash to be made.
func Waiting() int { return queue.Waiting() }

// errBusy is for those who did not get a turn.
var errBusy = &ground.Error{Kind: ground.TooMany, Code: "busy",
	Say: "Very many are trying to get in at this moment. Wait ten seconds, then try again. Nothing is lost."}

// take waits for a turn. The returned function ends it.
func take(ctx context.Context) (end func(), err error) {
	waiting, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	if end, err := queue.Take(waiting); err == nil {
		return end, nil
	}
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	return nil, errBusy
}

// Hash is how a password or passphrase is kept. It fails with a *ground.Error of
// code busy where there is no turn within a minute. Turns go round the sources of requests
// (turns.As), so that many tries at one passphrase do not hold up a sign-in elsewhere.
func Hash(ctx context.Context, password string) (string, error) {
	end, err := take(ctx)
	if err != nil {
		return "", err
	}
	defer end()
	return argon2id.CreateHash(password, params)
}

// Matches reports whether a password is the one that is kept as hash. It fails as
// Hash does.
func Matches(ctx context.Context, password, hash string) (bool, error) {
	end, err := take(ctx)
	if err != nil {
		return false, err
	}
	defer end()
	return argon2id.ComparePasswordAndHash(password, hash)
}

// Absent is a hash that no password of anybody matches, made with the parameters
// in use: what is compared for somebody who is not there takes as long.
var Absent = func() string {
	hash, err := argon2id.CreateHash(ground.NewSecret(), params)
	if err != nil {
		panic(err) // only where the machine has no randomness
	}
	return hash
}()
