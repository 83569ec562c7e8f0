# Keen Arc: make demo · make test · make build · make demo-reset · make pictures
export GOFLAGS := -buildvcs=false
SHELL := /bin/bash
UI := $(shell find ui/src ui/public ui/index.html ui/vite.config.ts ui/package-lock.json -type f 2>/dev/null)
GO := $(shell find cmd core exchange calc journal standin link stage store web ui/embed.go examples -name '*.go' -o -name '*.sql' -o -name '*.csv' -o -name '*.json' 2>/dev/null)

.PHONY: demo demo-reset test quick build check generate licences pictures bench fuzz mutants soak need-build need-test clean

demo: need-build bin/keenarc
	@exec bin/keenarc demo

demo-reset: need-build bin/keenarc
	@exec bin/keenarc demo --reset

build: need-build bin/keenarc

bin/keenarc: ui/dist/index.html $(GO) go.mod go.sum
	go build -o $@ ./cmd/keenarc

ui/dist/index.html: ui/node_modules/.package-lock.json $(UI)
	cd ui && npm run --silent build

# What the interface works out by itself, for tests.
ui/probe/probe.js: ui/node_modules/.package-lock.json $(UI) ui/vite.probe.ts
	cd ui && npm run --silent probe

ui/node_modules/.package-lock.json: ui/package-lock.json
	cd ui && npm ci --no-audit --no-fund --loglevel=error

# What is not there is installed, saying what and why.
need-build:
	@tools/need build

need-test:
	@tools/need test

test: need-build need-test bin/keenarc ui/probe/probe.js
	@tools/all

# For every save: the rules, the rooms and what is asked over HTTP, without the interface, the
# browser, emulated processors and long runs.
quick: need-build
	go test -short -json $$(go list ./... | grep -v /e2e) | go run ./tools/tested

check: ui/node_modules/.package-lock.json bin/keenarc
	@echo "gofmt, vet, staticcheck, revive, the map, types, prettier, eslint, stylelint, knip"
	@test -z "$$(gofmt -l $$(git ls-files -co --exclude-standard '*.go'))" || { gofmt -l $$(git ls-files -co --exclude-standard '*.go'); exit 1; }
	go vet ./...
	go tool staticcheck ./...
	git ls-files -co --exclude-standard '*.go' 'ui/*.ts' 'ui/*.vue' 'ui/*.css' ':!ui/src/api/schema.d.ts' \
		':!ui/src/api/rules.ts' | xargs go run ./tools/long
	go tool revive -config tools/form/revive.toml $$(go list -f '{{.Dir}}' ./...)
	go tool revive -config tools/form/revive-tests.toml $$(go list -f '{{.Dir}}' ./...)
	@tools/faults check
	go run ./tools/map -check
	go mod tidy -diff
	@tools/unused
	go run ./tools/licences -check
	cd ui && npm run --silent check

# Everything that is generated: API description, its types, docs/calc.md.
generate: ui/node_modules/.package-lock.json
	go run ./cmd/keenarc openapi > docs/openapi.json
	go run ./cmd/keenarc calc --markdown > docs/calc.md
	go run ./cmd/keenarc rig-schema > docs/rig.schema.json
	go run ./cmd/keenarc rules > ui/src/api/rules.ts
	cd ui && npm run --silent types
	go run ./tools/map

# What ships, and its licences: docs/licences.md.
licences: ui/node_modules/.package-lock.json
	go run ./tools/licences

pictures: need-build need-test bin/keenarc
	KEENARC_PICTURES=$(CURDIR)/docs/screenshots go test -count=1 -run 'TestPictures|TestPointsSheet' ./e2e

bench:
	go test -run XXX -bench . ./...

# Every fuzz test for a minute (tools/fuzz 10m: for ten).
fuzz:
	@tools/fuzz

# A mutation tester over core's rules; prints a line for each package.
mutants:
	@tools/mutants

# Long runs: a thousand times the plug is pulled, a million steps of the stage's model, a hundred
# on real processes, and each fault that moved a machine once put back and found.
soak: need-build need-test bin/keenarc
	tools/faults
	KEENARC_STEPS=1000000 go test -count=1 -timeout 180m -run 'TestModel$$' ./web
	KEENARC_CALLS=1000000 go test -count=1 -timeout 120m -run TestRandomCalls -v ./web
	KEENARC_LONG=1 go test -count=1 -run TestARollIsNotDisturbed ./web
	KEENARC_LONG=1 go test -count=1 -run TestDrawnHeads ./core/balance
	KEENARC_ROUNDS=10000 go test -count=1 -timeout 300m -run TestNothingTypedIsLost ./e2e
	KEENARC_STEPS=100 go test -count=1 -timeout 60m -run TestStopOnProcesses ./e2e
	KEENARC_KILLS=1000 go test -count=1 -timeout 60m -run TestThePlugIsPulled -v ./e2e

clean:
	rm -rf bin ui/dist/assets ui/dist/index.html*
