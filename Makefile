# One door to everything. `make demo` and `make test` do all the set-up that is needed.
PY := .venv/bin/python
OFFSCREEN := QT_QPA_PLATFORM=offscreen:configfile=tests/offscreen.json

.PHONY: setup demo test check bench shots demo-footage lock

setup:
	@tools/setup.sh

demo: setup
	$(PY) -m clevrin demo

test: setup
	$(OFFSCREEN) $(PY) -m pytest

check: setup
	$(PY) -m ruff check .
	$(PY) -m ruff format --check .
	$(PY) -m mypy
	.venv/bin/lint-imports
	$(OFFSCREEN) $(PY) -m pytest

bench: setup
	$(OFFSCREEN) $(PY) -m bench

shots: setup
	$(OFFSCREEN) $(PY) tools/shots.py

demo-footage: setup
	$(PY) -m clevrin.demo.footage_maker

# After a change of dependencies in pyproject.toml; needs the tool uv.
lock:
	uv pip compile pyproject.toml --extra dev -o requirements.lock --generate-hashes --python-version 3.11 -q --custom-compile-command "make lock"
