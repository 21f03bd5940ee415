# Pike Gate. `make demo` starts everything, `make test` tries everything.
.DEFAULT_GOAL := help
SHELL := /bin/bash -o pipefail
TOOL := go tool -modfile=tools/go.mod
PACKAGES := ./cmd/... ./core/... ./internal/... ./testing/...
# What shares no memory between goroutines, or drives a service from outside for long, gains nothing
# from the race detector (of api and access TestTogether does, of engines TestThroughTheService; many at
# once is tried by attacks and load). What is bare has no console in it, and is tested while that is built.
BARE := /core/|/internal/(chart|cli|config|delivery|demo|engine|output|paper|wire)$$|/testing/(oracle|schedules|spans)$$
SERVED := /internal/api$$|/testing/(access|endtoend|engines|export|paint|policy|reference)$$
TESTS = $(TOOL) gotestsum --format pkgname -- -vet=off -shuffle=on -parallel 3 -timeout 40m
# What npm writes when it has installed everything.
NODE := console/node_modules/.package-lock.json
DIST := internal/api/console/dist/index.html
SOURCES := $(shell find console/src console/public -type f) console/index.html console/vite.config.ts console/package-lock.json docs/openapi.json

.PHONY: help
help: ## Show what there is to make
	@grep -hE '^[a-z-]+:.*## ' Makefile | sed 's/:.*## /\t/' | expand -t 14

.PHONY: demo
demo: build ## Build and run the service with the demonstration data
	@bin/pikegate demo

.PHONY: build
build: $(DIST) ## Build the console and the binary bin/pikegate
	go build -o bin/pikegate ./cmd/pikegate

$(NODE): console/package-lock.json
	cd console && npm ci --prefer-offline --no-fund --no-audit --loglevel=error
	@touch $@

console/src/lib/schema.d.ts: docs/openapi.json $(NODE)
	cd console && node_modules/.bin/openapi-typescript ../docs/openapi.json -o src/lib/schema.d.ts >/dev/null

$(DIST): $(NODE) console/src/lib/schema.d.ts $(SOURCES)
	cd console && node_modules/.bin/vite build --logLevel warn
	@touch $@

