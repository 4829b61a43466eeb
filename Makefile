# Two commands matter on a fresh machine: `make demo` and `make test`.
GO      ?= go
# What was compiled in one clone is found by the next: no path of this one stands in it.
export GOFLAGS := $(GOFLAGS) -trimpath
RACE    := -race=$(if $(shell command -v gcc),true,false)
BIN     := bin/woolsignal
CONSOLE := console/dist/index.html
WIRE    := $(GO) run ./server/api/describe | (cd console && npx openapi-typescript)
GOFILES := $(shell find . -name '*.go' -not -path '*/node_modules/*' -not -path './.cache/*')
SOURCES := $(shell find console/src console/public -type f) console/index.html console/vite.config.ts console/package.json

.PHONY: build demo servers test quick lint lint-go lint-console types fuzz audit soak bench browser screenshots clean

build: $(CONSOLE)
	$(GO) build -o $(BIN) ./cmd/woolsignal

demo: build
	./$(BIN) demo

# Everything; the suite builds, lints and tests side by side.
test: console/node_modules/.installed browser servers
	$(GO) run ./e2e/suite $(RACE)

# What changed since main and what imports it, twenty seeds, and three walks.
quick: console/node_modules/.installed browser
	$(GO) run ./e2e/suite -quick

# Every reader of foreign bytes, fed what nobody wrote. make test feeds each its seeds and 500 spoilt copies of
# them; this hunts for longer, and what it finds is kept under testdata/fuzz beside the test.
FUZZ ?= 5m
fuzz:
	@mkdir -p .cache; set -e; $(GO) test -list '^Fuzz' ./core/... ./server/... | \
		awk '/^Fuzz/ { names[++n] = $$1 } /^ok/ { for (i = 1; i <= n; i++) print $$2, names[i]; n = 0 }' > .cache/fuzz; \
	while read package name; do echo "$$name, $(FUZZ)"; \
		$(GO) test -run NONE -fuzz "^$$name\$$" -fuzztime $(FUZZ) $$package > .cache/fuzz.out 2>&1 || \
		{ cat .cache/fuzz.out; exit 1; }; done < .cache/fuzz

# Known weaknesses of what we build on, where the data of them can be had.
audit: console/node_modules/.installed
	@mkdir -p .cache; $(GO) tool govulncheck ./...; case $$? in 0) ;; 3) exit 1 ;; \
		*) echo "NOT LOOKED AT: the data of Go's known weaknesses cannot be had here" ;; esac
	@cd console && npm audit --omit=dev --json > ../.cache/audit.json 2>/dev/null; \
		if grep -q auditReportVersion ../.cache/audit.json; then npm audit --omit=dev; \
		else echo "NOT LOOKED AT: the data of npm's known weaknesses cannot be had here"; fi

# Ten thousand made-up afternoons, some under the race detector, and every kind
# of step under two hundred kills; make test has a few of each.
soak: build
	$(GO) test -count 1 -timeout 120m ./server/simulation -run Seeds -seeds 10000
	$(GO) test $(RACE) -count 1 -timeout 60m ./server/simulation -run Seeds -first 20001 -seeds 400
	SOAK_HONEST=20000 $(GO) test -count 1 -timeout 60m -run Honest ./e2e/
	SOAK_RUNS=2000 SOAK_KILLS=200 $(GO) test -count 1 -timeout 60m -v -run 'EveryKindOfStep|ThreeBooks' ./e2e/

# What is wrong without running anything. A tab counts as four columns.
lint: lint-go lint-console

lint-go:
	$(GO) vet ./...
	$(GO) tool staticcheck ./...
	@test -z "$$(gofmt -l $(GOFILES))" || { echo "gofmt would change:"; gofmt -l $(GOFILES); exit 1; }
	@awk '{ l = $$0; gsub(/\t/, "    ", l) } length(l) > 120 { print FILENAME ":" FNR ": over 120 columns"; bad = 1 } \
		END { exit bad }' $(GOFILES)

# Its three tools remember what they found right.
KEPT := node_modules/.cache
lint-console: console/node_modules/.installed
	cd console && npx tsc --noEmit --incremental --tsBuildInfoFile $(KEPT)/tsc.json && \
		npx eslint --cache --cache-location $(KEPT)/eslint . && \
		npx prettier --check --cache --cache-location $(KEPT)/prettier --log-level warn .
	@$(WIRE) | cmp -s - console/src/wire.ts || \
		{ echo "console/src/wire.ts does not fit the API's description: make types"; exit 1; }

# The console's types of what the API takes and gives, from its description.
types: console/node_modules/.installed
	$(WIRE) > console/src/wire.ts

# Speed and memory, as ratios in one run.
bench: build
	$(GO) test -run NONE -bench . -benchtime 1x -timeout 20m ./e2e/bench

# Pictures for the README, from the demo's data.
screenshots: build browser
	$(GO) run ./e2e/screenshots -out docs/screenshots

$(CONSOLE): console/node_modules/.installed $(SOURCES)
	cd console && npm run build

# Not `npm ci`: it insists on packages for other platforms that a mirror may lack.
console/node_modules/.installed: console/package-lock.json
	cd console && npm install --no-save --no-audit --no-fund
	touch $@

# The console is tested in headless Chromium, Debian's own.
browser:
	@command -v chromium >/dev/null || e2e/install.sh chromium fonts-liberation

# Real servers the tests speak to: calendars, mail, a database and MCP. A test
# whose server cannot be had says so and is skipped.
SERVERS := .cache/servers/.installed
servers: $(SERVERS)
	@command -v radicale >/dev/null && command -v dovecot >/dev/null && ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || \
		e2e/install.sh radicale dovecot-imapd postgresql || \
		echo "NOT INSTALLED: some real servers could not be had; their tests are skipped"
$(SERVERS):
	mkdir -p .cache/servers
	-npm install --no-save --no-audit --no-fund --prefix .cache/servers @modelcontextprotocol/server-everything@2026.8.31 @a2a-js/sdk@1.3.0 express@5.1.0 >/dev/null
	touch $@

clean:
	rm -rf bin console/dist/assets console/dist/index.html
