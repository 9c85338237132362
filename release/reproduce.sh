#!/bin/sh
# Builds the newest commit in two fresh checkouts, in folders of different names and with
# caches of their own, and compares what came out.
set -eu
cd "$(dirname "$0")/.."
work=$(mktemp -d)
trap 'git worktree prune; rm -rf "$work"' EXIT
for place in one/here another/elsewhere; do
	mkdir -p "$work/${place%/*}"
	git worktree add --quiet --detach "$work/$place" HEAD
	GOCACHE="$work/${place%/*}/cache" TARGETS="${TARGETS:-linux/amd64}" "$work/$place/release/build.sh" "$work/${place%/*}/out"
	git worktree remove --force "$work/$place"
done
diff -r "$work/one/out" "$work/another/out"
cat "$work"/one/out/*.sha256
echo "the same bytes, twice"
