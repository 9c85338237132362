# `make test` is the whole check, on a machine with Go, git and Debian's packages.

.PHONY: test bench poppler admesh nest assets assets-fresh chromium shots fuzz siege release release-check release-lint

test: chromium poppler assets-fresh node_modules
	@test -z "$$(git ls-files '*.go' | xargs gofmt -l)" || { echo "gofmt would change:"; git ls-files '*.go' | xargs gofmt -l; exit 1; }
	go vet ./...
	go tool staticcheck ./...
	@if command -v npm >/dev/null; then node --test web/src/test/; else echo "node is not here: the scripts’ own tests are left out"; fi
	go test -timeout 30m ./...

# The browser tests drive Debian's Chromium.
chromium:
	@command -v chromium >/dev/null || { apt-get update -qq && apt-get install -y -qq chromium; }

# The tests of papers read them with Debian's poppler.
poppler:
	@command -v pdftotext >/dev/null || { apt-get update -qq && apt-get install -y -qq poppler-utils; }

# What the benchmarks measure against.
admesh:
	@command -v admesh >/dev/null || { apt-get update -qq && apt-get install -y -qq admesh; }

NEST := /tmp/sakuji-nest
nest:
	@test -d /usr/include/libnest2d || { apt-get update -qq && apt-get install -y -qq g++ libnest2d-dev libpolyclipping-dev libnlopt-cxx-dev libnlopt-dev libboost-dev; }
	@test -x $(NEST) || g++ -O2 -std=c++14 -DNDEBUG -DLIBNEST2D_GEOMETRIES_clipper -DLIBNEST2D_OPTIMIZER_nlopt -DLIBNEST2D_THREADING_std core/plate/testdata/against/nest.cpp -o $(NEST) -lpolyclipping -lnlopt -lpthread

node_modules: package-lock.json
	npm ci --no-audit --no-fund
	@touch node_modules

# Rebuilds the styles and scripts that the program carries.
assets: node_modules
	node web/src/build.mjs web/static

# Fails when the committed styles and scripts are not what the sources give. Where
# there is no npm, nothing can be compared.
assets-fresh:
	@if command -v npm >/dev/null; then $(MAKE) --no-print-directory node_modules && ./web/src/fresh.sh; else echo "npm is not here: the built styles and scripts are taken as they are"; fi

bench: admesh nest node_modules
	go test ./cmd/sakuji -run '^$$' -bench AgainstAdmesh -benchtime 7x
	go test ./core/mesh -run '^$$' -bench ReadingSTL -benchtime 15x
	SAKUJI_NEST=$(NEST) go test ./core/plate -run '^$$' -bench Against -benchtime 1x
	go test ./core/plate -run '^$$' -bench 'First|Seconds|Check' -benchtime 1x
	go test ./core/surface -run '^$$' -bench Flatten -benchtime 3x
	go test ./core/schedule -run '^$$' -bench 'FisherThompson|Studio|Futures' -benchtime 5x
	go test ./app/plates -run '^$$' -bench PlateSheet -benchtime 21x
	go test ./app/quotes -run '^$$' -bench Quotes -benchtime 21x
	go test ./app -run '^$$' -bench House -benchtime 15x
	go test ./web -run '^$$' -bench Pages -benchtime 60x
	go test ./web/plates -run '^$$' -bench PlatePage -benchtime 60x
	go test ./web/quotes -run '^$$' -bench Repriced -benchtime 60x
	go test ./web/plan -run '^$$' -bench 'Plan$$' -benchtime 15x
	go test ./web/bench -run '^$$' -bench Stamp -benchtime 15x
	SAKUJI_STAMPS=1 go test ./studio -run StampsInAnyOrder -v

# One picture of each main view, from the demo data.
shots: chromium
	go test ./web -run TestScreenshots -shots ../docs/screenshots

# Attacks a studio of its own, in large and in small, runs app and web under the race detector, and prints one table of what
# each attack held and took: half an hour, and it ends by itself.
siege: chromium poppler
	SAKUJI_SIEGE=1 go test ./cmd/sakuji -run 'TestSiege' -v -count=1 -timeout 120m

fuzz:
	for target in '^FuzzReadSTL$$' '^FuzzRead$$' FuzzThreeMFModel FuzzOBJ FuzzMend; do go test ./core/mesh -run '^$$' -fuzz "$$target" -fuzztime 60s -fuzzminimizetime 1s || exit 1; done
	for target in FuzzHollow FuzzSplit FuzzSlice FuzzOrient FuzzCups FuzzDetail; do go test ./core/solid -run '^$$' -fuzz "$$target" -fuzztime 60s -fuzzminimizetime 1s || exit 1; done
	go test ./format/photo -run '^$$' -fuzz FuzzClean -fuzztime 60s -fuzzminimizetime 1s
	go test ./web/kit -run '^$$' -fuzz FuzzDecode -fuzztime 60s -fuzzminimizetime 1s
	go test ./core/process -run '^$$' -fuzz FuzzReadGCode -fuzztime 60s -fuzzminimizetime 1s

# The program for every system, with licences and checksums, in dist/.
release: release-lint
	./release/build.sh dist

# Builds the same commit in two places and compares every byte.
release-check: release-lint
	./release/reproduce.sh

release-lint: node_modules
	npx dockerfile-utils lint release/Containerfile
	@if command -v systemd-analyze >/dev/null; then ./release/unit.sh; else echo "systemd-analyze is not here: the unit is taken as it is"; fi
	./release/licences.sh > /dev/null
