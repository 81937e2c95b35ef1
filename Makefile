# Everything that is needed to run and to carry on Ready Margin.
export CGO_ENABLED = 0
GO ?= go

.PHONY: help demo demo-fresh test engines bench corpus shots check vuln build styles clean

help:
	@echo "make demo        serve a school with demo data, keeping what is done"
	@echo "make demo-fresh  the same, begun anew"
	@echo "make test        run all tests"
	@echo "make engines     go a shorter round in Firefox and WebKitGTK"
	@echo "make bench       measure against references in the same run"
	@echo "make corpus      open the test files of other PDF programs beside poppler"
	@echo "make shots       take the pictures in docs/screenshots"
	@echo "make check       vet, staticcheck, formatting; lint and form of the scripts"
	@echo "make vuln        known weaknesses of what is used, from the network"

demo: setup-demo build
	@exec ./bin/readymargin demo $(ARGS)

demo-fresh: setup-demo build
	@exec ./bin/readymargin demo -fresh $(ARGS)

test: setup-test build node_modules/pdfjs-dist
	./bin/readymargin warm -cache var/test
	$(GO) test -timeout 30m ./...

engines: setup-engines build
	./bin/readymargin warm -cache var/test
	$(GO) run ./e2e/engines

bench: setup-bench build node_modules/pdfjs-dist
	./bin/readymargin warm -cache var/test
	$(GO) run ./e2e/bench

corpus: setup-test build
	@sh scripts/corpus.sh var/corpus
	$(GO) run ./e2e/corpus -files var/corpus/files

shots: setup-test build
	$(GO) run ./e2e/shots

check: build node_modules/eslint
	@test -z "$$(gofmt -l .)" || { gofmt -l .; exit 1; }
	$(GO) vet ./...
	$(GO) run honnef.co/go/tools/cmd/staticcheck@v0.8.1 ./...
	npx --no-install eslint web/script
	npx --no-install tsc -p .
	npx --no-install prettier --check --log-level warn web/script

# What asks a database on the network is a target of its own.
vuln:
	$(GO) run golang.org/x/vuln/cmd/govulncheck@v1.6.0 ./...

setup-%:
	@sh scripts/setup.sh $*

node_modules/pdfjs-dist node_modules/eslint:
	npm ci --silent

styles:
	@sh scripts/styles.sh

# The core for the browser, and the program. Go's own cache makes this quick
# when nothing has changed.
build: styles
	@GOOS=js GOARCH=wasm $(GO) build -trimpath -ldflags="-s -w" -o web/static/dist/core.wasm ./web/corewasm
	@cp "$$($(GO) env GOROOT)/lib/wasm/wasm_exec.js" web/static/dist/wasm_exec.js
	@$(GO) run ./web/bundle
	@$(GO) build -trimpath -o bin/ ./cmd/...

clean:
	rm -rf bin var/test var/packed web/static/dist/core.wasm web/static/dist/wasm_exec.js web/static/dist/script
