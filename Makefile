# Two commands do everything: "make demo" and "make test".
GO      ?= go
BIN     := bin
STAMPS  := .make
WEB_SRC := $(shell find web/console web/player web/camera web/clock web/outlet web/reach web/wall web/samples -type f) $(wildcard web/vite.*.ts) web/hlspath.ts web/console.html web/package.json web/tsconfig.json
GO_SRC  := $(shell find . -name '*.go' -not -path './web/node_modules/*') go.mod go.sum

# nolibopusfile: the Opus package is to leave out reading of files, and the library
# that it needs for that. faad: the worker can decode AAC, and is under the GPL for it;
# "make build CODEC_TAGS=nolibopusfile" builds one that cannot, and is not.
CODEC_TAGS ?= nolibopusfile,faad
export GOFLAGS ?= -tags=$(CODEC_TAGS)

export WEBOSTRUM_CODECS ?= $(CURDIR)/$(BIN)/webostrum-codecs

.PHONY: help build demo test engines lint bench screenshots generate fuzz package install-test chaos soak clean

help: ## list the targets
	@grep -hE '^[a-z-]+:.*## ' $(MAKEFILE_LIST) | sed -E 's/^([a-z-]+):.*## (.*)/  make \1\t\2/' | expand -t 22

build: $(BIN)/webostrum $(BIN)/webostrum-codecs ## build everything into bin/

demo: build ## run the service with the simulated cameras
	@$(BIN)/webostrum demo

# RACE=-race has the tests that measure nothing run with the race detector.
test: build $(STAMPS)/browser lint ## run every test
	cd web && npm run --silent test
	$(GO) test -timeout 10m -parallel 6 $(RACE) $$($(GO) list ./... | grep -v /e2e$$)
	$(GO) test -timeout 20m -parallel 4 -v ./e2e

engines: build $(STAMPS)/engines ## test pages of other sites in Firefox and WebKitGTK, too
	WEBOSTRUM_ENGINES=1 $(GO) test ./e2e -run OtherEngines -v

lint: $(STAMPS)/node ## gofmt, go vet, staticcheck, tsc, oxlint
	@test -z "$$(gofmt -l $$(git ls-files '*.go'))" || { echo "not formatted:"; gofmt -l $$(git ls-files '*.go'); exit 1; }
	$(GO) vet ./...
	$(GO) tool staticcheck ./...
	cd web && npm run --silent check && npm run --silent lint

bench: build $(STAMPS)/bench $(STAMPS)/engines ## measure, and write docs/bench.md
	$(GO) run ./bench

screenshots: build $(STAMPS)/browser $(STAMPS)/terminal ## take the pictures in docs/screenshots
	$(GO) run ./scripts/screenshots

generate: ## make the OpenAPI document and the console's types anew
	$(GO) run ./cmd/webostrum openapi > web/openapi.json
	cd web && npm run --silent generate

package: build $(STAMPS)/package ## make Debian packages in bin/packages
	scripts/package.sh

install-test: build $(STAMPS)/package ## install, upgrade and remove the packages in a root of its own; needs root
	packaging/installtest/test.sh

# CHAOS="--minutes 5 --seed 7" is another length and another draw.
chaos: build ## have everything around the service fail at random, for an hour
	$(GO) run ./scripts/chaos $(CHAOS)

soak: ## 30 days of 40 feeds in simulated time
	WEBOSTRUM_SOAK=1 $(GO) test ./station -run TestSoak -v -timeout 60m

fuzz: ## run every fuzz target for 30 s
	scripts/fuzz.sh 30s

clean: ## remove what was built, and the demo's records
	rm -rf $(BIN) $(STAMPS) .demo web/node_modules web/dist-samples
	find web/dist -mindepth 1 -not -name .gitkeep -delete

# CGO is off for the service: one static program.
$(BIN)/webostrum: $(GO_SRC) $(STAMPS)/web
	CGO_ENABLED=0 $(GO) build -trimpath -ldflags='-s -w' -o $@ ./cmd/webostrum

$(BIN)/webostrum-codecs: $(GO_SRC) $(STAMPS)/codecs
	CGO_ENABLED=1 $(GO) build -trimpath -o $@ ./cmd/webostrum-codecs

$(STAMPS)/web: $(STAMPS)/node $(WEB_SRC)
	find web/dist -mindepth 1 -not -name .gitkeep -delete
	cd web && npm run --silent build
	@touch $@

$(STAMPS)/node: web/package-lock.json
	cd web && npm ci --no-audit --no-fund
	@mkdir -p $(STAMPS) && touch $@

# Debian packages, by what they are for; see scripts/packages.sh.
$(STAMPS)/codecs $(STAMPS)/browser $(STAMPS)/bench $(STAMPS)/engines $(STAMPS)/package $(STAMPS)/terminal: scripts/packages.sh
	scripts/packages.sh $(notdir $@)
	@mkdir -p $(STAMPS) && touch $@
