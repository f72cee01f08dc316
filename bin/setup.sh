# Shared by the commands in this folder: find or install what Oatmeal needs. To be sourced.
# shellcheck shell=bash
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
export PATH="$PATH:/usr/sbin:/usr/local/sbin"

# stop WORDS...: end with one sentence
stop() {
  printf 'Oatmeal cannot start. %s\n' "$*" >&2
  exit 1
}

# doing WORDS COMMAND...: say what is being done and how long it took; show its output if it fails
doing() {
  local words=$1 begun=$SECONDS log
  shift
  printf '  %s ... ' "$words"
  log=$(mktemp)
  if ! "$@" >"$log" 2>&1; then
    printf 'failed\n' >&2
    tail -n 15 "$log" >&2
    rm -f "$log"
    return 1
  fi
  rm -f "$log"
  printf '%s s\n' "$((SECONDS - begun))"
}

# need_packages NAME...: install Debian packages
need_packages() {
  [ $# -gt 0 ] || return 0
  local listed="$*" root=()
  command -v apt-get >/dev/null ||
    stop "It needs ${listed// /, }, and this is not a Debian machine: install that first."
  if [ "$(id -u)" != 0 ]; then
    command -v sudo >/dev/null && { sudo -n true 2>/dev/null || { [ -t 0 ] && sudo -v; }; } ||
      stop "Debian's package ${listed// /, } is missing: install it as root with: apt-get install $listed"
    root=(sudo -n)
  fi
  doing "Reading Debian's package lists" "${root[@]}" apt-get update -qq ||
    stop "The package lists could not be read; without them ${listed// /, } cannot be installed."
  doing "Installing Debian's ${listed// /, }" "${root[@]}" env DEBIAN_FRONTEND=noninteractive \
    apt-get install -y -qq --no-install-recommends "$@" ||
    stop "Debian's package ${listed// /, } could not be installed: see above."
}

# need_python LOCK: a virtual environment in .venv that holds exactly what the lock file names
need_python() {
  local lock=$1 python="" candidate mark
  for candidate in python3.11 python3; do
    if command -v "$candidate" >/dev/null &&
      "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
      python=$candidate
      break
    fi
  done
  [ -n "$python" ] || stop "Python 3.11 or newer is missing: install Debian's package python3."
  mark=$(cat "$lock" pyproject.toml bin/setup.sh | sha256sum | cut -c1-16)-$(pwd | sha256sum | cut -c1-8)
  [ "$(cat ".venv/$lock" 2>/dev/null)" != "$mark" ] || return 0
  if [ ! -x .venv/bin/python ] || ! .venv/bin/python -c '' 2>/dev/null; then
    rm -rf .venv
    doing "Making a virtual environment in .venv" "$python" -m venv .venv ||
      stop "A virtual environment could not be made: see above."
  fi
  doing "Installing Python packages (about a minute the first time)" \
    .venv/bin/python -m pip install --quiet --disable-pip-version-check --require-hashes -r "$lock" ||
    stop "The Python packages of $lock could not be installed: see above."
  doing "Installing Oatmeal itself" \
    .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps \
    --no-build-isolation --editable . ||
    stop "Oatmeal's own package could not be installed: see above."
  printf '%s' "$mark" >".venv/$lock"
}

# need_node: what checks the scripts, in frontend/node_modules, exactly as its lock file names it
need_node() {
  local lock=frontend/package-lock.json mark
  mark=$(sha256sum <"$lock" | cut -c1-16)
  [ "$(cat frontend/node_modules/.mark 2>/dev/null)" != "$mark" ] || return 0
  doing "Installing what checks the scripts" \
    npm ci --prefix frontend --ignore-scripts --omit=optional --no-audit --no-fund --loglevel=error ||
    stop "The packages of $lock could not be installed: see above."
  printf '%s' "$mark" >frontend/node_modules/.mark
}

# missing_packages: the Debian packages that running Oatmeal needs and that are not there
missing_packages() {
  { command -v mariadbd && command -v mariadb-install-db; } >/dev/null || echo mariadb-server
  ldconfig -p 2>/dev/null | grep -q 'libgomp\.so\.1' || echo libgomp1
  command -v python3 >/dev/null || echo python3
  { command -v python3 && python3 -c 'import ensurepip'; } >/dev/null 2>&1 || echo python3-venv
}
