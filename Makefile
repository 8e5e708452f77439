# Two commands: `make demo` and `make test`. Both install missing parts and can be repeated.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
SCALE ?= 20
FUZZ_S ?= 600
LATE_MS ?= 1000
ADDRESS ?= 127.0.0.1:8000
SHELL := /bin/bash
BROWSER := web/static/js web/static/css

# Text rendering for PDFs; part of most desktops.
papers: $(VENV)/.ready
	@$(BIN)/python -c 'import weasyprint' 2>/dev/null || { echo "Pango is missing; installing Debian's package"; \
	  if [ "$$(id -u)" = 0 ]; then apt-get update -qq && apt-get install -y -qq libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0; \
	  else echo "This account may not install packages. Run: sudo apt-get install libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0" >&2; exit 1; fi; }

.PHONY: papers setup demo test test-quick test-long test-late lint format browser requirements vendor

# Compiled ahead, so that the command line starts quickly even if Python may not write beside its sources.
setup: $(VENV)/.ready papers
	@$(BIN)/python -m compileall -q lattice web

$(VENV)/.ready: requirements/dev.txt requirements/base.txt pyproject.toml
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11) and "Python 3.11 or newer is needed")'
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements/dev.txt
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation --config-settings editable_mode=compat -e .
	touch $@

demo: setup
	$(BIN)/python manage.py migrate --verbosity 0
	@LATTICE_DEMO=1 $(BIN)/python manage.py demo --address http://$(ADDRESS)
	@LATTICE_DEMO=1 $(BIN)/python manage.py serve --listen $(ADDRESS)

# Debian's headless Chromium, which opens a page in a fifth of the time of the whole browser; either will do.
browser:
	@command -v chromium-headless-shell chromium >/dev/null || { echo "Chromium is missing; installing Debian's package"; \
	  if [ "$$(id -u)" = 0 ]; then apt-get update -qq && { apt-get install -y -qq chromium-headless-shell || apt-get install -y -qq chromium; }; \
	  else echo "This account may not install packages. Run: sudo apt-get install chromium-headless-shell" >&2; exit 1; fi; }

lint: setup
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/djlint web/templates --check --lint --quiet
	$(BIN)/oxfmt --check $(BROWSER)
	$(BIN)/oxlint --deny-warnings web/static/js
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/python tools/vendor.py --check
	$(BIN)/python manage.py makemigrations --check --dry-run

# Formats everything as `lint` requires.
format: setup
	$(BIN)/ruff check --fix .
	$(BIN)/ruff format .
	$(BIN)/djlint web/templates --reformat --quiet
	$(BIN)/oxfmt $(BROWSER)

test: setup browser lint
	$(BIN)/pytest -n 3 --dist worksteal

# During work: the core without its random and long tests, the web without the browser.
test-quick: setup
	$(BIN)/pytest -n 2 --dist worksteal -m "not hypothesis and not slow" --ignore tests/browser

# Random tests with new examples, `SCALE` times as many as a property names, and ten minutes of mutated input. Each
# prints how to reproduce a failure; a failure is a defect to fix.
test-long: setup
	LATTICE_TEST_PROFILE=long LATTICE_TEST_SCALE=$(SCALE) $(BIN)/pytest -n 2 --dist worksteal -m hypothesis
	$(BIN)/python -m tests.fuzz.run --seconds $(FUZZ_S)

# The browser tests with answers up to a second late: a failure is a page or a test that does not wait.
test-late: setup browser
	LATTICE_TEST_LATE_MS=$(LATE_MS) $(BIN)/pytest -n 2 --dist worksteal tests/browser

requirements:
	cd requirements && for name in base dev; do pip-compile --quiet --generate-hashes --allow-unsafe --strip-extras \
	  --no-header --no-emit-index-url --no-emit-find-links --no-emit-trusted-host --output-file $$name.txt $$name.in; done

vendor: setup
	$(BIN)/python tools/vendor.py
