#!/bin/sh
# Prints the licence of every module that is linked into the program, of Go itself, and of
# the fonts, styles and scripts that it carries. One that has none stops it.
set -eu
cd "$(dirname "$0")/.."
rule() { printf '\n%s\n%s\n\n' "$1" "$(printf '%s' "$1" | tr -c '\n' -)"; }
rule "Go $(go env GOVERSION | sed s/^go//)"
cat "$(go env GOROOT)/LICENSE"
# Every system links the same modules but for a few of its own.
for os in linux darwin windows; do
	GOOS=$os go list -deps -f '{{with .Module}}{{if not .Main}}{{.Path}} {{.Version}}	{{.Dir}}{{end}}{{end}}' ./cmd/sakuji
done | sort -u | while IFS='	' read -r module dir; do
	texts=$(find "$dir" -maxdepth 1 -type f \( -iname 'licen[cs]e*' -o -iname 'copying*' -o -iname 'notice*' \) | sort)
	[ -n "$texts" ] || { echo "$module has no licence" >&2; exit 1; }
	rule "$module"
	echo "$texts" | while read -r text; do cat "$text"; echo; done
done
rule "Fonts, styles and scripts"
cat web/static/LICENCES.txt
