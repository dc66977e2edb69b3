#!/bin/sh
# Make sure the system libraries that Qt needs are there: install them with apt when root, else print the line to run.
set -eu
PACKAGES="libegl1 libgl1 libglib2.0-0 libxkbcommon0 libxkbcommon-x11-0 libdbus-1-3 libfontconfig1 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1 xvfb"
command -v dpkg-query >/dev/null 2>&1 || exit 0
missing=""
for p in $PACKAGES; do
    dpkg-query -W -f '${Status}' "$p" 2>/dev/null | grep -q "install ok installed" || missing="$missing $p"
done
[ -n "$missing" ] || exit 0
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null 2>&1; then
    apt-get update -qq
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >/dev/null
else
    echo "Qt needs system libraries that are not installed. Run this, then the same make command again:" >&2
    echo "    sudo apt-get install$missing" >&2
    exit 1
fi
