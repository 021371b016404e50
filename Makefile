# Everything is set up on first use: virtual environment, locked packages, system libraries.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready
export NUMBA_CACHE_DIR ?= $(CURDIR)/build/kernels

.PHONY: demo test quick bench bench-quality lint shots docs clean

demo: $(READY)
	$(BIN)/lather demo

test: $(READY)
	$(BIN)/python -m tests

# What a change touches, at most for a minute and a half.
quick: $(READY)
	$(BIN)/python -m tests.quick

bench: $(READY)
	$(BIN)/lather bench

bench-quality: $(READY)
	$(BIN)/lather bench quality quality.metamorphic quality.shape quality.check quality.own regions evenness

lint: $(READY)
	$(BIN)/ruff check .
	$(BIN)/mypy

shots: $(READY)
	$(BIN)/python scripts/shots.py

docs: $(READY)
	$(BIN)/python scripts/generate_docs.py

$(READY): requirements.lock pyproject.toml scripts/setup.sh
	sh scripts/setup.sh "$(PYTHON)" "$(VENV)"
	touch $(READY)

clean:
	rm -rf build $(VENV)
