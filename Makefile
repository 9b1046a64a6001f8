# Corlume. `make demo` and `make test` set up what they need on a fresh machine with Python 3.11+.
PYTHON ?= python3
BIN := .venv/bin

.PHONY: demo serve test bench styles check clean

demo: .venv/demo.stamp
	$(BIN)/corlume demo

serve: .venv/demo.stamp
	$(BIN)/corlume serve

test: .venv/test.stamp
	sh scripts/ensure-chromium.sh
	$(BIN)/python -m pytest -n auto --dist worksteal

check: .venv/test.stamp
	$(BIN)/ruff check
	$(BIN)/ruff format --check
	$(BIN)/mypy

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
	rm -rf .venv styles/node_modules
