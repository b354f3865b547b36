#!/usr/bin/env bash
# Looks whether known vulnerabilities reach what we call, where the databases of them
# can be reached; where not, says so and passes.
set -uo pipefail
cd "$(dirname "$0")/.."
said=$(mktemp)
trap 'rm -f "$said"' EXIT
limit=${VULNERABILITIES_LIMIT:-25}

govulncheck() { timeout "$1" go run golang.org/x/vuln/cmd/govulncheck@v1.1.4 "${@:2}" >"$said" 2>&1; }
# The versions of modules are looked at in no time; only if one is named there, what we call is read.
govulncheck "$limit" -scan module
found=$?
[ $found -ne 3 ] || { govulncheck 300 ./...; found=$?; }
case $found in
0) echo "Go: no known vulnerability reaches our code" ;;
3) cat "$said"; exit 1 ;;
*) echo "Go: known vulnerabilities were not looked up, their database cannot be reached from here" ;;
esac

(cd ui && timeout "$limit" npm audit --audit-level=moderate --json) >"$said" 2>/dev/null
if grep -q '"auditReportVersion"' "$said"; then
  if grep -Eq '"(moderate|high|critical)": *[1-9]' "$said"; then
    (cd ui && npm audit --audit-level=moderate)
    exit 1
  fi
  echo "npm: no known vulnerability"
else
  echo "npm: known vulnerabilities were not looked up, their database cannot be reached from here"
fi
