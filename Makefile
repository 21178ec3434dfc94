# The two commands to know: make demo, make test.
GO      ?= go
VERSION ?= $(shell git describe --tags --always --dirty 2>/dev/null || echo dev)
LDFLAGS := -s -w -X rolltop.example/rolltop/internal/build.Version=$(VERSION)
export CGO_ENABLED = 0

.PHONY: demo build console test test-short check dist lab lab-part bench soak mutants generate screenshots strings tools clean help

## demo: build everything and start the service with the made-up fleet
demo: build
	@exec bin/rolltop demo

## help: what this file can make
help:
	@sed -n 's/^## //p' $(MAKEFILE_LIST) | awk -F': ' '{printf "make %-12s %s\n", $$1, $$2}'

## build: the console, the collectors for every system, and both programs into bin/, with the collectors in the service
build: console cmd/rolltop/collectors/SHA256SUMS
	$(GO) build -trimpath -ldflags '$(LDFLAGS)' -o bin/ ./cmd/...

console: web/dist/index.html

web/node_modules/.package-lock.json: web/package.json web/package-lock.json
	cd web && npm ci --no-audit --no-fund

web/dist/index.html: web/node_modules/.package-lock.json web/index.html web/vite.config.ts docs/formats/openapi.json $(shell find web/src web/public -type f -not -name api.d.ts)
	cd web && npm run build
	@touch web/dist/.gitkeep web/dist/index.html

## test: install what the tests need and run them all
test: tools console
	$(GO) test ./...

## test-short: the computation and the store alone, with no console, browser or long tests
test-short:
	$(GO) test -short ./core/... ./internal/auth ./internal/client ./internal/machinekey ./internal/safefile ./internal/signature ./internal/store ./internal/tables

tools:
	@command -v chromium >/dev/null || command -v chromium-browser >/dev/null || \
	  { apt-get update -qq && apt-get install -y -qq chromium >/dev/null; }

## check: formatting, static checks, generated files
check: console
	@test -z "$$(gofmt -l $$(git ls-files '*.go'))" || { echo "not formatted:"; gofmt -l $$(git ls-files '*.go'); exit 1; }
	$(GO) vet ./...
	$(GO) tool staticcheck -checks inherit,ST1020,ST1021,ST1022 ./...
	$(GO) mod tidy -diff
	GOOS=windows $(GO) vet ./cmd/... && GOOS=darwin $(GO) vet ./cmd/...
	cd web && npm run lint
	cd cmd/rolltop-collect/older/grammar && npm ci --silent && npm run -s check

## generate: schemas, API description, facts table
generate:
	$(GO) generate ./...

## strings: every sentence that the program can say, for reading through
strings:
	@$(GO) run ./internal/texts

## dist: the collector for every system, static, the same bytes from the same source, with checksums
TARGETS := linux-amd64 linux-arm64 linux-386 linux-arm windows-amd64 windows-arm64 windows-386 darwin-arm64 darwin-amd64
# Without HTTP/2 the collector is half a megabyte smaller; it sends one small document.
# The collector is built to be small: what would be fast in it runs once (-l: no code is repeated where it is called).
COLLECTOR := -trimpath -buildvcs=false -tags nethttpomithttp2 -gcflags=all=-l -ldflags '$(LDFLAGS)'
dist: dist/SHA256SUMS
	@cat dist/SHA256SUMS

dist/SHA256SUMS: $(shell git ls-files cmd/rolltop-collect core internal/api internal/build internal/client internal/collect internal/machinekey internal/safefile internal/signature go.mod go.sum 2>/dev/null)
	@rm -rf dist && mkdir -p dist
	@for t in $(TARGETS); do \
	  case $$t in windows-*) ending=.exe;; *) ending=;; esac; \
	  GOOS=$${t%-*} GOARCH=$${t#*-} $(GO) build $(COLLECTOR) -o dist/rolltop-collect-$$t$$ending ./cmd/rolltop-collect || exit 1; done
	@cp cmd/rolltop-collect/older/collect.sh cmd/rolltop-collect/older/collect.ps1 dist/
	@cd dist && sha256sum rolltop-collect-* collect.* > SHA256SUMS

# What the service carries, and hands to machines.
cmd/rolltop/collectors/SHA256SUMS: dist/SHA256SUMS
	@rm -f cmd/rolltop/collectors/[!.]* && cp dist/* cmd/rolltop/collectors/ && touch $@

## lab: boot virtual machines with real firmware and compare what the collector reads
lab:
	$(GO) run ./lab

## lab-part: the virtual machines that every change is tried with
lab-part:
	$(GO) run ./lab --part

## bench: how fast one check, one reading and one inspection are
bench: build
	$(GO) test -run '^$$' -bench . -benchmem ./core/... ./internal/... ./cmd/...
	@$(GO) build $(COLLECTOR) -o bin/rolltop-collect ./cmd/rolltop-collect
	@echo "rolltop-collect as in make dist: $$(stat -c %s bin/rolltop-collect) bytes; whole processes:"
	@$(GO) run ./internal/wholebench bin/rolltop-collect bin/rolltop

## soak: the long ones: kills under load, a minute of 1,000 submissions a second, 10,000 idle connections
soak:
	ulimit -n $$(ulimit -Hn) || true; ROLLTOP_SOAK=1 $(GO) test -count=1 -timeout 60m -v -run 'Killed|FullDisk|Soak|Idle' ./internal/store ./internal/server | grep -v '^=== '

## mutants: put small random mistakes into the deciding packages, and count those that the tests notice
mutants:
	$(GO) run ./internal/mutation -count 100 core/check core/need core/remedy core/list core/release core/assess core/remedy/steps
	$(GO) run ./internal/mutation -count 50 -tests ./core/remedy,./core/assess,./core/results,./core/part \
		core/remedy/steps
	$(GO) run ./internal/mutation -count 100 -whole ./internal/standin/recorded \
		$$($(GO) list -f '{{.Dir}}' ./core/... | sed "s|^$$PWD/||" | \
		grep -v -E '^core/(check|need|remedy|list|release|assess|internal/.*)$$')

## screenshots: the console's pictures for the documentation, and the terminal's
screenshots: build
	@docs/screenshots.sh

clean:
	rm -rf bin dist web/dist/assets web/dist/index.html cmd/rolltop/collectors/[!.]*
