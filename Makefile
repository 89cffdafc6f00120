# Two commands are all it takes: `make demo` opens the window, `make test` runs the tests.
PYTHON := .venv/bin/python
READY := .venv/.ready

.PHONY: demo example test coverage mutants fuzz attack check lint types layering bench docs shots clean

demo: $(READY) ## open the window with the demo trellis
	@if [ -n "$$DISPLAY$$WAYLAND_DISPLAY" ]; then \
	  tools/system_libraries.sh window && $(PYTHON) -m keen_trellis open demo/whole-season.trellis; \
	else echo "There is no display to open a window on; “make example” runs the demo without one."; fi

example: $(READY) ## run the demo without a screen: read, tie, deliver, report, print the counts
	$(PYTHON) -m keen_trellis run demo/whole-season.trellis --deliver --report demo/out/season.html

test: $(READY) ## run all tests, the packages side by side
	@tools/system_libraries.sh tests
	$(PYTHON) tools/run_tests.py

coverage: $(READY) ## run all tests, and tell which lines and branches they take
	.venv/bin/pip install --quiet --disable-pip-version-check coverage==7.17.5
	.venv/bin/coverage erase
	-$(PYTHON) tools/run_tests.py --coverage
	.venv/bin/coverage combine --quiet
	.venv/bin/coverage report --sort=cover --skip-covered

mutants: $(READY) ## put small faults into what counts, and see how many the tests notice
	$(PYTHON) tools/mutants.py 50

fuzz: $(READY) ## feed formulas by chance to their reader, for five minutes
	.venv/bin/pip install --quiet --disable-pip-version-check atheris==3.0.0
	$(PYTHON) tools/fuzz_formulas.py

attack: $(READY) ## damaged files, kills, bad connections, strange documents, odd surroundings
	$(PYTHON) -m tests.attack

check: lint types layering ## lint, format, types and layering

lint: $(READY)
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .

types: $(READY)
	.venv/bin/mypy

layering: $(READY)
	.venv/bin/lint-imports

bench: $(READY) ## measure against SQLite and csv, as ratios
	$(PYTHON) -m benchmarks

docs: $(READY) ## write what the docs take from the code
	$(PYTHON) tools/write_docs.py

shots: $(READY) ## take the pictures in docs/screenshots
	$(PYTHON) tools/screenshots.py

clean:
	rm -rf .venv demo/out .mypy_cache .ruff_cache .hypothesis build

$(READY): requirements.lock pyproject.toml
	@tools/system_libraries.sh python
	python3 -m venv .venv
	.venv/bin/pip install --quiet --disable-pip-version-check --no-compile -r requirements.lock
	.venv/bin/pip install --quiet --disable-pip-version-check --no-compile --no-deps -e .
	@# on all cores, and the program itself too; what a package cannot compile, it does not need
	@.venv/bin/python -m compileall -qq -j 0 -x '/tests/' .venv/lib src || true
	@touch $(READY)
