#!/bin/sh
# Compares the committed styles and scripts with what their sources build now.
set -eu
new=$(mktemp -d)
trap 'rm -rf "$new"' EXIT
node web/src/build.mjs "$new"
cp web/static/mark.svg "$new/"
if ! diff -rq web/static "$new"; then
	echo "web/static is stale: run make assets and commit what it builds" >&2
	exit 1
fi
