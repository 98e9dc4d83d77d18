# Each target does all its own set-up: a virtual environment with pinned packages, and Debian packages
# where root can install them; otherwise it says what is missing.

PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready

.PHONY: demo example test lint bench soak kills faults pagefaults docs screenshots clean

HANDS ?=

demo: $(READY)
	$(BIN)/zinger demo $(if $(HANDS),--hands)

example: $(READY)
	rm -rf example
	$(BIN)/zinger demo --headless --in example

test: $(READY) lint
	@tools/need tmux:tmux
	$(BIN)/pytest

lint: $(READY)
	$(BIN)/ruff format --check src tests tools
	$(BIN)/ruff check src tests tools
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: $(READY)
	$(BIN)/python -m tools.bench

soak: $(READY)
	$(BIN)/python -m tools.soak

N ?= 60
SEED ?= 1

kills: $(READY)
	$(BIN)/python -m tools.kills $(N) $(SEED)

faults: $(READY)
	$(BIN)/python -m tools.faults $(N) $(SEED)

pagefaults: $(READY)
	$(BIN)/python -m tools.pagefaults $(N) $(SEED)

docs: $(READY)
	$(BIN)/python -m zinger.plan.handbook docs/checks.md
	$(BIN)/python -m zinger.plan.reference docs/settings.md
	$(BIN)/zinger family schema >docs/phrasebook.schema.json
	$(BIN)/zinger family words --table >docs/families.md

screenshots: $(READY)
	@tools/need tmux:tmux Xvfb:xvfb xterm:xterm import:imagemagick /usr/share/fonts/truetype/dejavu/DejaVuSansMono.ttf:fonts-dejavu-core
	tools/screenshots

$(READY): pyproject.toml constraints.txt
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { echo "zinger needs Python 3.11 or newer"; exit 1; }
	@$(PYTHON) -c 'import venv, ensurepip' || { echo "Python's venv module is missing (Debian: python3-venv)"; exit 1; }
	$(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --disable-pip-version-check --constraint constraints.txt --editable '.[dev]'
	touch $(READY)

clean:
	rm -rf $(VENV) example build .pytest_cache .mypy_cache .ruff_cache .hypothesis
