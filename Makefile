PYTHON ?= python3.11
VENV := .venv
BIN := $(VENV)/bin
# What is never imported need not be translated to bytecode: that is half of the time.
INSTALL := $(BIN)/pip install --quiet --disable-pip-version-check --no-compile -c constraints.txt
WEB_SOURCES := $(shell find web/src -type f 2>/dev/null) web/index.html web/vite.config.ts
PACKAGE := $(shell find gemischt -name '*.py' 2>/dev/null)

# The page and the kernels are made beside each other.
MAKEFLAGS += --jobs=2

.PHONY: setup demo dev test bench screenshots types clean

setup: $(VENV)/.ready web/dist/index.html $(VENV)/.kernels

$(VENV)/.ready: pyproject.toml constraints.txt
	@echo "== Python environment"
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))' || { echo "Gemischt needs Python 3.11; say where it is with PYTHON=..."; exit 1; }
	@test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	@$(INSTALL) -e .
	@touch $@

web/node_modules/.ready: web/package.json web/package-lock.json
	@echo "== web dependencies"
	@command -v npm >/dev/null || { echo "Gemischt needs Node.js 20 or newer with npm to build its page."; exit 1; }
	@cd web && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

web/dist/index.html: web/node_modules/.ready $(WEB_SOURCES)
	@echo "== web application"
	@cd web && npx vite build --logLevel warn
	@touch $@

$(VENV)/.kernels: $(VENV)/.ready $(PACKAGE)
	@echo "== kernels"
	@$(BIN)/python -m compileall -q gemischt
	@$(BIN)/gemischt prepare
	@touch $@

$(VENV)/.estimates: $(VENV)/.kernels
	@$(BIN)/gemischt prepare --estimates
	@touch $@

# One after the other: nothing may run from an environment that is being installed to.
$(VENV)/.checks: $(VENV)/.ready | $(VENV)/.estimates
	@echo "== what tests need"
	@$(INSTALL) -e '.[checks]'
	@touch $@

demo: setup
	@echo "== starting with the demo song"
	@nice -n 19 $(MAKE) --silent $(VENV)/.estimates & $(BIN)/gemischt start --demo

dev: setup
	@(cd web && npx vite --clearScreen false) & trap 'kill %1' EXIT; $(BIN)/gemischt start --demo --reload

test: setup $(VENV)/.checks
	@$(BIN)/python tests/check.py

bench: setup $(VENV)/.checks
	@$(INSTALL) -e '.[bench]'
	@$(BIN)/python -m bench

screenshots: setup $(VENV)/.checks
	@$(BIN)/python -m tests.browser.screenshots

types: $(VENV)/.ready web/node_modules/.ready
	@$(BIN)/gemischt openapi > docs/openapi.json
	@$(BIN)/gemischt schema > docs/session.schema.json
	@$(BIN)/gemischt parameters > web/src/api/catalogue.gen.json
	@cd web && npx openapi-typescript ../docs/openapi.json -o src/api/schema.gen.ts --default-non-nullable=false

clean:
	@rm -rf $(VENV) web/node_modules web/dist
