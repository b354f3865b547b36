#!/usr/bin/env bash
# Runs the Go tests with every clock shifted: that of Go by a build overlay of time.Now (and of
# the times of files, so that both agree), that of PostgreSQL and other children by libfaketime.
#
#   scripts/later.sh +40d              forty days from now
#   scripts/later.sh 2028-02-29T12:00  at that moment, UTC, which each test process starts at
#   scripts/later.sh today             the shift that belongs to this day of the week, for CI
#
# The journeys in a browser are not among them: Chromium does not bear a shifted clock.
set -euo pipefail
cd "$(dirname "$0")/.."

when=${1:?"say when: +40d, 2028-02-29T12:00 or today"}
if [ "$when" = today ]; then
  # Both nights when London's clocks change, a leap day, the turn of a year, and plain distances: always to come.
  year=$(($(date -u +%Y) + 1))
  leap=$(((year + 3) / 4 * 4))
  last_sunday() { for d in 31 30 29 28 27 26 25; do if [ "$(date -u -d "$1-$d" +%w)" = 0 ]; then echo "$1-$d"; fi; done; }
  by_day=(+3d +40d +400d "$leap-02-29T12:00" "$(last_sunday "$year-03")T00:59:50" "$(last_sunday "$year-10")T00:59:50" "$year-12-31T23:59:50")
  when=${by_day[$(date -u +%w)]}
fi
case "$when" in
  +*d) days=${when#+}; later="+$((${days%d} * 86400))" ;;
  *) later="@$(date -u -d "${when}Z" +%s)" ;;
esac
echo "The clock of these tests: $when"

at=$PWD/.data/later
src=$(go env GOROOT)/src
rm -rf "$at" && mkdir -p "$at"

# syscall knows the shift, in seconds; a child is told the distance, or its clock would go back.
cat >"$at/shift.go" <<'GO'
package syscall

// LaterSeconds is by how much the clock of this process is ahead.
var LaterSeconds = laterSeconds()

func laterSeconds() (n int64) {
	said, _ := Getenv("AFTERGUST_LATER")
	if said == "" {
		return 0
	}
	for _, digit := range said[1:] {
		n = 10*n + int64(digit-'0')
	}
	if said[0] == '@' {
		var now Timeval
		_ = Gettimeofday(&now)
		n -= now.Sec
		digits, rest := "", n
		for ; rest > 0; rest /= 10 {
			digits = string(rune('0'+rest%10)) + digits
		}
		_ = Setenv("AFTERGUST_LATER", "+"+digits)
	}
	return n
}
GO

patch() { # FILE SED-SCRIPT: a copy with one change, which must have been made
  sed "$2" "$src/$1" >"$at/${1//\//_}"
  ! cmp -s "$src/$1" "$at/${1//\//_}" || { echo "scripts/later.sh: $1 of this Go looks different; adapt the patch" >&2; exit 1; }
}
patch time/time.go '/^func Now() Time {/,/^}/s/:= runtimeNow()$/:= runtimeNow(); sec += laterSeconds()/'
patch time/sys_unix.go '$a func laterSeconds() int64 { return syscall.LaterSeconds }'
patch syscall/syscall.go '/^func (ts \*Timespec) Unix()/,/^}/s/return int64(ts.Sec),/return int64(ts.Sec)+LaterSeconds,/'
patch os/file_posix.go 's/NsecToTimespec(t.UnixNano())/NsecToTimespec(t.UnixNano() - syscall.LaterSeconds*1e9)/'

cat >"$at/overlay.json" <<JSON
{"Replace": {
  "$src/syscall/later_shift.go": "$at/shift.go",
  "$src/time/time.go": "$at/time_time.go",
  "$src/time/sys_unix.go": "$at/time_sys_unix.go",
  "$src/syscall/syscall.go": "$at/syscall_syscall.go",
  "$src/os/file_posix.go": "$at/os_file_posix.go"
}}
JSON

export AFTERGUST_PROGRAM=$at/aftergust
export GOFLAGS="${GOFLAGS:-} -overlay=$at/overlay.json" AFTERGUST_LATER=$later
go build -o "$AFTERGUST_PROGRAM" ./cmd/aftergust
exec go test -vet=off -count=1 -timeout 60m ${PACKAGES:-$(go list ./... | grep -v /e2e)} 
