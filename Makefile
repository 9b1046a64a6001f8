# Corlume. `make demo` and `make test` set up what they need on a fresh machine with Python 3.11+.
PYTHON ?= python3
BIN := .venv/bin
# Modules are kept as Python compiles them: a run of the tests starts some forty processes.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo serve test quick scripts bench styles vendor check rooms glossary clean

demo: .venv/demo.stamp
	$(BIN)/corlume demo

serve: .venv/demo.stamp
	$(BIN)/corlume serve

test: .venv/test.stamp
	sh scripts/ensure-chromium.sh
	sh scripts/ensure-mosquitto.sh
	$(BIN)/python -m pytest -n auto --dist worksteal
	@$(MAKE) --no-print-directory scripts

# What a change wants while it is made: the tests of what changed since the last commit, without those that take long.
quick: .venv/test.stamp
	$(BIN)/python -m pytest -n auto --dist worksteal $(shell $(PYTHON) scripts/tests_for_change.py)
	@$(MAKE) --no-print-directory scripts

# Tests of the JavaScript by node's own runner; node is not needed to run or to set up the application.
scripts:
	@if command -v node >/dev/null; then node --test tests/js; else echo "node is not here: the JavaScript tests are left out"; fi

check: .venv/test.stamp
	$(BIN)/ruff check
	$(BIN)/ruff format --check
	$(BIN)/mypy
	@if command -v npm >/dev/null; then $(MAKE) --no-print-directory lint/node_modules/stamp && \
	lint/node_modules/.bin/eslint -c lint/eslint.config.mjs src/corlume/web/static --ignore-pattern '**/vendor/**'; \
	else echo "node is not here: the JavaScript is not linted"; fi

lint/node_modules/stamp: lint/package-lock.json
	cd lint && npm ci --ignore-scripts --no-audit --no-fund
	touch $@

# The picture of who imports whom, drawn from the imports.
rooms:
	$(PYTHON) scripts/draw_rooms.py

glossary: .venv/demo.stamp
	$(BIN)/python scripts/write_glossary.py

vendor:
	cd vendor && npm ci --ignore-scripts --no-audit --no-fund
	cd vendor && npx esbuild three.js --bundle --minify --format=esm --legal-comments=inline \
	  --outfile=../src/corlume/web/static/vendor/three.min.js
	cd src/corlume/web/static/vendor && sha256sum *.js > SHA256SUMS

bench: .venv/demo.stamp
	$(BIN)/python -m benchmarks.run

# Rebuilds the shipped CSS from the templates; needs node and npm, which running and testing do not.
styles:
	cd styles && npm ci --ignore-scripts --no-audit --no-fund
	cd styles && npx tailwindcss --input app.css --output ../src/corlume/web/static/app.css --minify
	$(PYTHON) scripts/stamp_styles.py

.venv/bin/python:
	$(PYTHON) -m venv .venv

.venv/demo.stamp: .venv/bin/python requirements.txt pyproject.toml
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements.txt
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --editable .
	$(BIN)/corlume warm
	touch $@

.venv/test.stamp: .venv/demo.stamp requirements-dev.txt
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements-dev.txt
	touch $@

clean:
	rm -rf .venv styles/node_modules lint/node_modules vendor/node_modules
