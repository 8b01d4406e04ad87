# What a person types. Every target does the set-up that it needs.
.DEFAULT_GOAL := help
SHELL := /bin/bash
DATA ?= $(shell scripts/demo-data)
LISTEN ?= 127.0.0.1:8631
VERSION ?= 0.1.0-dev
LDFLAGS := -X cirque/internal/app.Version=$(VERSION) -X main.version=$(VERSION)
CONSOLE := internal/app/dist/index.html
SOURCES := $(shell find web/src web/public web/index.html web/vite.config.ts web/package.json -type f 2>/dev/null)
TOOLS := .bin
STATICCHECK := $(TOOLS)/staticcheck-0.8.2

.PHONY: race help build demo stop test bench benchmarks fuzz screenshots openapi check setup web format

help: ## list these targets
	@grep -hE '^[a-z]+:.*## ' $(MAKEFILE_LIST) | sed -E 's/:.*## /\t/' | expand -t 14

setup: ## install what is missing: PostgreSQL and Chromium from Debian's packages
	@scripts/setup

web/node_modules/.package-lock.json: web/package-lock.json
	cd web && npm ci --no-audit --no-fund
	@touch $@

$(CONSOLE): web/node_modules/.package-lock.json $(SOURCES)
	cd web && npm run --silent build
	@touch $@

web: $(CONSOLE) ## build the console

build: $(CONSOLE) ## build bin/cirque, bin/cirque-agent and bin/cirque-sim
	go build -ldflags '$(LDFLAGS)' -o bin/ ./cmd/cirque ./cmd/cirque-agent ./cmd/cirque-sim

demo: setup build ## run Skerry Line on loopback, in the background (DATA=dir LISTEN=host:port)
	@scripts/demo $(DATA) $(LISTEN)

stop: ## stop the demo
	@scripts/demo $(DATA) stop

test: setup $(CONSOLE) ## run every test
	go test ./...

race: setup $(CONSOLE) ## run every test under the race detector
	go test -race ./...

bench: setup $(CONSOLE) ## a large organisation: decisions, rehearsals, memory; beside SQL, a policy engine and a constant answer
	@cd bench && go run .
	@go test ./internal/httpapi -run '^$$' -bench HTTP -benchtime 5x | awk '/^Benchmark/ { for (i = 3; i < NF; i += 2) v[$$(i+1)] = $$i; printf "lineups over HTTP  %.0f a second, %.0f %% of a handler that answers as many constant bytes (%.0f a second)\n", v["lineups/s"], 100 * v["ratio"], v["constant/s"] }'

benchmarks: setup $(CONSOLE) ## every benchmark that stands beside the code
	go test -run '^$$' -bench . -benchmem ./core/... ./internal/... 2>/dev/null | grep -E '^(Benchmark|pkg:|cpu:)'

fuzz: ## fuzz each decoder for a while (TIME=30s)
	go test -fuzz FuzzParse -fuzzminimizetime 10x -fuzztime $(or $(TIME),30s) ./internal/ipp
	go test -fuzz FuzzParse -fuzzminimizetime 10x -fuzztime $(or $(TIME),30s) ./internal/ldif
	go test -fuzz FuzzRead -fuzzminimizetime 10x -fuzztime $(or $(TIME),30s) ./internal/snmp
	go test -fuzz FuzzEncode -fuzzminimizetime 10x -fuzztime $(or $(TIME),30s) ./internal/pwg
	for f in FuzzINF FuzzPPD FuzzUnpack; do go test -run '^$$' -fuzz $$f -fuzzminimizetime 10x -fuzztime $(or $(TIME),30s) ./core/driver || exit 1; done
	for f in FuzzReservations FuzzQueueEdits; do go test -run '^$$' -fuzz $$f -fuzzminimizetime 10x -fuzztime $(or $(TIME),30s) ./core/stock || exit 1; done
	go test -run '^$$' -fuzz FuzzTables -fuzzminimizetime 10x -fuzztime $(or $(TIME),30s) ./core/directory
	go test -fuzz FuzzParse -fuzzminimizetime 10x -fuzztime $(or $(TIME),30s) ./core/estate

screenshots: setup $(CONSOLE) ## make docs/screenshots anew from the demo
	CIRQUE_SCREENSHOTS=$(CURDIR)/docs/screenshots go test ./test -count 1 -run TestScreenshots

openapi: ## write docs/reference/openapi.yaml and the console's types from the Go types
	go run ./cmd/openapi > docs/reference/openapi.yaml
	cd web && npm run --silent types

format: ## format the Go code
	gofmt -w bench cmd core demo internal test *.go

$(STATICCHECK):
	GOBIN=$(CURDIR)/$(TOOLS) go install honnef.co/go/tools/cmd/staticcheck@v0.8.2 && mv $(TOOLS)/staticcheck $@

check: $(STATICCHECK) $(CONSOLE) ## formatting, vet, static analysis, types, an up-to-date API description
	@out=$$(gofmt -l bench cmd core demo internal test *.go); if [ -n "$$out" ]; then echo "not formatted (make format): $$out"; exit 1; fi
	go vet ./...
	cd bench && go vet ./...
	$(STATICCHECK) ./...
	@go run ./cmd/openapi | diff -u docs/reference/openapi.yaml - || { echo "the API description is old: make openapi"; exit 1; }
	@cd web && npx --no-install openapi-typescript ../docs/reference/openapi.yaml 2>/dev/null | diff -q src/api/schema.d.ts - >/dev/null || { echo "the console's types are old: make openapi"; exit 1; }
