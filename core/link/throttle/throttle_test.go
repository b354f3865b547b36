package throttle_test

import (
	"testing"
	"time"

	"aftergust/core/link/door"
	. "aftergust/core/link/throttle"

	"github.com/stretchr/testify/assert"
)

// Source: NIST SP 800-63B, 5.1.3.2 (ten minutes for a code); the others are ours, as people are told them.
func TestTheLimitsAreThoseThatPeopleAreTold(t *testing.T) {
	assert.Equal(t, []time.Duration{15 * time.Minute, 10 * time.Minute, 12 * time.Hour, 30 * time.Minute, 7 * 24 * time.Hour},
		[]time.Duration{Window, CodeLife, RemindPause, ResetLife, InvitationLife})
	assert.Equal(t, []int{10, 30, 100, 5, 5, 15, 3, 3, 20, 10},
		[]int{PerLink, PerHost, Everywhere, CodeTries, CodesPerLink, CodesInAll, AsksPerLink, ResetsPerAddress,
			InvitationsPerStudio, OpeningsPerHost})
}

func TestAPersonIsLeftAloneForTwelveHoursToTheInstant(t *testing.T) {
	last := time.Date(2026, 11, 26, 8, 0, 0, 0, time.UTC)
	assert.False(t, MayRemind(last, last.Add(12*time.Hour-time.Nanosecond)))
	assert.True(t, MayRemind(last, last.Add(12*time.Hour)))
	assert.True(t, MayRemind(time.Time{}, last), "who was never reminded")
}

func TestADoorSaysHowItOpens(t *testing.T) {
	assert.Equal(t, "with a passphrase; 10 tries in 15 minutes", Opens(door.APassphrase))
	assert.Equal(t, "with a code to your mail address, once for each device; it works for 10 minutes, in the browser that asked for it",
		Opens(door.ACode))
	assert.Empty(t, Opens(door.Nothing))
}
