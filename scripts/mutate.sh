#!/usr/bin/env bash
# Breaks core and the parts of the work in small ways, one at a time, and counts which
# breaks their tests notice. Works on a copy; writes the table of docs/mutants.md and
# keeps what stands below it. With names of packages, only these are broken anew.
set -euo pipefail
cd "$(dirname "$0")/.."
top=$PWD
packages=${*:-$(go list ./core/... ./internal/ground/... ./internal/out/... ./internal/who/... ./internal/files/... ./internal/web ./internal/parts/... | sed s#^aftergust/##)}
out=$top/.data/mutants
work=$(mktemp -d /var/tmp/aftergust-mutate-XXXXXX)
trap 'rm -rf "$work"' EXIT
mkdir -p "$out"
git archive HEAD | tar -x -C "$work"
rm -rf "$work/ui/node_modules" && ln -s "$top/ui/node_modules" "$work/ui/node_modules"
GOBIN=$work/.bin go install github.com/go-gremlins/gremlins/cmd/gremlins@v0.6.0
cd "$work"
export GOFLAGS=-short
for package in $packages; do
  echo "$package"
  "$work/.bin/gremlins" unleash "./$package" --workers 1 --timeout-coefficient 8 --invert-logical --invert-loopctrl \
    --invert-assignments --remove-self-assignments -o "$out/${package//\//_}.json" > "$out/${package//\//_}.log" 2>&1 ||
    { tail -n 3 "$out/${package//\//_}.log"; exit 1; }
done
cd "$top"
node scripts/mutants.mjs
