#!/usr/bin/env bash
# Prepares everything that the project needs on a Debian machine: system libraries for Qt,
# a virtual environment, the locked packages, the project itself. Does nothing when all is there.
set -euo pipefail
cd "$(dirname "$0")/.."

packages=(python3-venv libegl1 libgl1 libglib2.0-0 libxkbcommon0 libxkbcommon-x11-0 libdbus-1-3
          libfontconfig1 libxcb-cursor0 libxcb-icccm4 libxcb-keysyms1 libxcb-shape0
          fonts-inter fonts-dejavu-core tzdata mbpoll dbus-daemon)
libraries=(libEGL.so.1 libGL.so.1 libglib-2.0.so.0 libxkbcommon.so.0 libxkbcommon-x11.so.0
           libdbus-1.so.3 libfontconfig.so.1 libxcb-cursor.so.0 libxcb-icccm.so.4
           libxcb-keysyms.so.1 libxcb-shape.so.0)
programs=(mbpoll dbus-daemon) # the tests' independent peers

missing() {
    local known
    known=$(/sbin/ldconfig -p 2>/dev/null || true)
    for library in "${libraries[@]}"; do
        grep -q "$library" <<<"$known" || { echo "$library"; return; }
    done
    for program in "${programs[@]}"; do
        command -v "$program" >/dev/null || { echo "$program"; return; }
    done
    [ -e /usr/share/fonts/opentype/inter ] || [ -e .cache/no-fonts ] || echo fonts-inter
    python3 -c 'import ensurepip, venv' 2>/dev/null || echo python3-venv
}

if [ -n "$(missing)" ]; then
    install="apt-get install -y --no-install-recommends ${packages[*]}"
    if [ "$(id -u)" = 0 ]; then
        as_root=""
    elif sudo -n true 2>/dev/null; then
        as_root="sudo"
    else
        echo "Some system libraries are missing. Please type this once, then try again:" >&2
        echo "    sudo $install" >&2
        exit 1
    fi
    echo "Installing system libraries ..."
    $as_root apt-get update -qq
    $as_root env DEBIAN_FRONTEND=noninteractive $install -qq >/dev/null
fi

python3 -c 'import sys; sys.exit(not (3, 11) <= sys.version_info[:2] <= (3, 13))' || {
    echo "Gezeiten needs Python 3.11 to 3.13; python3 here is $(python3 --version)." >&2
    exit 1
}

stamp=$( (cat requirements/all.lock pyproject.toml; python3 --version) | sha256sum | cut -d' ' -f1)
if [ "$(cat .venv/ready 2>/dev/null || true)" != "$stamp" ]; then
    echo "Installing packages into .venv ..."
    python3 -m venv --clear .venv
    # compiled when it is first needed: half of it never is
    .venv/bin/python -m pip install -q --disable-pip-version-check --no-compile \
        --require-hashes -r requirements/all.lock
    .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps \
        --no-build-isolation -e .
    echo "$stamp" >.venv/ready
fi
