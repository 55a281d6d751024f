#!/bin/sh
# Sees to it that Python 3.11 with venv is there: installs it when root, otherwise says what to install.
set -e
python=$(command -v python3.11 || command -v python3 || true)
if [ -n "$python" ] && "$python" -c 'import sys, venv, ensurepip; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
    exit 0
fi
packages="python3 python3-venv"
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    apt-get update -q
    DEBIAN_FRONTEND=noninteractive apt-get install -q -y --no-install-recommends $packages
else
    echo "Tarnwater needs Python 3.11 or newer with its venv module. Install it first:" >&2
    echo "    sudo apt-get install $packages" >&2
    exit 1
fi
