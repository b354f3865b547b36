# Everything that is done with this project. `make` lists it.
SHELL := /bin/bash
.DEFAULT_GOAL := help
.PHONY: help setup build demo demo-reset look test test-go test-later test-e2e lint lint-go lint-ui fmt bench mutate screenshots openapi clean

# Vectors for sound; without them the same is measured more slowly (docs/decisions/loudness-is-measured-here.md).
export GOEXPERIMENT := simd
# Build, tests and checks share what is compiled, and so do checkouts in different folders.
export GOFLAGS := -trimpath

VERSION := $(shell git describe --always --dirty 2>/dev/null || echo dev)
GO_FILES := $(shell find cmd core e2e internal ui -name '*.go' -not -path '*/node_modules/*')
UI_FILES := $(shell find ui/src ui/static ui/scripts -type f) ui/package-lock.json ui/svelte.config.js ui/vite.config.ts
STATICCHECK := go tool staticcheck
# A busy machine is no mistake: what hangs is found by the patience of each test. lint has go vet.
GO_TEST := go test -vet=off -count=1 -timeout 60m

help: ## list what there is
	@grep -hE '^[a-z0-9-]+:.*##' $(MAKEFILE_LIST) | sed -E 's/:.*## /\t/' | expand -t 16

setup: .data/setup ui/node_modules/.package-lock.json ## install Debian packages and npm packages that are missing

.data/setup: scripts/setup.sh
	@scripts/setup.sh
	@mkdir -p .data && touch $@

ui/node_modules/.package-lock.json: ui/package-lock.json
	cd ui && npm ci --ignore-scripts --no-audit --no-fund --loglevel=error
	@touch $@

ui/build/index.html: $(UI_FILES) ui/node_modules/.package-lock.json
	cd ui && npm run --silent build >../.data/ui-build.log 2>&1 || (cat ../.data/ui-build.log; exit 1)

bin/aftergust: $(GO_FILES) go.mod ui/build/index.html internal/ground/db/migrations/*.sql internal/out/mail/letters/* internal/*/*/*.html
	go build -ldflags "-X main.version=$(VERSION)" -o $@ ./cmd/aftergust

build: setup bin/aftergust ## build the binary with the interface in it

demo: build ## start with a sample studio; Ctrl-C stops everything
	@exec bin/aftergust demo

demo-reset: build ## the same, with the sample studio made afresh
	@exec bin/aftergust demo -reset

test: .data/setup ## everything that CI runs
	@$(MAKE) --no-print-directory --output-sync=target -j2 lint-go build # side by side, here and below: each alone leaves much of the machine idle
	@$(MAKE) --no-print-directory --output-sync=target -j2 lint-ui test-go
	@$(MAKE) --no-print-directory test-e2e

test-go: build ## unit, property and service tests; lint has its go vet
	$(GO_TEST) $$(go list ./... | grep -v /e2e)
	$(GO_TEST) -tags plain ./core/media/loudness ./core/media/pcm

test-later: build ## the Go tests on another day: DAYS=40, AT=2028-02-29T12:00, or the shift of this weekday
	scripts/later.sh $(if $(DAYS),+$(DAYS)d,$(or $(AT),today))

soak: build ## people at work while the server is killed at random; AFTERGUST_SOAK=10m AFTERGUST_SOAK_SEED=1
	AFTERGUST_SOAK=$${AFTERGUST_SOAK:-10m} go test -count=1 -v -timeout 0 -run OutlivesKills ./internal/app

test-e2e: build ## journeys in a real browser
	$(GO_TEST) ./e2e

lint: lint-go lint-ui ## formatting, our own rules of style, and static checks

lint-go: .data/setup ## of it what needs no interface
	@test -z "$$(gofmt -l cmd core e2e internal ui/*.go)" || (echo "not formatted:"; gofmt -l cmd core e2e internal ui/*.go; exit 1)
	go vet ./...
	$(STATICCHECK) ./...
	scripts/vulnerabilities.sh

lint-ui: build ## the interface, and what is made from the API for it
	@bin/aftergust openapi | diff -q - docs/openapi.json >/dev/null || (echo "docs/openapi.json is stale: run make openapi"; exit 1)
	@go run ./cmd/layers -check
	@bin/aftergust routes | diff -q - docs/routes.md >/dev/null || (echo "docs/routes.md is stale: run make openapi"; exit 1)
	@bin/aftergust kinds | (cd ui && npx --no-install prettier --stdin-filepath kinds.ts) | diff -q - ui/src/lib/api/kinds.ts >/dev/null || (echo "kinds.ts is stale: run make openapi"; exit 1)
	cd ui && npx --no-install openapi-typescript ../docs/openapi.json -o ../.data/schema.d.ts >/dev/null && diff -q ../.data/schema.d.ts src/lib/api/schema.d.ts
	node scripts/licences.mjs --check
	cd ui && npm run --silent lint && npm run --silent check && npm run --silent test

licences: build ## list what ships with its licences in ui/static/licences.txt
	node scripts/licences.mjs

fmt: setup ## format everything
	gofmt -w cmd core e2e internal ui/*.go
	cd ui && npm run --silent format

openapi: build ## write docs/openapi.json, docs/routes.md, the drawing of the layers, the types of the interface and the words of its kinds anew
	bin/aftergust openapi > docs/openapi.json
	bin/aftergust routes > docs/routes.md
	go run ./cmd/layers
	bin/aftergust kinds > ui/src/lib/api/kinds.ts
	cd ui && npm run --silent types && npx --no-install prettier --write src/lib/api/kinds.ts >/dev/null

bench: build ## measure against nginx, tusd and ffmpeg; writes docs/bench.md
	go run ./cmd/bench

mutate: ui/node_modules/.package-lock.json ## break the code in small ways and see which breaks the tests notice; writes docs/mutants.md (an hour)
	scripts/mutate.sh

screenshots: build ## take the pictures in docs/screenshots from a running demo
	go run ./cmd/screenshots

look: build ## take every screen and state of a running demo, ask axe, and lay contact sheets (LOOK=folder)
	go run ./cmd/look $(if $(LOOK),-out $(LOOK))

clean: ## remove what was built; the sample studio stays
	rm -rf bin ui/build/* ui/.svelte-kit
