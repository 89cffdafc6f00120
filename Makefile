# Two commands are all it takes: `make demo` opens the window, `make test` runs the tests.
PYTHON := .venv/bin/python
READY := .venv/.ready
DEV := .venv/.ready-dev

.PHONY: demo example test coverage mutants fuzz attack check lint types layering bench docs languages shots wheel deb try-deb release lock clean

demo: $(READY) ## open the window with the demo trellis
	@if [ -n "$$DISPLAY$$WAYLAND_DISPLAY" ]; then \
	  tools/system_libraries.sh window && $(PYTHON) -m keen_trellis open demo/whole-season.trellis; \
	else echo "There is no display to open a window on; “make example” runs the demo without one."; fi

example: $(READY) ## run the demo without a screen: read, tie, deliver, report, print the counts
	$(PYTHON) -m keen_trellis run demo/whole-season.trellis --deliver --report demo/out/season.html

test: $(DEV) ## run all tests, the packages side by side
	@tools/system_libraries.sh tests
	$(PYTHON) tools/run_tests.py

coverage: $(DEV) ## run all tests, and tell which lines and branches they take
	.venv/bin/coverage erase
	-$(PYTHON) tools/run_tests.py --coverage
	.venv/bin/coverage combine --quiet
	.venv/bin/coverage report --sort=cover --skip-covered

mutants: $(DEV) ## put small faults into what counts, and see how many the tests notice
	$(PYTHON) tools/mutants.py 50

fuzz: $(DEV) ## feed formulas by chance to their reader, for five minutes
	.venv/bin/pip install --quiet --disable-pip-version-check atheris==3.0.0
	$(PYTHON) tools/fuzz_formulas.py

attack: $(DEV) ## damaged files, kills, bad connections, strange documents, odd surroundings
	$(PYTHON) -m tests.attack

check: lint types layering ## lint, format, types and layering

lint: $(DEV)
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .

types: $(DEV)
	.venv/bin/mypy

layering: $(DEV)
	.venv/bin/lint-imports

bench: $(DEV) ## measure against SQLite and csv, as ratios
	$(PYTHON) -m benchmarks

docs: $(DEV) ## write what the docs take from the code
	$(PYTHON) tools/write_docs.py

languages: $(DEV) ## take new texts up into the catalogues, and compile them
	$(PYTHON) tools/catalogues.py

shots: $(DEV) ## take the pictures in docs/screenshots
	$(PYTHON) tools/screenshots.py

wheel: $(DEV) ## build the wheel and the sdist into dist/, and try the wheel without the clone
	rm -rf build dist/*.whl dist/*.tar.gz
	$(PYTHON) -m build --outdir dist . >/dev/null
	$(PYTHON) tools/try_wheel.py

deb: wheel ## build a Debian package into dist/, and have Debian's own tools look at it
	$(PYTHON) tools/build_deb.py
	lintian --allow-root --fail-on error --suppress-tags-from-file tools/lintian-tags dist/*.deb

release: check test wheel deb try-deb ## all that a release needs, with lists of what is in it
	$(PYTHON) tools/try_wheel.py --whole
	.venv/bin/cyclonedx-py requirements requirements.lock --pyproject pyproject.toml \
	  --output-reproducible --output-file dist/keen-trellis.cdx.json
	.venv/bin/pip-licenses --from=mixed --order=license --format=markdown --with-urls \
	  --packages $$(sed -n 's/^\([a-zA-Z0-9_.-]*\)==.*/\1/p' requirements.lock) > dist/licences.md
	cd dist && sha256sum *.whl *.tar.gz *.deb *.json *.md > SHA256SUMS

try-deb: ## as root: install the package in a clean Debian, open the demo, remove it
	tools/try_deb.sh

clean:
	rm -rf .venv dist demo/out .mypy_cache .ruff_cache .hypothesis build

lock: $(DEV) ## write the two locks anew, in the newest versions that go together
	$(LOCK) --upgrade --output-file requirements.lock pyproject.toml
	$(LOCK) --upgrade --extra dev -c requirements.lock --output-file requirements-dev.lock pyproject.toml

LOCK := .venv/bin/uv pip compile --quiet --generate-hashes --no-annotate --python-version 3.11 \
  --custom-compile-command "make lock"

$(READY): requirements.lock pyproject.toml
	@tools/set_up.sh
	@touch $(READY)

# what the program needs comes first: its lock holds for both
$(DEV): requirements-dev.lock $(READY)
	@tools/set_up.sh dev
	@touch $(DEV)
