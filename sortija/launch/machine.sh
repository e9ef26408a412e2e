# What a machine needs before Python can take over; sourced by ./start and ./test.
# Debian's packages are installed by apt-get as root; otherwise what is missing is named.

set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/../.." && pwd)
cd "$root"
export SORTIJA_DATA=${SORTIJA_DATA:-$root/var}
unset PYTHONDONTWRITEBYTECODE  # Python would read 600 modules anew in each process
umask 077  # what is kept here is for its owner alone
mkdir -p "$SORTIJA_DATA"
chmod 700 "$SORTIJA_DATA"

say() { printf '%s\n' "$*" >&2; }

# need_packages PACKAGE…: install what is missing, or say so.
need_packages() {
  [ $# -eq 0 ] && return
  if [ "$(id -u)" -ne 0 ]; then
    say "Missing on this machine: $*"
    say "Install with: sudo apt-get install $*"
    exit 1
  fi
  say "Installing $* …"
  # Debian would make and start a cluster of its own; Sortija brings one, and needs no other.
  if [ ! -d /etc/postgresql-common ]; then
    mkdir -p /etc/postgresql-common/createcluster.d
    echo "create_main_cluster = false" > /etc/postgresql-common/createcluster.d/sortija.conf
  fi
  local log="$SORTIJA_DATA/packages.log"
  if ! { apt-get update -qq && DEBIAN_FRONTEND=noninteractive \
      apt-get install -y -qq --no-install-recommends "$@"; } > "$log" 2>&1; then
    tail -n 20 "$log" >&2
    say "apt-get could not install $*."
    exit 1
  fi
}

missing=()
command -v python3 > /dev/null || missing+=(python3)
python3 -c 'import ensurepip, venv' 2> /dev/null || missing+=(python3-venv)
command -v npm > /dev/null || missing+=(nodejs npm)
if [ -z "${DATABASE_URL:-}" ] && ! ls /usr/lib/postgresql/*/bin/initdb > /dev/null 2>&1 \
    && ! command -v initdb > /dev/null; then
  missing+=(postgresql)
fi
if [ "${SORTIJA_NEEDS_BROWSER:-no}" = yes ] && [ ! -x /usr/bin/chromium ]; then
  missing+=(chromium)
fi
# PDF files are set by Pango.
if ! ldconfig -p 2> /dev/null | grep libpangoft2-1.0 > /dev/null; then
  missing+=(libpango-1.0-0 libpangoft2-1.0-0)
fi
need_packages "${missing[@]}"

# The front end, when its sources have changed since.
web_state() { (cd web && find src public package-lock.json vite.config.ts index.html -type f \
  -exec sha256sum {} + | LC_ALL=C sort | sha256sum | cut -c1-16); }
state=$(web_state)
built=$(cat web/dist/.state 2> /dev/null || true)
front_end() {
  # Meanwhile kernels are compiled, where this state of the core has none yet.
  if [ "$built" != "$state" ] && [ ! -e "$NUMBA_CACHE_DIR/first-screens" ]; then
    (.venv/bin/python -m sortija.launch.warm > /dev/null 2>&1 &)
  fi
  if [ ! -d web/node_modules ] || [ web/package-lock.json -nt web/node_modules/.package-lock.json ]; then
    say "Installing the front end's packages …"
    (cd web && npm ci --no-audit --no-fund --silent)
    touch web/node_modules/.package-lock.json
  fi
  if [ "$built" != "$state" ]; then
    say "Building the front end …"
    (cd web && npx vite build --logLevel warn)
  fi
}

# Python's packages, when their lock has changed since; those of the tests where tests are to run.
# A copied folder brings an environment along that still points to where it came from.
# uv installs the same files in a tenth of pip's time; where it is not to be had, pip does.
UV=0.13.9
install_from() {
  local log="$SORTIJA_DATA/pip.log"
  local pip=(.venv/bin/pip --quiet --disable-pip-version-check install)
  { [ -x .venv/bin/uv ] || "${pip[@]}" "uv==$UV"; } 2> "$log" \
    && .venv/bin/uv pip install --quiet --python .venv/bin/python --requirement "$1" 2>> "$log" \
    && return
  "${pip[@]}" --requirement "$1" 2> "$log" || { tail -n 20 "$log" >&2; exit 1; }
}
lock="$(sha256sum requirements.lock | cut -c1-16) $root"
if [ "$(cat .venv/sortija-lock 2> /dev/null)" != "$lock" ] || ! .venv/bin/python -c '' 2> /dev/null; then
  say "Installing Python packages …"
  rm -rf .venv
  python3 -m venv .venv
  install_from requirements.lock
  echo "$lock" > .venv/sortija-lock
fi
if [ "${SORTIJA_NEEDS_BROWSER:-no}" = yes ]; then
  lock="$(sha256sum requirements-test.lock | cut -c1-16)"
  if [ "$(cat .venv/sortija-test-lock 2> /dev/null)" != "$lock" ]; then
    say "Installing Python packages for the tests …"
    install_from requirements-test.lock
    echo "$lock" > .venv/sortija-test-lock
  fi
fi
NUMBA_CACHE_DIR=$(.venv/bin/python -m sortija.launch.compiled)
export NUMBA_CACHE_DIR
# The command line, wherever it is called from.
printf '#!/bin/sh\nPYTHONPATH=%q exec %q -m sortija "$@"\n' "$PWD" "$PWD/.venv/bin/python" \
  > .venv/bin/sortija
chmod 755 .venv/bin/sortija

front_end
if [ "$built" != "$state" ]; then
  .venv/bin/python -m whitenoise.compress --quiet web/dist
  echo "$state" > web/dist/.state
fi
