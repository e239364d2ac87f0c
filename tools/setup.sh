# Sourced by ./start and ./check: makes .venv from the lock files, once, and says what it does.
# Use: . tools/setup.sh; prepare requirements.lock

say() { printf '%s\n' "$*"; }

find_python() {
  for name in python3.13 python3.12 python3.11 python3; do
    if command -v "$name" >/dev/null 2>&1 && "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
      command -v "$name"
      return
    fi
  done
}

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"; elif sudo -n true 2>/dev/null; then sudo -n "$@"; else return 1; fi
}

# install_system PACKAGE...: with apt when that is possible, else the one line to run
install_system() {
  if command -v apt-get >/dev/null 2>&1 && as_root true; then
    say "Installing system packages: $*"
    as_root apt-get update -qq >/dev/null 2>&1 || true
    if as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq "$@" >/dev/null 2>&1; then return 0; fi
  fi
  say "Please run this once, then try again:  sudo apt-get install $*"
  return 1
}

prepare() {
  lock=$1
  if [ ! -x .venv/bin/python ]; then
    python=$(find_python)
    if [ -z "$python" ]; then say "Python 3.11 or newer is needed and was not found."; exit 1; fi
    say "Making .venv with $("$python" --version)"
    "$python" -m venv .venv || install_system python3-venv && "$python" -m venv .venv || exit 1
  fi
  mark=$(cat requirements.lock "$lock" pyproject.toml | sha256sum | cut -c1-16)
  if [ "$(cat ".venv/.$lock" 2>/dev/null)" != "$mark" ]; then
    say "Installing the pinned packages of $lock (a minute or two the first time)"
    # the lock is whole, with the digest of each file: nothing else is looked for
    .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps -r "$lock" || exit 1
    .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps -e . || exit 1
    printf '%s' "$mark" > ".venv/.$lock"
  fi
  # the window's own plugin needs more than what can be imported: both are looked at
  if ! .venv/bin/python -c 'from PyQt6 import QtWidgets, QtSvg' 2>/dev/null ||
    ldd .venv/lib/python*/site-packages/PyQt6/Qt6/plugins/platforms/libqxcb.so 2>/dev/null | grep -q "not found"; then
    install_system libegl1 libgl1 libxkbcommon-x11-0 libdbus-1-3 libfontconfig1 libglib2.0-0 libxcb-cursor0 libxcb-icccm4 libxcb-image0 \
      libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1 || exit 1
  fi
}

# compiles what is not compiled yet; the window does so behind itself, the tests want it before
compile_kernels() {
  say "Compiling the kernels that are not there yet (a minute or two, once)"
  .venv/bin/tenka warm || exit 1
}
