# Everything a fresh machine needs is set up here: Python 3.11 or newer, make and apt are enough.
PYTHON ?= $(shell command -v python3.11 || command -v python3)
SUDO := $(shell [ "$$(id -u)" = 0 ] || echo sudo)
BIN := .venv/bin
# What `make demo` plays: SCENE=modules for those that take commands; `pale-heron demo --help` tells all.
SCENE ?= saltmarsh
# Ends of lines that apt writes are of no use here.
APT := $(SUDO) env DEBIAN_FRONTEND=noninteractive apt-get -qq

.PHONY: help demo test lint bench screenshots report clean

help:
	@echo "make demo         the simulated bench on the full screen; SCENE=modules: modules, range-walk: a link"
	@echo "make test         all tests, after lint"
	@echo "make lint         ruff, mypy and the import contracts"
	@echo "make bench        speed and memory, as ratios to a floor"
	@echo "make report       the example report in docs/, from a simulated walk"
	@echo "make screenshots  the pictures in docs/screenshots, from the demo"

.venv/made:
	$(PYTHON) -m venv .venv || { $(APT) update && $(APT) install -y python3-venv && $(PYTHON) -m venv .venv; }
	@touch $@

.venv/run: .venv/made requirements.txt pyproject.toml
	$(BIN)/pip install -q --disable-pip-version-check -r requirements.txt
	$(BIN)/pip install -q --disable-pip-version-check --no-deps -e .
	@touch $@

.venv/develop: .venv/run requirements-dev.txt
	$(BIN)/pip install -q --disable-pip-version-check -r requirements-dev.txt
	@touch $@

demo: .venv/run
	$(BIN)/pale-heron demo --scene $(SCENE)

lint: .venv/develop
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports --no-cache

test: lint
	@command -v tmux > /dev/null || { $(APT) update && $(APT) install -y tmux; }
	$(BIN)/pytest -q -n 4 --dist loadfile

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
