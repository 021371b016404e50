#!/bin/sh
# Prepares a machine and a virtual environment. Usage: setup.sh PYTHON VENV
set -eu
python=$1
venv=$2
packages="libegl1 libgl1 libxkbcommon-x11-0 libxkbcommon0 libdbus-1-3 libfontconfig1 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1 libglib2.0-0 xvfb"
"$python" -c 'import ensurepip' 2>/dev/null || packages="$packages python3-venv"

if ! "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
    echo "Lather needs Python 3.11 or newer; '$python' is $("$python" -V 2>&1). Set PYTHON=..." >&2
    exit 1
fi

missing=""
if command -v dpkg-query >/dev/null 2>&1; then
    for package in $packages; do
        state=$(dpkg-query -W -f '${Status}' "$package" 2>/dev/null || true)
        # Newer releases renamed some libraries with a t64 ending.
        other=$(dpkg-query -W -f '${Status}' "${package}t64" 2>/dev/null || true)
        case "$state$other" in *"install ok installed"*) ;; *) missing="$missing $package" ;; esac
    done
fi
if [ -n "$missing" ]; then
    if [ "$(id -u)" = 0 ]; then
        apt-get update -q && DEBIAN_FRONTEND=noninteractive apt-get install -y -q $missing
    else
        echo "System packages are missing. Run: sudo apt-get install$missing" >&2
        exit 1
    fi
fi

"$python" -m venv "$venv"
"$venv/bin/python" -m pip install --quiet --disable-pip-version-check -r requirements.lock
"$venv/bin/python" -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
