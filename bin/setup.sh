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

# doing WORDS COMMAND...: say what is being done, with a dot every two seconds, and how long it took; show its
# output if it fails
doing() {
  local words=$1 begun=$SECONDS log ticking failed=0
  shift
  printf '  %s ...' "$words"
  log=$(mktemp)
  while sleep 2 && kill -0 $$ 2>/dev/null; do printf '.'; done &
  ticking=$!
  "$@" >"$log" 2>&1 || failed=$?
  kill "$ticking" 2>/dev/null
  wait "$ticking" 2>/dev/null || true
  if [ "$failed" != 0 ]; then
    printf ' failed\n' >&2
    tail -n 15 "$log" >&2
  else
    printf ' %s s\n' "$((SECONDS - begun))"
  fi
  rm -f "$log"
  return "$failed"
}

# need_root PACKAGE...: find how packages may be installed, in the array "root", or say what is missing
need_root() {
  local listed="$*"
  root=()
  command -v apt-get >/dev/null ||
    stop "It needs ${listed// /, }, and this is not a Debian machine: install that first."
  [ "$(id -u)" != 0 ] || return 0
  command -v sudo >/dev/null && { sudo -n true 2>/dev/null || { [ -t 0 ] && sudo -v; }; } ||
    stop "Debian's package ${listed// /, } is missing: install it as root with: apt-get install $listed"
  root=(sudo -n)
}

# install_packages NAME...: read Debian's package lists and install what is named
install_packages() {
  "${root[@]}" apt-get update -qq &&
    "${root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@"
}

# need LOCK PACKAGE...: Debian's packages, and a virtual environment in .venv that holds exactly what the lock file
# names; what Python is made of first, the other packages beside Python's own
need() {
  local lock=$1 log beside="" first=() rest=() one
  shift
  for one in "$@"; do
    case $one in python3*) first+=("$one") ;; *) rest+=("$one") ;; esac
  done
  if [ "${#first[@]}" != 0 ]; then
    need_root "$@"
    doing "Installing Debian's ${first[*]}" install_packages "${first[@]}" ||
      stop "Debian's package ${first[*]} could not be installed: see above."
  fi
  if [ "${#rest[@]}" != 0 ]; then
    need_root "${rest[@]}"
    log=$(mktemp)
    printf '  Installing Debian'"'"'s %s beside what follows\n' "${rest[*]}"
    install_packages "${rest[@]}" >"$log" 2>&1 &  # Ctrl-C does not reach it: packages are never left half installed
    beside=$!
  fi
  need_python "$lock"
  if [ -n "$beside" ]; then
    doing "Waiting for ${rest[*]}" ended "$beside" "$log" ||
      stop "Debian's package ${rest[*]} could not be installed: see above."
  fi
}

# ended PROCESS LOG: wait for a process of this shell; print what it said
ended() {
  local failed=0
  wait "$1" || failed=$?
  cat "$2"
  rm -f "$2"
  return "$failed"
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
  # one that was not made to its end, or into which packages were not installed to theirs, is made anew
  if [ -e .venv/unfinished ] || ! .venv/bin/python -m pip --version >/dev/null 2>&1; then
    rm -rf .venv
    doing "Making a virtual environment in .venv" "$python" -m venv .venv ||
      stop "A virtual environment could not be made: see above."
  fi
  touch .venv/unfinished
  doing "Installing Python packages" install_python "$lock" ||
    stop "The Python packages of $lock could not be installed: see above."
  rm -f .venv/unfinished
  printf '%s' "$mark" >".venv/$lock"
}

# install_python LOCK: what the lock file names, and Oatmeal itself; with uv, which is quicker, or with pip alone
install_python() {
  local lock=$1 pip=(.venv/bin/python -m pip) index
  # uv keeps to the certificates of the system, and to the index that pip is set to
  export UV_SYSTEM_CERTS=1 UV_NATIVE_TLS=1
  index=${PIP_INDEX_URL:-$("${pip[@]}" config get global.index-url 2>/dev/null || true)}
  if "${pip[@]}" install --quiet --disable-pip-version-check --require-hashes -r <(locked uv "$lock") &&
    .venv/bin/uv pip install --quiet --python .venv/bin/python ${index:+--index-url "$index"} \
      --require-hashes -r "$lock"; then
    .venv/bin/uv pip install --quiet --python .venv/bin/python --no-deps --no-build-isolation --editable .
    return
  fi
  "${pip[@]}" install --quiet --disable-pip-version-check --require-hashes -r "$lock" &&
    "${pip[@]}" install --quiet --disable-pip-version-check --no-deps --no-build-isolation --editable .
}

# locked NAME LOCK: the lines of one package of a lock file
locked() {
  awk -v name="$1==" 'index($0, name) == 1 { on = 1 } on { print } on && !/\\$/ { exit }' "$2"
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
  command -v python3 >/dev/null || echo python3
  { command -v python3 && python3 -c 'import ensurepip'; } >/dev/null 2>&1 || echo python3-venv
}
