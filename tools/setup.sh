#!/bin/sh
# Sets up everything that `make demo` and `make test` need: a virtual environment with the locked packages, and the
# shared libraries that Qt asks for. A second run finds all of it done and ends at once.
set -eu
cd "$(dirname "$0")/.."

QT_LIBRARIES="libegl1 libgl1 libxkbcommon0 libdbus-1-3 libfontconfig1 libglib2.0-0 libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1 libx11-xcb1"
EXTRA="${PIGTAIL_EXTRA_PACKAGES:-}"

apt_install() {
    if [ "$(id -u)" = 0 ]; then
        asroot=""
    elif command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then
        asroot="sudo"
    else
        echo "pigtail: please install these packages, then run this again: sudo apt-get install $*" >&2
        exit 1
    fi
    echo "pigtail: installing $*"
    $asroot apt-get update -qq
    $asroot env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null
}

missing() {
    for package in "$@"; do
        # libglib2.0-0 has another name on newer systems: either is right.
        dpkg-query -W -f='${Status}\n' "$package" "${package}t64" 2>/dev/null | grep -q "ok installed" || echo "$package"
    done
}

python=""
for candidate in python3.13 python3.12 python3.11 python3; do
    if command -v "$candidate" >/dev/null 2>&1 && "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
        python="$candidate"
        break
    fi
done
if [ -z "$python" ]; then
    echo "pigtail: Python 3.11 or newer is needed: sudo apt-get install python3 python3-venv" >&2
    exit 1
fi

stamp=".venv/.set-up"
wanted="$(cat requirements.lock pyproject.toml tools/setup.sh | sha256sum | cut -d' ' -f1) $("$python" -V) $PWD"
done_before=no
if [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$wanted" ]; then
    [ -n "$EXTRA" ] || exit 0
    done_before=yes
fi

if command -v dpkg-query >/dev/null 2>&1; then
    # shellcheck disable=SC2086
    absent="$(missing $QT_LIBRARIES $EXTRA)"
    if ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then
        absent="$absent python3-venv"
    fi
    # shellcheck disable=SC2086
    [ -z "$absent" ] || apt_install $absent
fi

[ "$done_before" = no ] || exit 0

echo "pigtail: making .venv with the locked packages"
rm -rf .venv
"$python" -m venv .venv
.venv/bin/python -m pip install -qq --disable-pip-version-check --require-hashes -r requirements.lock
.venv/bin/python -m pip install -qq --disable-pip-version-check --no-deps --no-build-isolation -e .
if ! QT_QPA_PLATFORM=offscreen .venv/bin/python -c 'from PyQt6 import QtWidgets, QtPdf, QtPrintSupport' 2>.venv/qt-trouble; then
    echo "pigtail: Qt cannot be loaded: $(tail -n 1 .venv/qt-trouble)" >&2
    echo "pigtail: please install these packages, then run this again: sudo apt-get install $QT_LIBRARIES" >&2
    exit 1
fi
echo "$wanted" > "$stamp"
