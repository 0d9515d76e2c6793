# Two commands for everybody: `make demo` and `make test`. Both do all the set-up a fresh machine needs.
PYTHON ?= python3
BIN := .venv/bin

.PHONY: guide setup demo test lint bench soak mutants firmware screenshots schema figures

setup:
	@bash tools/setup.sh

demo: setup
	@bash tools/demo.sh

# Throw-away images need no flush: by eatmydata the tests wait for no disk. What is flushed when is tested by its own stand-in (tests/lossy.py).
test: setup
	@QT_QPA_PLATFORM=offscreen $$(command -v eatmydata) $(BIN)/python -m pytest -n 2

lint: setup
	@$(BIN)/ruff check src tests tools figures
	@$(BIN)/ruff format --check src tests tools figures
	@$(BIN)/mypy
	@$(BIN)/lint-imports

bench: setup
	@QT_QPA_PLATFORM=offscreen $(BIN)/python -m figures

soak: setup
	@$(BIN)/python tools/soak.py $(JOBS)
	@$(BIN)/python tools/headers.py 1000000
	@$(BIN)/python tools/starting.py 1000000
	@INKSHELF_TESTS=soak $(BIN)/python -m pytest -q tests/test_shared_logbook.py -k two_technicians_with_cuts

mutants: setup
	@$(BIN)/python tools/mutants.py

firmware: setup
	@$(BIN)/python tools/firmware.py $(CASES)
	@$(BIN)/python tools/menu_cases.py
	@$(BIN)/python tools/entry_cases.py
	@$(BIN)/python tools/firmware_demos.py

screenshots: setup
	@QT_QPA_PLATFORM=offscreen $(BIN)/python tools/screenshots.py docs/screenshots

figures: setup
	@$(BIN)/python tools/figures.py
	@$(BIN)/ruff format -q src/inkshelf/data

guide: setup
	@$(BIN)/python tools/guide.py

schema: setup
	@$(BIN)/python tools/schema.py
