# Two commands do everything on a fresh Debian machine with Go and Node:
#   make demo   starts the program with demo data
#   make test   runs all tests
export CGO_ENABLED ?= 0
BIN := bin/vestpin
WEB := $(shell find web/src web/index.html web/package.json web/vite.config.ts web/tsconfig.json -type f -not -name schema.d.ts)
GO := $(shell find . -name '*.go' -not -name '*_test.go' -not -path './web/*') go.mod
TOOLS := chromium dnsmasq udhcpc arp nft ip ping dhcpd avahi-daemon tcpdump dropbear miniupnpd iptables-restore gcc
PACKAGES := chromium dnsmasq-base udhcpc net-tools nftables iproute2 iputils-ping isc-dhcp-server avahi-daemon tcpdump dropbear-bin miniupnpd miniupnpd-nftables iptables gcc libc6-dev
# Each reader of what others made is fuzzed for a short while.
FUZZ := read:FuzzText read:FuzzCapture read/portlist:FuzzLists frame:FuzzSight frame:FuzzGateway

.PHONY: build demo test storm dev bench diagnose shots tools lint clean

build: $(BIN)

# Not "npm ci": that wants the packages of all platforms, which not every registry has.
web/node_modules/.made: web/package-lock.json
	cd web && npm install --no-audit --no-fund
	touch $@

# The page's client is made from the description of the interface, so a stale use
# of it fails the type check.
server/openapi.json: $(GO) | server/dist/.keep
	go run -trimpath ./cmd/vestpin openapi > $@.tmp
	cmp -s $@.tmp $@ && rm $@.tmp && touch $@ || mv $@.tmp $@

server/dist/.keep:
	mkdir -p server/dist && touch $@

web/src/api/schema.d.ts: server/openapi.json web/node_modules/.made
	cd web && npm run --silent api

server/dist/index.html: $(WEB) web/src/api/schema.d.ts
	rm -rf server/dist/assets
	cd web && npm run --silent build
	gzip -9 -k -f -n server/dist/assets/*.js server/dist/assets/*.css

$(BIN): $(GO) server/dist/index.html
	CGO_ENABLED=0 go build -trimpath -o $@ ./cmd/vestpin  # runs on any machine of its kind, whatever libraries that has

demo: build
	@exec $(BIN) demo

lint: web/src/api/schema.d.ts
	@test -z "$$(gofmt -l $$(git ls-files '*.go'))" || { gofmt -l $$(git ls-files '*.go'); echo 'gofmt: the files above need formatting'; exit 1; }
	go vet ./...
	go tool staticcheck ./...
	cd web && npm run --silent check

# The browser and the network programs that the tests use, from Debian. None of
# them is started as a service.
tools:
	@missing=; for t in $(TOOLS); do command -v $$t >/dev/null || [ -x /usr/sbin/$$t ] || missing="$$missing $$t"; done; \
	if [ -n "$$missing" ]; then echo "installing, for:$$missing"; apt-get update -q && \
	DEBIAN_FRONTEND=noninteractive RUNLEVEL=1 apt-get install -y -q --no-install-recommends $(PACKAGES); fi

test: tools build lint
	go test -p 2 -timeout 20m ./core/...
	CGO_ENABLED=1 go test -race -run SideBySide ./core/snag  # what one view is asked by several at once
	VESTPIN_BROWSER=require go test -p 1 -timeout 20m $$(go list ./... | grep -v vestpin/core)  # one after the other: the browser and the figures want the machine to themselves
	@for f in $(FUZZ); do go test -run '^$$' -fuzz "^$${f#*:}$$" -fuzztime 5s -fuzzminimizetime 10x ./$${f%:*} || exit 1; done

# The storms of the tests, for ten minutes, and each reader fuzzed for one.
storm: build
	@for f in $(FUZZ); do go test -run '^$$' -fuzz "^$${f#*:}$$" -fuzztime 60s -fuzzminimizetime 10x ./$${f%:*} || exit 1; done
	go test -count=1 -v -timeout 25m -run 'TestFiftyClients|TestKilledInAStorm' ./e2e -storm 10m

dev: web/src/api/schema.d.ts
	cd web && npm run --silent dev

# Faults made on the wire in network namespaces, some hundreds, and how many were found.
diagnose: tools build
	VESTPIN_LAB=require go test -count=1 -v -timeout 90m -run 'TestDiagnose$$' ./lab -diagnose 200 -diagnose-into ../docs/diagnosis.md

bench: build
	go test -count=1 -v -timeout 20m -run TestFigures ./e2e -figures ../docs/benchmarks.md

shots: tools build
	go test -count=1 -timeout 10m -run TestShots ./e2e -shots ../docs/screenshots

clean:
	rm -rf bin server/dist/assets server/dist/index.html server/openapi.json web/src/api/schema.d.ts web/node_modules
