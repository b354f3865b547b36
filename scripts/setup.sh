#!/usr/bin/env bash
# Installs the Debian packages that are missing. Needs root or sudo only if any is.
set -euo pipefail

for tool in go node npm; do
  command -v "$tool" >/dev/null || { echo "Aftergust needs $tool; install it first (Go 1.26, Node 20)." >&2; exit 1; }
done

packages=(
  postgresql ffmpeg libvips-tools poppler-utils fontconfig fonts-dejavu-core bubblewrap   # to run
  chromium unzip p7zip-full xxhash curl sox python3 python3-webvtt zbar-tools qpdf aria2 openssl                # for tests
  nginx-light haproxy                                                 # as proxies in front, and for benches
  faketime xfsprogs                                                   # for other days, and for losses of power
)
missing=()
for package in "${packages[@]}"; do
  dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
done
[ "${#missing[@]}" -eq 0 ] && exit 0

as_root=()
if [ "$(id -u)" -ne 0 ]; then
  command -v sudo >/dev/null || { echo "As root, install: ${missing[*]}" >&2; exit 1; }
  as_root=(sudo)
fi
echo "Installing Debian packages: ${missing[*]}"
# Their own servers are not wanted: no service may start on install.
policy=/usr/sbin/policy-rc.d
if [ ! -e "$policy" ]; then
  "${as_root[@]}" sh -c "printf '#!/bin/sh\nexit 101\n' > $policy && chmod +x $policy"
  trap '"${as_root[@]}" rm -f "$policy"' EXIT
fi
export DEBIAN_FRONTEND=noninteractive
log=$(mktemp)
if ! { "${as_root[@]}" apt-get update && "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends "${missing[@]}"; } >"$log" 2>&1; then
  tail -n 30 "$log" >&2
  echo "The packages could not be installed. Nothing else was changed." >&2
  exit 1
fi
