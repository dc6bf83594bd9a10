# The two commands that do everything: make demo, make test.
SHELL := /bin/bash
# Some of building and reading is faster by the toolchain's vector package; nothing needs it.
export GOEXPERIMENT := $(shell go version 2>/dev/null | grep -qE 'go1\.(2[6-9]|[3-9][0-9]).*amd64' && echo simd)

.PHONY: demo test soak bench bench-large lint build assets need need-test clean fuzz profile

# Tests compile without the profile: with it packages are compiled once more, for each program.
test lint: export GOFLAGS := $(GOFLAGS) -pgo=off

demo: need build
	./bin/visator demo

test: need-test lint
	@# The browser tests take longest: they come first, the others beside them.
	@# They wait more than they compute: a third package fills the processors.
	VISATOR_FULL=1 go test -p 3 -timeout 25m ./e2e/ $$(go list ./... | grep -v "/e2e$$")

lint:
	@out=$$(gofmt -l $$(ls -d */ | grep -v '^bin/')); if [ -n "$$out" ]; then echo "gofmt would change: $$out"; exit 1; fi
	go vet ./...
	go tool staticcheck ./...

# Ten minutes in which the server, a worker and the database are killed by chance and
# the disk fills once, while four hands work; and fifty people on one set.
soak: need-test build
	VISATOR_SOAK=$${VISATOR_SOAK:-10m} go test -timeout 30m -count 1 -v -run 'TestSoak|TestFiftyPeople' ./e2e/

bench: need-test build
	go test -run '^$$' -bench . -benchtime 2x ./core/... ./app/... ./e2e/...
	bash scripts/bench.sh

# A download of 700 MB goes through intake: some minutes, 4 GB of disk.
bench-large: need-test build
	VISATOR_LARGE=1 go test -timeout 30m -count 1 -run TestALargeDownload -v ./e2e/

fuzz:
	bash scripts/fuzz.sh

# The compiler lays out the renderer by what the processor did while it rendered (cmd/visator/default.pgo, which go build
# takes by itself). Made again when the renderer has changed much; built elsewhere, so that no path gets into it.
profile:
	go build -trimpath -pgo=off -o /tmp/visator ./cmd/visator
	/tmp/visator bench profile cmd/visator/default.pgo
	rm /tmp/visator

build:
	go build -o bin/visator ./cmd/visator

# Styles, scripts and fonts: built from npm packages into web/dist, which is
# kept in the repository so that nobody needs Node to run the program.
assets:
	cd web/assets && npm ci --no-audit --no-fund && npm run build

need:
	@bash scripts/need.sh run
need-test:
	@bash scripts/need.sh test

clean:
	rm -rf bin
