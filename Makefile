# Everything a fresh machine needs is set up here: Python 3.11 or newer, make and apt are enough.
PYTHON ?= $(shell command -v python3.11 || command -v python3.12 || command -v python3.13 || command -v python3)
NEW_ENOUGH := -c 'import sys; sys.exit(sys.version_info < (3, 11))'
SUDO := $(shell [ "$$(id -u)" = 0 ] || echo sudo)
BIN := .venv/bin
# Where somebody looks, what is installed is shown.
QUIET := $(shell [ -t 2 ] || echo -q)
PIP = $(BIN)/pip install $(QUIET) --disable-pip-version-check
# An environment of an older Python, or of another place, is of no use.
STALE := $(shell [ ! -e .venv ] || .venv/bin/python $(NEW_ENOUGH) 2> /dev/null || { rm -rf .venv; echo removed; })
# What `make demo` plays: SCENE=modules for those that take commands; `pale-heron demo --help` tells all.
SCENE ?= saltmarsh
# Most tests start the program anew: it need not be compiled, nor numpy given threads, each time.
unexport PYTHONDONTWRITEBYTECODE
export OPENBLAS_NUM_THREADS := 1
# Ends of lines that apt writes are of no use here.
APT := $(SUDO) env DEBIAN_FRONTEND=noninteractive apt-get -qq

.PHONY: help demo test lint lowest bench screenshots report clean

help:
	@echo "make demo         the simulated bench on the full screen; SCENE=modules: modules, range-walk: a link"
	@echo "make test         all tests, after lint"
	@echo "make lint         ruff, mypy and the import contracts"
	@echo "make lowest       tests with the oldest packages that are allowed"
	@echo "make bench        speed and memory, as ratios to a floor"
	@echo "make report       the example report in docs/, from a simulated walk"
	@echo "make screenshots  the pictures in docs/screenshots, from the demo"

.venv/made:
	@$(PYTHON) $(NEW_ENOUGH) || { \
		echo "Python 3.11 or newer is needed, and $(PYTHON) is $$($(PYTHON) --version 2>&1): make PYTHON=/path/to/python3.11"; exit 1; }
	$(PYTHON) -m venv .venv || { $(APT) update && $(APT) install -y python3-venv && $(PYTHON) -m venv .venv; }
	@touch $@

.venv/run: .venv/made requirements.txt pyproject.toml
	@echo "Installing the packages that the program needs; this takes a minute or two the first time."
	$(PIP) -r requirements.txt
	$(PIP) --no-deps -e .
	@touch $@

.venv/develop: .venv/run requirements-dev.txt
	@echo "Installing what tests and checks need."
	$(PIP) -r requirements-dev.txt
	@touch $@

demo: .venv/run
	$(BIN)/pale-heron demo --scene $(SCENE)

lint: .venv/develop
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports --no-cache

test: lint
	@command -v tmux > /dev/null && command -v cc > /dev/null || { $(APT) update && $(APT) install -y tmux gcc libc6-dev; }
	$(BIN)/pytest -q -n 4 --dist loadfile --no-loadscope-reorder

# The oldest packages that pyproject.toml allows, in an environment of their own.
lowest: .venv/develop
	$(BIN)/python -m venv .venv/lowest
	$(BIN)/python -c 'import re, tomllib; print(*(re.sub(r">=([^,]+).*", r"==\1", each) for each in \
		tomllib.load(open("pyproject.toml", "rb"))["project"]["dependencies"]), sep="\n")' > .venv/lowest.txt
	.venv/lowest/bin/pip install $(QUIET) --disable-pip-version-check -c .venv/lowest.txt \
		-r .venv/lowest.txt pytest pytest-xdist pytest-asyncio pytest-timeout hypothesis psutil python-pcapng
	.venv/lowest/bin/pip install $(QUIET) --disable-pip-version-check --no-deps -e .
	.venv/lowest/bin/pytest -q -n 2 --dist loadfile --no-loadscope-reorder tests/core tests/capture tests/report tests/tui

bench: .venv/develop
	$(BIN)/python -m benchmarks

screenshots: .venv/develop
	@for program in Xvfb xterm import tmux; do command -v $$program > /dev/null || \
		{ $(APT) update && $(APT) install -y xvfb xterm imagemagick tmux fonts-dejavu-core; break; }; done
	$(BIN)/python docs/screenshots/take.py

report: .venv/run
	$(BIN)/python docs/example_report.py

clean:
	rm -rf .venv .pytest_cache .mypy_cache .ruff_cache .hypothesis
