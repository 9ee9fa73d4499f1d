# One door to everything. `make demo` and `make test` do all the set-up that is needed.
PY := .venv/bin/python
OFFSCREEN := QT_QPA_PLATFORM=offscreen:configfile=tests/offscreen.json

# By two: what is slow is measuring and drawing, and more workers than cores only wait for each other.
# Some shells have Python compile all modules anew in each process that is started: 0.3 to 0.9 s each.
export PYTHONDONTWRITEBYTECODE :=

PYTEST := $(OFFSCREEN) $(PY) -m pytest -n 2 --dist worksteal

.PHONY: setup demo test test-costs check soak bench guide shots strips demo-footage demo-measured lock

setup:
	@tools/setup.sh

demo: setup
	$(PY) -m clevrin demo

test: setup
	$(PYTEST)

# The same, and what each test took, as a table in docs.
test-costs: setup
	$(PYTEST) --costs=docs/test-costs.md

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

# Three jobs as pictures for the guide (about five minutes: their films are rendered).
strips: setup
	$(OFFSCREEN) PYTHONPATH=. $(PY) tools/job_strips.py

demo-footage: setup
	$(PY) -m clevrin.demo.footage_maker

# What is measured of the demo's takes, after a change of a method's version or of a film (about three minutes).
demo-measured: setup
	$(PY) -m clevrin.demo.measured
	$(OFFSCREEN) $(PY) tools/demo_thumbnails.py

# After a change of dependencies in pyproject.toml; needs the tool uv.
lock:
	uv pip compile pyproject.toml --extra dev -o requirements.lock --generate-hashes --python-version 3.11 -q --custom-compile-command "make lock"