.PHONY: deps
deps: ## Install what the tests need from Debian's packages, if it is missing
	@missing=""; command -v chromium-headless-shell >/dev/null || missing="$$missing chromium-headless-shell"; \
	command -v ncal >/dev/null || missing="$$missing ncal"; \
	command -v g++ >/dev/null || missing="$$missing g++"; \
	command -v xmllint >/dev/null || missing="$$missing libxml2-utils"; \
	command -v sqlite3 >/dev/null || missing="$$missing sqlite3"; \
	[ -e /usr/share/fonts/truetype/droid/DroidSansFallbackFull.ttf ] || missing="$$missing fonts-droid-fallback"; \
	[ -e /usr/share/fonts/truetype/nanum/NanumGothic.ttf ] || missing="$$missing fonts-nanum"; \
	ls /usr/lib/postgresql/*/bin/postgres >/dev/null 2>&1 || missing="$$missing postgresql"; \
	[ -z "$(OFFICE)" ] || command -v soffice >/dev/null || missing="$$missing libreoffice-calc-nogui"; \
	[ -x /usr/sbin/mariadbd ] || missing="$$missing mariadb-server"; \
	ls /usr/lib/mysql/plugin/ha_spider.so >/dev/null 2>&1 || missing="$$missing mariadb-plugin-spider"; \
	if [ -n "$$missing" ]; then \
		echo "Installing from Debian's packages:$$missing"; \
		sudo=""; [ "$$(id -u)" = 0 ] || sudo=sudo; \
		$$sudo apt-get update -qq && $$sudo env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $$missing >/dev/null; \
	fi

# Compiling, checking and testing end soon: garbage is collected less often.
test lint-go: export GOGC := 300

.PHONY: lint
lint: lint-go lint-console ## Look the code over: formatting, vet, static checks, the console's types and style

.PHONY: lint-go
lint-go: $(DIST)
	@test -z "$$($(TOOL) gofumpt -l core internal cmd testing | tee /dev/stderr)" || { echo "run make format"; exit 1; }
	go mod tidy -diff
	go vet $(PACKAGES)
	$(TOOL) staticcheck $(PACKAGES)
	$(TOOL) errcheck -ignoretests -exclude tools/errcheck.txt $(PACKAGES)

.PHONY: lint-console
lint-console: $(DIST)
	cd console && node_modules/.bin/svelte-check --tsconfig ./tsconfig.json --fail-on-warnings --output human | tail -1
	cd console && node_modules/.bin/eslint --max-warnings 0 src tests
	cd console && node_modules/.bin/prettier --check --log-level warn src tests

.PHONY: test-console
test-console: $(DIST)
	cd console && node_modules/.bin/vitest run --reporter=dot

.PHONY: format
format: $(NODE) ## Format the code
	$(TOOL) gofumpt -w core internal cmd testing
	cd console && node_modules/.bin/prettier --write --log-level warn src tests

.PHONY: test
test: deps ## Install what the tests need, then run every check and test
	@$(MAKE) --no-print-directory -j2 -Oline lint test-console test-bare test-served test-raced
	@echo "Everything passed: formatting, static checks, the console's types and style, and every test."

# The longest begins first.
.PHONY: test-bare
test-bare:
	$(TESTS) $$(go list ./testing/oracle $(PACKAGES) | grep -E '$(BARE)')

.PHONY: test-served
test-served: $(DIST)
	$(TESTS) $$(go list ./testing/endtoend $(PACKAGES) | grep -E '$(SERVED)')

.PHONY: test-raced
test-raced: $(DIST)
	$(TESTS) -race $$(go list ./internal/engine/files $(PACKAGES) | grep -vE '$(BARE)|$(SERVED)')
	go test -vet=off -race -run 'TestTogether|TestThroughTheService' ./internal/api ./testing/access ./testing/engines

.PHONY: fuzz
fuzz: ## Fuzz each parser for a minute, and try many more random criteria
	go test ./core/period -run '^$$' -fuzz FuzzRead -fuzztime 1m
	go test ./core/criteria -run '^$$' -fuzz FuzzParse -fuzztime 1m
	go test ./core/catalog -run '^$$' -fuzz FuzzLayout -fuzztime 1m
	go test ./core/phrase -run '^$$' -fuzz FuzzWrite -fuzztime 1m
	go test ./core/format -run '^$$' -fuzz FuzzDate -fuzztime 1m
	go test ./core/recurrence -run '^$$' -fuzz FuzzParse -fuzztime 1m
	go test ./core/recurrence -run TestEveryClockChange -every
	go test ./core/sqltext -run '^$$' -fuzz FuzzSplit -fuzztime 1m
	go test ./core/sqltext -run '^$$' -fuzz FuzzDirectOf -fuzztime 1m
	go test ./core/definition -run '^$$' -fuzz FuzzDecode -fuzztime 1m
	go test ./internal/engine/mysql -run '^$$' -fuzz FuzzRow -fuzztime 1m
	go test ./core/definition -run '^$$' -fuzz FuzzFilePart -fuzztime 1m
	go test ./testing/oracle -run 'TestHiddenRows' -hidden 40000 -seed $$(date +%s) -timeout 1h
	go test ./testing/oracle -expressions 400000 -queries 4000 -grouped 2000 -inorder 1500 -crossed 1000 -seed $$(date +%s) -timeout 6h

.PHONY: soak
soak: OFFICE := yes
soak: deps ## Open workbooks with LibreOffice; stop and kill the service thousands of times over days of schedules; have 200 people run reports and 20 take files away for two minutes, under the race detector and without it; drive a service that looks for data races; upload a gigabyte
	go test ./testing/schedules -run 'TestStopped|TestKilled' -stops 3000 -kills 500 -seed $$(date +%s) -timeout 40m
	go test ./testing/endtoend -run TestOffice -office
	go test ./testing/endtoend -racing -parallel 3 -timeout 1h
	go test ./testing/endtoend -run TestLargeUpload -large 1000 -timeout 20m
	go test ./testing/attacks -run TestEverybodyAtOnce -v -during 2m -runners 200 -exports 20 -timeout 20m
	go test -race ./testing/attacks -run TestEverybodyAtOnce -v -during 2m -runners 50 -exports 5 -timeout 20m

.PHONY: bench
bench: deps ## Measure: reading periods and answers, ten thousand schedules due at once, a check while typing, pages painted and scrolled in Chromium, conditions on related records, a day of many, groups by month, edges, small runs by many callers, what knowing who asks and row rules cost, a month of a CSV of ten million rows, 20,000 records on paper, and a million rows exported against each database's own program
	go test ./core/period ./core/recurrence ./core/parameter ./internal/cli -run '^$$' -bench . -benchmem -cpu 1
	go test ./internal/schedule -run '^$$' -bench . -benchtime 3x
	go test ./testing/export -run '^$$' -bench . -benchtime 1x
	go test ./testing/load -run '^$$' -bench . -benchtime 1x
	go test ./internal/service -run '^$$' -bench .
	go test ./testing/paint -run '^$$' -bench . -benchtime 1x
	go test ./internal/output -run '^$$' -bench .
	go test ./internal/identity -run '^$$' -bench . -benchtime 20x
	go test ./testing/access -run '^$$' -bench . -benchtime 3x

.PHONY: screenshots
screenshots: deps $(DIST) ## Renew docs/screenshots
	go test ./testing/endtoend -run Screenshots -screenshots $(CURDIR)/docs/screenshots

.PHONY: golden
golden: $(DIST) ## Write the golden files anew: docs/openapi.json, docs/problems.md and the SQL
	go test ./internal/api -run TestDescription -update
	go test ./core/plan -run TestGolden -update
	go test ./testing/reference -update
