# What a person types. Every target does the set-up that it needs.
.DEFAULT_GOAL := help
SHELL := /bin/bash
DATA ?= $(shell scripts/demo-data)
LISTEN ?= 127.0.0.1:8631
VERSION ?= $(shell cat packaging/version)-dev
LDFLAGS := -X cirque/internal/app.Version=$(VERSION) -X main.version=$(VERSION)
CONSOLE := internal/app/dist/index.html
SOURCES := $(shell find web/src web/public web/index.html web/vite.config.ts web/package.json -type f 2>/dev/null)
TOOLS := .bin
GOLANGCI := $(TOOLS)/golangci-lint-2.15.0
# Bounds on what is shipped, in KiB: who adds a dependency sees what it weighs.
SIZES := bin/cirque=77500 bin/cirque-agent=14500 bin/cirque-sim=16000

.PHONY: packages test-packages test-before test-root test-windows conformance sbom campaign lint sizes trybench race help build demo stop test bench benchmarks fuzz screenshots openapi check setup web format

help: ## list these targets
	@grep -hE '^[a-z-]+:.*## ' $(MAKEFILE_LIST) | sed -E 's/:.*## /\t/' | expand -t 14

setup: ## install what is missing: PostgreSQL and Chromium from Debian's packages
	@scripts/setup

web/node_modules/.package-lock.json: web/package-lock.json
	cd web && npm ci --no-audit --no-fund
	@touch $@

$(CONSOLE): web/node_modules/.package-lock.json $(SOURCES)
	cd web && npm run --silent build
	@touch $@

web: $(CONSOLE) ## build the console

build: $(CONSOLE) ## build bin/cirque, bin/cirque-agent and bin/cirque-sim, with man pages and shells' completions
	go build -ldflags '$(LDFLAGS)' -o bin/ ./cmd/cirque ./cmd/cirque-agent ./cmd/cirque-sim
	@go run ./cmd/manual bin

demo: setup build ## run Skerry Line on loopback, in the background (DATA=dir LISTEN=host:port)
	@scripts/demo $(DATA) $(LISTEN)

stop: ## stop the demo
	@scripts/demo $(DATA) stop

test: setup $(CONSOLE) ## run every test
	go test -parallel 6 -timeout 20m ./...

# The endpoint of Windows, on Debian's Wine; installs that where it is missing (ONLY='^TestWineSpooler$$' for a part).
test-windows: setup $(CONSOLE) ## run the Windows agent's tests under Debian's wine64
	GOOS=windows GOARCH=amd64 go vet ./cmd/cirque-agent ./internal/windows ./internal/winspool
	scripts/test-windows go test ./test -count 1 -run '$(or $(ONLY),^TestWine)'

packages: $(CONSOLE) ## make dist/: .deb, .rpm, .msi, an archive for macOS, checksums, SBOM (ARCHES="amd64 arm64" SIGNING_KEY=f)
	scripts/packages dist

test-packages: setup $(CONSOLE) ## make packages out of what is built, and try them in scratch roots and under Wine
	scripts/packages .bin/dist quick
	CIRQUE_PACKAGES=$(CURDIR)/.bin/dist scripts/test-windows go test ./test -count 1 -run '$(or $(ONLY),^TestPackages(Deb|RPM|Sums|Twice)|^TestWine)'

test-before: setup $(CONSOLE) ## try this version over and beside the one before: programs, packages, backups (packaging/versions)
	scripts/packages .bin/dist quick
	before=$$(scripts/before) && CIRQUE_BEFORE=$$before CIRQUE_PACKAGES=$(CURDIR)/.bin/dist scripts/test-windows \
		go test ./test -count 1 -v -run '$(or $(ONLY),^Test(VersionBefore|Upgrade(Deb|RPM)|WineUpgrade)$$)'

test-root: setup $(CONSOLE) ## try the packages in an empty Debian root, as root: how long until a queue is there
	scripts/packages .bin/dist quick
	CIRQUE_PACKAGES=$(CURDIR)/.bin/dist scripts/empty-root go test ./test -count 1 -v -run '^TestEmptyRoot'

conformance: setup $(CONSOLE) ## run the suites of spoolers on each of them, and write docs/reference/conformance.md
	scripts/test-windows go run ./scripts/conformance > docs/reference/conformance.new
	mv docs/reference/conformance.new docs/reference/conformance.md

# core starts no goroutine and keeps nothing: whoever shares its values is looked at.
race: setup $(CONSOLE) ## run the tests of the rooms and the agent under the race detector, on fewer random worlds (RACE=./... for all)
	go test -race -short $(or $(RACE),./internal/service/... ./internal/agent/... ./internal/sim/...)

