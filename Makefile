# make demo starts everything with the demo scene; make test runs all tests; both install what is missing first.

GO_FILES := $(shell find app cmd core demo durable export ingest interchange media scratch store web workspace -name '*.go' -not -name '*_test.go') $(wildcard store/migrations/*.sql) go.mod go.sum
UI_FILES := $(filter-out web/ui/wire%, $(wildcard web/ui/* web/ui/*/* web/templates/*)) tools/bundle.mjs tools/licences/main.go go.mod package.json
DEMO_FILES := demo/kiln-night.otio $(wildcard demo/recordings/*)

# Programs say nothing of the machine that they were built on; for all of them, so that what is built is shared.
export GOFLAGS ?= -trimpath

# Tools that look at the code and write parts of it, with a list of versions of their own.
CHECK := go tool -modfile=tools/checks/go.mod

.PHONY: build demo serve check test test-long test-go test-ui test-e2e bench screenshots fuzz soak cluster test-cluster scale detector clean

build: bin/blendseam

bin/blendseam: $(GO_FILES) $(DEMO_FILES) web/static/made
	go build -o $@ ./cmd/blendseam

web/static/made: $(UI_FILES) web/ui/wire/changed node_modules/.package-lock.json
	npm run -s types
	npm run -s scripts
	npm run -s styles
	go run ./tools/licences > web/static/licences.txt
	touch $@

# The types of what travels between the program and its pages, from the structs that travel.
web/ui/wire/made: $(GO_FILES) tygo.yaml tools/checks/go.mod
	mkdir -p web/ui/wire
	was=$$(cat web/ui/wire/*.ts 2>/dev/null | cksum); $(CHECK) tygo generate && \
		{ [ -e web/ui/wire/changed -a "$$was" = "$$(cat web/ui/wire/*.ts | cksum)" ] || touch web/ui/wire/changed; }
	touch $@

# A change in Go that changes no type makes no script anew.
web/ui/wire/changed: web/ui/wire/made
	@[ -e $@ ] || touch $@

node_modules/.package-lock.json: package-lock.json
	npm ci --no-audit --no-fund
	touch $@

demo: build
	tools/install-missing mariadbd ffmpeg
	exec bin/blendseam demo

serve: build
	tools/install-missing mariadbd ffmpeg
	exec bin/blendseam serve

# All suites side by side, with ALONGSIDE (test-cluster) if that is asked for; what they need is there before. The corpora
# of made-up sound are samples of those of test-long.
ALONGSIDE ?=
CLUSTER_NEEDS = mariadbd ffmpeg haproxy rsync /usr/lib/galera/libgalera_smm.so
test: build
	tools/install-missing mariadbd ffmpeg sox aplay curl jq chromium-headless-shell $(if $(ALONGSIDE),$(CLUSTER_NEEDS))
	$(MAKE) --no-print-directory -j 5 --output-sync=target $(ALONGSIDE) check test-go test-ui test-e2e

# What the network that hears voices is compared with.
tools/network/node_modules/.package-lock.json: tools/network/package-lock.json
	cd tools/network && npm ci --ignore-scripts --no-audit --no-fund
	touch $@

test-go: web/static/made tools/network/node_modules/.package-lock.json
	tools/install-missing mariadbd ffmpeg sox aplay curl jq
	go test -short -vet=off -p 4 -timeout 30m ./...

check: web/static/made
	go vet ./...
	$(CHECK) staticcheck ./...
	npm run -s check

# The corpora whole, and what runs at once under the race detector.
REAL = /usr/share/codec2 /usr/share/pocketsphinx/test /usr/share/klettres /usr/share/asterisk/sounds /usr/share/ktuberling
RACED = ./core/mix ./core/audit ./core/mend ./core/listen/analysis ./workspace ./web ./media ./store/...
test-long: web/static/made tools/network/node_modules/.package-lock.json
	tools/install-missing mariadbd ffmpeg sox aplay curl jq gcc $(REAL)
	go test -timeout 60m ./...
	CGO_ENABLED=1 go test -short -race -timeout 60m $(RACED)

test-ui: node_modules/.package-lock.json
	npm run -s unit

test-e2e: build
	tools/install-missing mariadbd ffmpeg chromium-headless-shell aplay
	npx playwright test -c e2e

bench: build
	tools/install-missing mariadbd ffmpeg chromium-headless-shell aplay
	go run ./tools/bench
	go test ./web -run '^$$' -bench 'EditOf2000|EditWhileMending' -benchtime 1000x
	go test ./core/audit -run '^$$' -bench AuditOf500 -benchtime 3x
	go test ./core/mend -run '^$$' -bench MendOf500 -benchtime 1x
	go test ./core/listen/analysis -run '^$$' -bench Analysis -benchtime 3x -cpu 1
	go test ./core/sound/timestretch -run '^$$' -bench Fitting -benchtime 3x -cpu 1
	node e2e/large-scene.mjs
	node e2e/playing.mjs

screenshots: build
	tools/install-missing mariadbd ffmpeg chromium-headless-shell
	node e2e/screenshots.mjs

# Each reader is fed damaged files, and whoever takes edits and uploads what nobody should send, for FUZZ_TIME each.
FUZZ_TIME ?= 10m
FUZZ = -run '^$$' -fuzztime $(FUZZ_TIME) -fuzzminimizetime 20x -fuzz
fuzz: web/static/made
	tools/install-missing mariadbd ffmpeg
	go test ./core/sound/pcm/wav $(FUZZ) FuzzOpen
	go test ./core/sound/pcm/flac $(FUZZ) FuzzDecoder
	for format in otio edl adl; do go test ./interchange/$$format $(FUZZ) FuzzRead || exit 1; done
	go test ./interchange/report $(FUZZ) FuzzCSV
	go test ./core/audit $(FUZZ) FuzzEdits
	go test ./web $(FUZZ) FuzzUploads

# Many clients at once for SOAK_TIME, or until SOAK_KILLS kills, with kills of the program and of its database at any moment.
SOAK_TIME ?= 20m
SOAK_KILLS ?= 0
soak: build
	tools/install-missing mariadbd ffmpeg aplay
	go run ./tools/soak -for $(SOAK_TIME) -kills $(SOAK_KILLS)

# Three servers of one database, a store of recordings, three programs and a balancer, on loopback.
cluster: build
	tools/install-missing $(CLUSTER_NEEDS)
	go run ./tools/cluster

# The same, driven by editors for CLUSTER_TIME while parts of it are killed CLUSTER_KILLS times each.
CLUSTER_TIME ?= 5m
CLUSTER_EDITORS ?= 150
CLUSTER_SCENES ?= 30
CLUSTER_KILLS ?= 0
CLUSTER_CUTS ?= 0
test-cluster: build
	tools/install-missing $(CLUSTER_NEEDS)
	go run ./tools/cluster -fresh -dir var/test-cluster -for $(CLUSTER_TIME) -editors $(CLUSTER_EDITORS) \
		-scenes $(CLUSTER_SCENES) -kills $(CLUSTER_KILLS) -cuts $(CLUSTER_CUTS) $(CLUSTER_MORE)

# What so many editors need, by the figures of tools/scale/figures.json.
scale:
	go run ./tools/scale

# How surely detectors tell cut pauses from uncut ones: as cut, mended, and brought to one room.
DETECT ?= --kind all
detector: build
	tools/install-missing ffmpeg espeak-ng flite python3-sklearn
	/usr/bin/python3 -W ignore tools/detector/detector.py $(DETECT)

clean:
	rm -rf bin node_modules e2e/results web/ui/wire
	find web/static -mindepth 1 ! -name not-made.txt -delete
