#!/usr/bin/env bash
# Installs what is missing from Debian's packages. "run" is what the program
# needs, "test" adds what its tests need.
set -euo pipefail
cd "$(dirname "$0")/.."
what=${1:-run}
say() { echo "visator: $*" >&2; }

command -v go >/dev/null || { say "Go 1.26 or newer is needed: install it from your system's packages or as your team does, put its bin folder into PATH, then run this again."; exit 1; }

missing=()
need() { # package, test command
  eval "$2" >/dev/null 2>&1 || missing+=("$1")
}
need postgresql 'ls /usr/lib/postgresql/*/bin/initdb'
need ffmpeg 'command -v ffmpeg'
need assimp-utils 'command -v assimp'
if [ "$what" = test ]; then
  need chromium 'command -v chromium'
  need assimp-testmodels 'test -d /usr/share/assimp/models'
  need openexr 'command -v exrheader'
  need poppler-utils 'command -v pdftotext'
  need nodejs 'command -v node'
  need npm 'command -v npm'
fi
if [ ${#missing[@]} -gt 0 ]; then
  say "installing ${missing[*]}"
  if [ "$(id -u)" = 0 ]; then
    as=()
  elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then
    as=(sudo -n)
  else
    say "these packages are missing and only root can install them: run 'apt-get install ${missing[*]}' as root, then run this again."
    exit 1
  fi
  # A cluster of the whole machine is not wanted: the project runs its own.
  if [ ! -e /etc/postgresql-common/createcluster.conf ]; then
    "${as[@]}" mkdir -p /etc/postgresql-common
    echo "create_main_cluster = false" | "${as[@]}" tee /etc/postgresql-common/createcluster.conf >/dev/null
  fi
  log=$(mktemp)
  # Another installation may be under way: wait for it instead of failing.
  apt=("${as[@]}" env DEBIAN_FRONTEND=noninteractive apt-get -o DPkg::Lock::Timeout=300)
  if ! { "${apt[@]}" update && "${apt[@]}" install -y --no-install-recommends "${missing[@]}"; } >"$log" 2>&1; then
    tail -5 "$log" >&2
    say "installing failed (above): mend that, or install ${missing[*]} by hand, then run this again."
    exit 1
  fi
  rm -f "$log"
fi
if [ "$what" = test ] && [ ! -d e2e/validator/node_modules ]; then
  (cd e2e/validator && npm ci --no-audit --no-fund --silent) || { say "the glTF validator could not be fetched: check the network for npm packages, then run this again."; exit 1; }
fi
