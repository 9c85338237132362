#!/bin/sh
# Builds the program for every system into a folder, from a clean checkout: static, without
# paths of this machine, with the licences of all that is in it, packed and summed. The same
# commit gives the same bytes on any machine with the same Go.
set -eu
out=$1
mkdir -p "$out"
out=$(cd "$out" && pwd)
cd "$(dirname "$0")/.."
made=$(git log -1 --format=%ct)
name=sakuji-$(git describe --tags --always --dirty)
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
./release/licences.sh > "$work/LICENCES.txt"
for target in ${TARGETS:-linux/amd64 linux/arm64 darwin/amd64 darwin/arm64 windows/amd64}; do
	os=${target%/*} arch=${target#*/} program=sakuji
	[ "$os" != windows ] || program=sakuji.exe
	folder="$work/$name-$os-$arch"
	mkdir "$folder"
	CGO_ENABLED=0 GOOS=$os GOARCH=$arch go build -buildvcs=true -trimpath -ldflags '-s -w -buildid=' -o "$folder/$program" ./cmd/sakuji
	cp README.md "$work/LICENCES.txt" "$folder"
	[ "$os" != linux ] || cp release/sakuji.service release/Containerfile "$folder"
	tar -C "$work" --sort=name --mtime="@$made" --owner=0 --group=0 --numeric-owner --mode=u+rwX,go+rX,go-w \
		-cf - "$name-$os-$arch" | gzip -9n > "$out/$name-$os-$arch.tar.gz"
	rm -r "$folder"
	echo "$name-$os-$arch.tar.gz"
done
cd "$out" && sha256sum "$name"-*.tar.gz > "$name.sha256"
echo "$name.sha256"
