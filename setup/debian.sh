#!/bin/sh
# Sees to it that Python 3.11 with venv, the libraries under Qt and the packages named as arguments are there:
# installs them when root, otherwise says what to install.
set -e
packages=""
python=$(command -v python3.11 || command -v python3 || true)
if [ -z "$python" ] || ! "$python" -c 'import sys, venv, ensurepip; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
    packages="python3 python3-venv"
fi
if command -v dpkg-query >/dev/null; then
    for name in libegl1 libgl1 libglib2.0-0 libfontconfig1 libdbus-1-3 libxkbcommon0 libxkbcommon-x11-0 libxcb-cursor0 \
        libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xkb1 \
        fonts-dejavu-core "$@"; do
        dpkg-query -W -f '${Status}' "$name" 2>/dev/null | grep -q "install ok installed" || packages="$packages $name"
    done
fi
[ -z "$packages" ] && exit 0
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    apt-get update -q
    # shellcheck disable=SC2086
    DEBIAN_FRONTEND=noninteractive apt-get install -q -y --no-install-recommends $packages
else
    echo "Tarnwater needs Python 3.11 or newer with its venv module, and libraries for its window. Install first:" >&2
    echo "    sudo apt-get install $packages" >&2
    exit 1
fi
