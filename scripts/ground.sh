# The ground that ./start and ./test stand on: Debian packages, the virtual environment, the built interface.
# Sourced, not run. Every step is skipped where it has been done for the same inputs.

set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."

step() { printf '· %s\n' "$*"; }
stop() { printf '%s\n' "$*" >&2; exit 1; }

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"
  elif command -v sudo >/dev/null; then sudo "$@"
  else stop "These Debian packages are missing and there is neither root nor sudo to install them: $*"
  fi
}

# there PROBE: whether a command, a file (by its whole path) or a Python module (py:NAME) is there.
there() {
  case $1 in
    py:*) python3 -c "import ${1#py:}" 2>/dev/null ;;
    /*) [ -e "$1" ] ;;
    *) PATH=$PATH:/usr/sbin command -v "$1" >/dev/null ;;
  esac
}

# debian PROBE=PACKAGE …: installs the packages whose probe is not there.
debian() {
  local missing=() pair
  for pair in "$@"; do
    there "${pair%%=*}" || missing+=("${pair#*=}")
  done
  [ ${#missing[@]} = 0 ] && return
  command -v apt-get >/dev/null || stop "These packages are missing and this is no Debian machine: ${missing[*]}"
  step "Installing Debian packages: ${missing[*]}"
  as_root env DEBIAN_FRONTEND=noninteractive apt-get update -qq >/dev/null
  as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}

# stamp FOLDER: what was last made there; made FOLDER HASH notes it.
stamp() { cat "$1/.made" 2>/dev/null || true; }
made() { printf '%s' "$2" >"$1/.made"; }

# lock_hash LOCK: what .venv is stamped with once a lock file's packages are in it.
lock_hash() { cat "$1" pyproject.toml | sha256sum; }

# python_ready LOCK: whether the virtual environment holds a lock file's packages; the larger lock serves the smaller one too.
python_ready() {
  local made
  made=$(stamp .venv)
  [ "$made" = "$(lock_hash "$1")" ] || { [ "$1" = requirements.lock ] && [ "$made" = "$(lock_hash requirements-dev.lock)" ]; }
}

python_packages() {
  local lock=$1
  python3 -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))' ||
    stop "Python 3.11 is wanted; this is $(python3 --version 2>&1)."
  step "Installing Python packages from $lock"
  [ -x .venv/bin/python ] || python3 -m venv .venv
  .venv/bin/python -m pip install -q --disable-pip-version-check -r "$lock"
  .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps -e .
  made .venv "$(lock_hash "$lock")"
}

# Where Python may not keep what it compiles by itself, every process would compile our code anew.
compiled_ahead() { .venv/bin/python -m compileall -q src; }

# The interface: packages by npm ci, then the build.
interface() {
  local locked built
  locked=$(cat web/package.json web/package-lock.json | sha256sum)
  if [ "$(stamp web/node_modules)" != "$locked" ]; then
    command -v node >/dev/null || stop "Node 20 or newer is wanted; it is not installed."
    [ "$(node -p 'process.versions.node.split(".")[0]')" -ge 20 ] || stop "Node 20 or newer is wanted; this is $(node --version)."
    step "Installing the interface's packages"
    (cd web && npm ci --no-audit --no-fund --loglevel=error)
    made web/node_modules "$locked"
  fi
  built=$( (echo "$locked"; find web/src web/index.html web/vite.config.ts web/public -type f 2>/dev/null | sort | xargs cat) | sha256sum)
  if [ "$(stamp web/dist)" != "$built" ]; then
    step "Building the interface"
    (cd web && npx vite build --logLevel warn)
    made web/dist "$built"
  fi
}

# to_run [LOCK]: what the server and the command line need.
to_run() {
  local lock=${1:-requirements.lock}
  debian mariadbd=mariadb-server
  python_ready "$lock" || {
    debian py:ensurepip=python3-venv
    python_packages "$lock"
  }
  compiled_ahead
}
