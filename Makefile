# make demo    everything for a first look: sets up, starts the service on the simulated site
# make test    sets up (system packages too, when root), checks and tests everything
# make try     browser scenarios that take long
# make endure  long runs: churn, killed services, months in fast motion, made-up requests
# make check   linters and type checkers only
# make bench   speed and memory, as ratios to floors taken in the same run
# make console builds the console only; make screenshots takes the pictures of the docs anew

PYTHON ?= python3
VENV := .venv
RUN := $(VENV)/bin/python
CONSOLE_BUILT := src/even_roster/service/static/index.html
CONSOLE_SOURCES := $(shell find console/src console/public -type f) console/index.html console/vite.config.ts console/tsconfig.json

.PHONY: demo test try endure ready check bench console screenshots system clean

demo: $(VENV)/.runtime $(CONSOLE_BUILT)
	$(VENV)/bin/roster demo $(DEMO)

# ONLY="test_store src/even_roster/core/ranges.py": some of it; ONLY=changed: what tests the files that differ from the last commit.
test: ready
	$(RUN) -m tests $(ONLY)

try: ready
	$(RUN) -m tests --part try

endure: ready
	$(RUN) -m tests --part endure

# Python and the console are set up side by side.
ready: system
	@$(MAKE) --no-print-directory --jobs=2 --output-sync=target $(VENV)/.dev $(CONSOLE_BUILT)

check: ready
	$(RUN) -m tests checks

bench: system $(VENV)/.dev $(CONSOLE_BUILT)
	$(RUN) -m bench

console: $(CONSOLE_BUILT)

screenshots: system $(VENV)/.dev $(CONSOLE_BUILT)
	$(RUN) -m tools.screenshots

system:
	sh tools/system-packages.sh

$(VENV)/bin/python:
	$(PYTHON) -c 'import ensurepip' 2>/dev/null || sh tools/system-packages.sh python3-venv
	$(PYTHON) -m venv $(VENV)

$(VENV)/.runtime: requirements.lock pyproject.toml | $(VENV)/bin/python
	$(RUN) -m pip install --quiet --requirement requirements.lock
	$(RUN) -m pip install --quiet --no-deps --editable .
	touch $@

$(VENV)/.dev: requirements-dev.lock $(VENV)/.runtime
	$(RUN) -m pip install --quiet --requirement requirements-dev.lock
	touch $@

console/node_modules/.ready: console/package.json console/package-lock.json
	cd console && { npm ci --no-audit --no-fund --silent || npm install --no-package-lock --no-audit --no-fund --silent; }
	touch $@

$(CONSOLE_BUILT): console/node_modules/.ready $(CONSOLE_SOURCES)
	cd console && npm run --silent build

clean:
	rm -rf $(VENV) console/node_modules src/even_roster/service/static build
