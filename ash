#!/usr/bin/env bash
# Ash Blend's one command. Installs what is missing, then does what it is asked.
#
#   ./ash demo     serve with the sample project Skerry Station
#   ./ash serve    serve without sample data
#   ./ash test     linters, types and all tests
#   ./ash bench    measure what is promised to be fast
#   ./ash torment  damage files and kill servers for ten minutes (--minutes N)
#   ./ash lock     write the lock files anew from locks/*.in
#   ./ash client   generate the front end's client from the server's description
#   ./ash screenshots [ADDRESS]   take docs/screenshots anew from a running demo
set -euo pipefail
cd "$(dirname "$(readlink -f "$0")")"

own=.ash
venv=$own/venv
python=$venv/bin/python
export PYTHONPATH=src NUMBA_THREADING_LAYER=omp
export PATH="$PWD/$venv/bin:$PATH"

say() { printf '%s\n' "$*" >&2; }

# Debian packages, by the program that shows they are there.
need() { # program-or-file package
  command -v "$1" >/dev/null 2>&1 || compgen -G "$1" >/dev/null 2>&1 || missing+=("$2")
}

install_packages() {
  ((${#missing[@]})) || return 0
  local install="apt-get install -y --no-install-recommends ${missing[*]}"
  if [[ $EUID -ne 0 ]] && ! sudo -n true 2>/dev/null; then
    say "These Debian packages are missing. Run this once, then start again:"
    say "  sudo $install"
    exit 1
  fi
  local as_root=()
  [[ $EUID -eq 0 ]] || as_root=(sudo -n)
  say "Installing: ${missing[*]}"
  # Debian's package would make and start a cluster of its own; ours is private.
  if [[ " ${missing[*]} " == *" postgresql "* && ! -e /etc/postgresql-common/createcluster.conf ]]; then
    "${as_root[@]}" mkdir -p /etc/postgresql-common
    echo "create_main_cluster = false" | "${as_root[@]}" tee /etc/postgresql-common/createcluster.conf >/dev/null
  fi
  "${as_root[@]}" apt-get update -qq
  DEBIAN_FRONTEND=noninteractive "${as_root[@]}" $install -qq >/dev/null
}

# A stamp says which input something was made from.
fresh() { # stamp input...
  local stamp=$1
  shift
  [[ -f $stamp && $(cat "$stamp") == "$(cat "$@" | sha256sum)" ]]
}
stamp() {
  local file=$1
  shift
  cat "$@" | sha256sum >"$file"
}

python_packages() { # lock
  fresh "$own/$1.stamp" "locks/$1.lock" && [[ -x $python ]] && return 0
  if [[ ! -x $python ]]; then
    say "Making the Python environment …"
    python3 -m venv "$venv"
  fi
  say "Installing Python packages ($1) …"
  "$python" -m pip install -q --disable-pip-version-check --require-hashes -r "locks/$1.lock" 2>&1 |
    { grep -vE "^(WARNING: Location|\[notice\])" || true; } >&2
  [[ ${PIPESTATUS[0]} -eq 0 ]] || exit 1
  stamp "$own/$1.stamp" "locks/$1.lock"
}

# Vite needs Node 20.19 or newer; Debian 12 has 18. A wheel brings one where it is missing.
node_ready() { node -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 20 || (a === 20 && b >= 19) ? 0 : 1)' 2>/dev/null && command -v npm >/dev/null; }

node_packages() {
  node_ready || python_packages node
  fresh "$own/web.stamp" web/package-lock.json web/package.json && [[ -d web/node_modules ]] && return 0
  say "Installing front-end packages …"
  (cd web && npm ci --silent --no-audit --no-fund)
  stamp "$own/web.stamp" web/package-lock.json web/package.json
}

web_sources() { find web/src web/public web/index.html web/vite.config.ts web/package-lock.json -type f | LC_ALL=C sort; }

build_web() {
  local sources
  mapfile -t sources < <(web_sources)
  fresh "$own/dist.stamp" "${sources[@]}" && [[ -f web/dist/index.html ]] && return 0
  node_packages
  say "Building the front end …"
  (cd web && npm run --silent build >/dev/null)
  stamp "$own/dist.stamp" "${sources[@]}"
}

for_running() {
  missing=()
  need python3 python3
  python3 -c 'import ensurepip' 2>/dev/null || missing+=(python3-venv)
  need '/usr/lib/postgresql/*/bin/initdb' postgresql
  # numba's OpenMP layer.
  need '/usr/lib/*/libgomp.so.1' libgomp1
  install_packages
  mkdir -p "$own"
}

# The core knows no browser, no database and no web, and neither do its tests.
of_the_core() {
  local paths=0 argument
  for argument in "$@"; do
    case $argument in
      -*) ;;
      tests/core | tests/core/*) paths=1 ;;
      *) return 1 ;;
    esac
  done
  ((paths))
}

for_testing_the_core() {
  missing=()
  need python3 python3
  python3 -c 'import ensurepip' 2>/dev/null || missing+=(python3-venv)
  # numba's OpenMP layer.
  need '/usr/lib/*/libgomp.so.1' libgomp1
  install_packages
  mkdir -p "$own"
  python_packages dev
}

for_testing() {
  for_running
  missing=()
  need chromium-headless-shell chromium-headless-shell
  need glslangValidator glslang-tools
  # The outside that slopes are held against.
  need gdaldem gdal-bin
  install_packages
  python_packages dev
  node_packages
  build_web
}

command=${1:-help}
shift || true
case $command in
  demo | serve)
    for_running
    python_packages runtime
    build_web
    exec "$python" -m ashblend.launch "$command" "$@"
    ;;
  bench)
    for_running
    python_packages runtime
    build_web
    exec "$python" -m ashblend.launch bench "$@"
    ;;
  test)
    if of_the_core "$@"; then
      for_testing_the_core
      exec "$python" -m pytest "$@"
    fi
    for_testing
    # A file each, with a database and a server of their own; two at a time on two cores, as a browser beside its server
    # takes more than one of them by itself. (Three at a time took as long and missed more deadlines.)
    exec "$python" -m pytest -n 2 --dist loadfile --no-loadscope-reorder "$@"
    ;;
  torment)
    for_testing
    export PYTHONPATH=src:tests
    exec "$python" -m torment "$@"
    ;;
  client)
    for_testing
    "$python" -m ashblend.launch.describe web/openapi.json
    (cd web && npm run --silent client)
    ;;
  screenshots)
    for_testing
    exec "$python" docs/take_screenshots.py "$@"
    ;;
  lock)
    for_testing
    "$python" -m pip install -q uv
    for name in runtime dev node; do
      (cd locks && uv pip compile -q --universal --generate-hashes --no-header --python-version 3.11 "$name.in" -o "$name.lock")
    done
    (cd web && npm install --package-lock-only --silent)
    ;;
  *)
    sed -n '2,12s/^# \{0,1\}//p' "$0"
    [[ $command == help ]]
    ;;
esac