bench: setup $(CONSOLE) ## a large organisation: decisions, rehearsals, memory; beside SQL, a policy engine and a constant answer
	@cd bench && go run .
	@set -o pipefail; go test ./internal/httpapi -run '^$$' -bench HTTP -benchtime 5x | tee /dev/stderr | awk '/^Benchmark/ { for (i = 3; i < NF; i += 2) v[$$(i+1)] = $$i; printf "lineups over HTTP  %.0f a second, %.0f %% of a handler that answers as many constant bytes (%.0f a second)\n", v["lineups/s"], 100 * v["ratio"], v["constant/s"] }'

benchmarks: setup $(CONSOLE) ## every benchmark that stands beside the code
	set -o pipefail; go test -run '^$$' -bench . -benchmem ./core/... ./internal/... | grep -E '^(Benchmark|pkg:|cpu:|---|panic|FAIL)'

fuzz: ## fuzz each decoder for a while (TIME=30s, or so many inputs: TIME=2000x; ONLY='internal/ipp ...' for some packages)
	@scripts/fuzz $(or $(TIME),30s) $(ONLY)

trybench: setup $(CONSOLE) ## run every benchmark once at a hundredth of its size, as a test of the benchmark
	set -o pipefail; CIRQUE_BENCH=small go test -run '^$$' -bench . -benchtime 1x $$(grep -rl '^func Benchmark' --include='*_test.go' core internal test | xargs -n1 dirname | sort -u | sed 's,^,./,') | grep -vE '^(PASS|ok|goos|goarch|\?|testing:)'
	cd bench && CIRQUE_BENCH=small go vet ./...

campaign: setup $(CONSOLE) ## a long run by hand, whose result is kept in docs/reference/campaigns (NAME=fleet)
	CIRQUE_CAMPAIGN=whole go test ./test -count 1 -timeout 60m -v -run '^TestCampaign$(shell n=$(NAME); echo $${n^})$$'

screenshots: setup $(CONSOLE) ## make docs/screenshots anew from the demo
	CIRQUE_SCREENSHOTS=$(CURDIR)/docs/screenshots go test ./test -count 1 -run TestScreenshots

sbom: web/node_modules/.package-lock.json ## list what is shipped besides our own code: bin/sbom.json (CycloneDX), docs/reference/dependencies.md
	@mkdir -p bin
	go run ./scripts/sbom > bin/sbom.json
	go run ./scripts/sbom -table > docs/reference/dependencies.md

openapi: ## write docs/reference/openapi.yaml and the console's types from the Go types
	go run ./scripts/problems > internal/httpapi/problems.json
	go run ./scripts/problems -table > docs/reference/problems.md
	go run ./cmd/openapi > docs/reference/openapi.yaml
	cd web && npm run --silent types

format: ## lay out the code
	gofmt -w bench client cmd core demo internal scripts test *.go
	cd web && npx --no-install prettier --write --log-level warn .

$(GOLANGCI):
	GOBIN=$(CURDIR)/$(TOOLS) go install github.com/golangci/golangci-lint/v2/cmd/golangci-lint@v2.15.0 && mv $(TOOLS)/golangci-lint $@

lint: $(GOLANGCI) web/node_modules/.package-lock.json ## linters of Go and of the console, and the console's layout
	$(GOLANGCI) run ./...
	cd web && npm run --silent check

sizes: build ## what is shipped stays within its bounds
	@for s in $(SIZES); do k=$$(($$(stat -c %s $${s%=*}) / 1024)); echo "$${s%=*} $$k KiB of $${s#*=}"; [ $$k -le $${s#*=} ] || exit 1; done
	@k=$$(($$(cat internal/app/dist/assets/*.js | wc -c) / 1024)); echo "console's scripts $$k KiB of 1050"; [ $$k -le 1050 ]
	@k=$$(node web/first-load.mjs); echo "scripts of the first page $$k KiB of 350"; [ $$k -le 350 ]

check: lint $(CONSOLE) ## formatting, vet, static analysis, types, an up-to-date API description
	@out=$$(gofmt -l bench client cmd core demo internal scripts test *.go); if [ -n "$$out" ]; then echo "not formatted (make format): $$out"; exit 1; fi
	cd bench && go vet ./...
	@go run ./scripts/problems | diff -u internal/httpapi/problems.json - || { echo "the list of problems is old: make openapi"; exit 1; }
	@go run ./scripts/problems -table | diff -u docs/reference/problems.md - || { echo "the list of problems is old: make openapi"; exit 1; }
	@go run ./cmd/openapi | diff -u docs/reference/openapi.yaml - || { echo "the API description is old: make openapi"; exit 1; }
	@go run ./scripts/sbom -table | diff -u docs/reference/dependencies.md - || { echo "the list of dependencies is old: make sbom"; exit 1; }
	@cd web && npx --no-install openapi-typescript ../docs/reference/openapi.yaml 2>/dev/null | diff -q src/api/schema.d.ts - >/dev/null || { echo "the console's types are old: make openapi"; exit 1; }
