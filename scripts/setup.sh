#!/usr/bin/env bash
# Installs what is missing: Debian's packages given as arguments, then the Python environment: what Thrumble runs
# on, and after --tests what its tests need, too. Says what and why.
set -euo pipefail
cd "$(dirname "$0")/.."
lock=requirements.lock
[ "${1:-}" != --tests ] || { lock=requirements-dev.lock; shift; }
purposes="postgresql keeps the data, chromium-headless-shell runs the browser tests, node-typescript checks the scripts"
missing=()
for package in "$@"; do
  dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
done
if [ ${#missing[@]} -gt 0 ]; then
  sudo=""
  if [ "$(id -u)" != 0 ]; then
    if command -v sudo >/dev/null && sudo -n true 2>/dev/null; then sudo="sudo"
    elif command -v sudo >/dev/null && [ -t 0 ]; then sudo="sudo"
    else
      echo "Debian packages are missing: ${missing[*]} ($purposes)." >&2
      echo "There is neither root nor sudo here. Have this line run as root, then start again:" >&2
      echo "    apt-get update && apt-get install -y --no-install-recommends ${missing[*]}" >&2
      exit 1
    fi
  fi
  echo "Installing Debian packages: ${missing[*]} ($purposes)"
  $sudo apt-get -o DPkg::Lock::Timeout=300 update -qq
  if [[ " ${missing[*]} " == *" postgresql "* ]] && ! command -v pg_createcluster >/dev/null; then
    # Thrumble runs a cluster of its own; the package's default one on port 5432 is not wanted.
    $sudo apt-get -o DPkg::Lock::Timeout=300 install -y -qq --no-install-recommends postgresql-common >/dev/null
    $sudo sed -i 's/^#\?create_main_cluster.*/create_main_cluster = false/' /etc/postgresql-common/createcluster.conf
  fi
  $sudo env DEBIAN_FRONTEND=noninteractive apt-get -o DPkg::Lock::Timeout=300 install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
fi
# the database is made while the libraries come; whoever needs it starts it again and hears of any problem
database=""
if [ -n "${THRUMBLE_DATABASE_EARLY:-}" ]; then (scripts/pg.sh start >/dev/null 2>&1 || true) & database=$!; fi
python=$(command -v python3.11 || command -v python3 || true)
[ -n "$python" ] && "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' ||
  { echo "Python 3.11 or newer is needed: apt-get install -y python3 python3-venv" >&2; exit 1; }
stamp() { cat "$1" pyproject.toml | sha256sum | cut -d' ' -f1; }
installed=$(cat .venv/.stamp 2>/dev/null || true)
# an environment for tests runs Thrumble as well
if [ "$installed" != "$(stamp $lock)" ] && [ "$installed" != "$(stamp requirements-dev.lock)" ]; then
  if [ ! -x .tools/bin/uv ]; then
    echo "Installing the Python installer (uv)"
    "$python" -m venv .tools || { echo "Python's venv module is missing: apt-get install -y python3-venv" >&2; exit 1; }
    .tools/bin/pip install -q --disable-pip-version-check --require-hashes -r scripts/installer.lock
  fi
  echo "Installing the Python libraries of $lock into .venv"
  export UV_PYTHON_DOWNLOADS=never
  [ -x .venv/bin/python ] || .tools/bin/uv venv -q .venv -p "$python"
  .tools/bin/uv pip sync -q --python .venv/bin/python --require-hashes $lock
  .tools/bin/uv pip install -q --python .venv/bin/python --no-deps --no-build-isolation -e .
  # the libraries bring their own tests, an eighth of their size
  rm -rf .venv/lib/python3*/site-packages/{numpy,scipy}/{,*/,*/*/,*/*/*/}tests
  # what the server needs is compiled now, not while the first page is waited for
  .venv/bin/python -m scripts.compiled
  .venv/bin/python -m compileall -q src
  stamp $lock > .venv/.stamp
fi
[ -z "$database" ] || wait "$database"
