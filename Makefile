# make demo   installs what is missing, builds, starts with sample data
# make test   installs what is missing, builds, runs all tests
SHELL := bash
.DELETE_ON_ERROR:
.PHONY: demo test build install bench screenshots check types clean

# Flags for the demo, like DEMO="-listen 127.0.0.1:8080".
DEMO ?=

CONSOLE_SOURCES := $(shell find console/src console/tools -type f) $(wildcard console/*.html console/*.ts console/*.js console/*.json)

demo: install build
	@exec bin/juvalogos-demo $(DEMO)

test: install-test build
	@# The browser tests first, which take longest; make check vets.
	go test -count=1 -vet=off -ldflags="-w -extldflags=-fuse-ld=gold" -p 3 -timeout 22m ./e2e ./...

build: console/dist/index.html
	@go build -o bin/ ./cmd/juvalogos ./standin/juvalogos-standin
	@go build -o bin/juvalogos-demo ./demo
	@go build -o bin/juvalogos-next-lines ./examples/programs/next-lines

install install-test install-bench:
	@scripts/install.sh $@

console/node_modules/.installed: console/package-lock.json
	@cd console && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

console/dist/index.html: console/node_modules/.installed $(CONSOLE_SOURCES)
	@echo "building the console ..."
	@cd console && npm run --silent build -- --logLevel error >/dev/null

# The types of the API, for Go and for the console, from its description.
types: console/node_modules/.installed
	@go tool oapi-codegen -config internal/api/oapi-codegen.yaml internal/web/openapi.yaml
	@cd console && npm run --silent types

bench: install-bench build
	@mkdir -p .cache
	go run ./bench -write docs/benchmarks.md
	go run ./bench/retrieval -encoded .cache/encoded.bin -write docs/retrieval.md
	scripts/fetchdocs.sh .cache/documents report
	scripts/fetchdocs.sh .cache/documents lay
	go run ./bench/retrieval -harvest .cache/documents -encoded .cache/encoded.bin -report -write docs/retrieval.md
	go run ./bench/tables -write docs/tables.md
	go run ./bench/tables -large 1000 -write docs/tables.md
	go run ./bench/digests -write docs/digests.md

screenshots: install-test build
	go run ./demo/screenshots

check: console/dist/index.html
	@test -z "$$(gofmt -l $$(git ls-files '*.go'))" || { echo "gofmt would change:"; gofmt -l $$(git ls-files '*.go'); exit 1; }
	go vet ./...
	go tool staticcheck ./...
	go test -count=1 -run 'TestLayers|TestLines|TestFunctions|TestFailures|TestCore' .
	scripts/vulnerabilities.sh
	cd console && npm run --silent check && npm run --silent format && npm run --silent lint-api
	@fresh=$$(mktemp) && cd console && npx openapi-typescript ../internal/web/openapi.yaml -o $$fresh >/dev/null 2>&1 && \
	  cmp -s src/api/schema.d.ts $$fresh || { echo "console/src/api/schema.d.ts is out of date; run make types"; exit 1; }
	@kept=$$(mktemp) && cp internal/api/types.gen.go $$kept && go tool oapi-codegen -config internal/api/oapi-codegen.yaml internal/web/openapi.yaml && \
	  cmp -s internal/api/types.gen.go $$kept || { cp $$kept internal/api/types.gen.go; echo "internal/api/types.gen.go is out of date; run make types"; exit 1; }

clean:
	rm -rf bin console/dist/assets console/dist/index.html
