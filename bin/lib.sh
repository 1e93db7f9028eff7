# Shared steps of bin/start and bin/test. Every step can be run again at any time.
set -euo pipefail
ROOT=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
VAR=${HUSH_VAR:-$ROOT/var}
PG=/usr/lib/postgresql/15/bin
PY=$ROOT/.venv/bin/python
export HUSH_VAR=$VAR
mkdir -p "$VAR"
# the engine makes many small products in several processes: threads of their own would only fight
export OPENBLAS_NUM_THREADS=${OPENBLAS_NUM_THREADS:-1}
# what has been compiled once is kept: a program that starts would otherwise compile all of its packages, for some seconds
unset PYTHONDONTWRITEBYTECODE
# many threads would each keep freed memory for themselves
export MALLOC_ARENA_MAX=${MALLOC_ARENA_MAX:-2}

say() { printf '  %s\n' "$*"; }

as_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }

# need PROGRAM PACKAGE...: install Debian packages when a program is missing
need() {
  local program=$1; shift
  if [ -x "$program" ] || command -v "$program" >/dev/null 2>&1; then return; fi
  say "Installing from Debian: $*"
  export DEBIAN_FRONTEND=noninteractive
  as_root apt-get update -qq
  as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >"$VAR/apt.log" 2>&1 || {
    tail -5 "$VAR/apt.log" >&2; exit 1; }
}

# libraries that draw the reports' pages
drawing() {
  if ldconfig -p | grep -q libpangoft2-1.0; then return; fi
  need no-such-program libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0
}

# packages of the host: python with venv, node, the database server
host() {
  need "$PG/postgres" postgresql-15
  need setpriv util-linux
  drawing
  if ! python_command >/dev/null; then need python3.11 python3.11 python3.11-venv; fi
  if ! "$(python_command)" -c 'import ensurepip' 2>/dev/null; then
    as_root apt-get update -qq; as_root apt-get install -y -qq python3.11-venv >>"$VAR/apt.log" 2>&1
  fi
  if ! command -v node >/dev/null || [ "$(node -p 'parseInt(process.versions.node)')" -lt 18 ]; then need node-18 nodejs npm; fi
}

python_command() {
  local found
  for found in python3.11 python3; do
    if command -v "$found" >/dev/null && "$found" -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))'; then
      command -v "$found"; return
    fi
  done
  return 1
}

# python_packages main|dev: what the lock file says goes into .venv, nothing else does
python_packages() {
  local lock=$ROOT/requirements/$1.lock stamp=$ROOT/.venv/installed
  local sum; sum="$1 $(cat "$lock" "$ROOT/requirements/uv.lock" "$ROOT/pyproject.toml" | sha256sum)"
  if [ "$1" = main ] && [ -f "$stamp" ] && grep -qx "dev $(cat "$ROOT/requirements/dev.lock" "$ROOT/requirements/uv.lock" "$ROOT/pyproject.toml" | sha256sum)" "$stamp"; then return; fi
  if [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$sum" ]; then return; fi
  say "Installing Python packages into .venv"
  [ -x "$PY" ] || "$(python_command)" -m venv "$ROOT/.venv"
  "$PY" -m pip install -q --disable-pip-version-check --require-hashes -r "$ROOT/requirements/uv.lock" 2>"$VAR/pip.log" || { tail -5 "$VAR/pip.log" >&2; exit 1; }
  (cd "$ROOT" && .venv/bin/uv pip install -q --require-hashes -r "$lock" --python "$PY" && .venv/bin/uv pip install -q --no-deps -e . --python "$PY") 2>"$VAR/pip.log" || { tail -5 "$VAR/pip.log" >&2; exit 1; }
  echo "$sum" >"$stamp"
}

web_packages() {
  local stamp=$ROOT/web/node_modules/.installed sum
  sum=$(sha256sum <"$ROOT/web/package-lock.json")
  if [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$sum" ]; then return; fi
  say "Installing web packages"
  (cd "$ROOT/web" && npm ci --ignore-scripts >"$VAR/npm.log" 2>&1) || { tail -15 "$VAR/npm.log" >&2; exit 1; }
  echo "$sum" >"$stamp"
}

web_build() {
  local stamp=$ROOT/web/dist/.built sum
  sum=$(cd "$ROOT/web" && find src public index.html *.json *.ts -type f 2>/dev/null | sort | xargs cat | sha256sum)
  if [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$sum" ]; then return; fi
  web_packages
  say "Building the screens"
  (cd "$ROOT/web" && npm run -s build >"$VAR/build.log" 2>&1) || { tail -25 "$VAR/build.log" >&2; exit 1; }
  echo "$sum" >"$stamp"
}

# PostgreSQL may not run as root: hand its folder and its programs to the postgres user then
as_postgres() {
  if [ "$(id -u)" = 0 ]; then (cd / && setpriv --reuid=postgres --regid=postgres --init-groups --reset-env -- "$@"); else "$@"; fi
}

# A folder that the postgres user can reach, also when the checkout lies where only root may look
cluster_place() {
  if [ "$(id -u)" != 0 ]; then echo "$VAR/$1"; return; fi
  if (cd / && setpriv --reuid=postgres --regid=postgres --init-groups --reset-env -- test -x "$VAR"); then echo "$VAR/$1"; return; fi
  echo "/var/lib/postgresql/hush-$(echo "$VAR" | sha256sum | cut -c1-8)-$1"
}

# database NAME PORT [extra options]: a private cluster on loopback, made on first use
database() {
  local place port=$2 more=${3:-}
  place=$(cluster_place "$1")
  if [ ! -f "$place/PG_VERSION" ]; then
    say "Making a private PostgreSQL cluster"
    mkdir -p "$place"
    if [ "$(id -u)" = 0 ]; then chown postgres "$place"; fi
    as_postgres "$PG/initdb" -D "$place" -U hush -A trust -E UTF8 --locale=C.UTF-8 >"$VAR/initdb.log"
  fi
  if ! as_postgres "$PG/pg_ctl" -D "$place" status >/dev/null 2>&1; then
    say "Starting PostgreSQL on 127.0.0.1:$port"
    as_postgres "$PG/pg_ctl" -D "$place" -w -s -l "$place/server.log" -o "-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories=$place $more" start
    DATABASE_STARTED="${DATABASE_STARTED:-} $place"
  fi
  export HUSH_DB_HOST=127.0.0.1 HUSH_DB_PORT=$port HUSH_DB_USER=hush
}

database_stop() {
  local place
  for place in ${DATABASE_STARTED:-}; do as_postgres "$PG/pg_ctl" -D "$place" -s -m fast stop || true; done
}
