#!/bin/sh
# Looks whether systemd understands the unit, with a program in place of ours, and whether it
# is shut in: its exposure, which systemd works out from 0 to 10, is at most 2.
set -eu
cd "$(dirname "$0")"
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
sed "s|^ExecStart=[^ ]*|ExecStart=/bin/true|" sakuji.service > "$work/sakuji.service"
told=$(systemd-analyze verify --man=no "$work/sakuji.service" 2>&1) || { echo "$told"; exit 1; }
[ -z "$told" ] || { echo "$told"; exit 1; }
systemd-analyze security --offline=true --threshold=20 --no-pager "$work/sakuji.service" | tail -n 1
