#!/bin/sh
# Hold the desktop entry and the metadata to their validators, where they are present.
set -eu
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
.venv/bin/python -m hanabira.desktop.install "$folder" >/dev/null
if command -v desktop-file-validate >/dev/null 2>&1; then desktop-file-validate "$folder"/share/applications/*.desktop; fi
if command -v appstreamcli >/dev/null 2>&1; then appstreamcli validate --no-net --no-color "$folder"/share/metainfo/*.xml >/dev/null; fi
