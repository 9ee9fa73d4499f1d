# One door to everything. `make demo` and `make test` do all the set-up that is needed.
PY := .venv/bin/python
OFFSCREEN := QT_QPA_PLATFORM=offscreen:configfile=tests/offscreen.json

# By two: what is slow is measuring and drawing, and more workers than cores only wait for each other.
PYTEST := $(OFFSCREEN) $(PY) -m pytest -n 2 --dist worksteal

.PHONY: setup demo test check soak bench guide shots demo-footage lock

setup:
	@tools/setup.sh

demo: setup
	$(PY) -m clevrin demo

test: setup
	$(PYTEST)

check: setup
	$(PY) -m ruff check .
	$(PY) -m ruff format --check .
	$(PY) -m mypy
	.venv/bin/lint-imports
	$(PYTEST)

# The long versions of what is random: about an hour and three quarters.
soak: setup
	$(OFFSCREEN) $(PY) -m pytest -m soak --soak

bench: setup
	$(OFFSCREEN) $(PY) -m bench

# The page of all commands, from their own help.
guide: setup
	$(PY) tools/command_guide.py

shots: setup
	$(OFFSCREEN) $(PY) tools/shots.py

demo-footage: setup
	$(PY) -m clevrin.demo.footage_maker

# After a change of dependencies in pyproject.toml; needs the tool uv.
lock:
	uv pip compile pyproject.toml --extra dev -o requirements.lock --generate-hashes --python-version 3.11 -q --custom-compile-command "make lock"
