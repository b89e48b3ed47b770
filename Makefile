# make demo, make test: each does all the set-up; a second run is quick.
PYTHON = .venv/bin/python
# Programs that tests and benchmarks start are compiled once, not at every start.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: setup demo test long lint shots bench reference promises practice kills hostile lock clean

setup:
	@sh tools/setup.sh

demo: setup
	@$(PYTHON) -m pigtail demo

test: setup
	@QT_QPA_PLATFORM=offscreen $(PYTHON) -m pytest -n auto --dist worksteal --maxfail=40

# Every case of every test; `make test` takes some of the long ones.
long: setup
	@PIGTAIL_LONG=1 QT_QPA_PLATFORM=offscreen $(PYTHON) -m pytest -n auto --dist worksteal --maxfail=40

lint: setup
	@$(PYTHON) -m ruff format --check src tests tools
	@$(PYTHON) -m ruff check src tests tools
	@$(PYTHON) -m mypy
	@.venv/bin/lint-imports
	@$(PYTHON) tools/check_docstrings.py
	@if git ls-files --others --ignored --exclude-standard src tests tools packaging docs | grep -v -e __pycache__ -e egg-info; \
		then echo "these are ignored by git and would be missing in a clone" >&2; exit 1; fi

shots: setup
	@QT_QPA_PLATFORM=offscreen PIGTAIL_LANGUAGE=en $(PYTHON) -m pigtail shots docs/screenshots

bench: setup
	@$(PYTHON) tools/bench_start.py
	@$(PYTHON) tools/bench_study.py
	@$(PYTHON) tools/bench_solve.py
	@$(PYTHON) tools/bench_survey.py
	@$(PYTHON) tools/bench_search.py
	@$(PYTHON) tools/bench_level.py
	@$(PYTHON) tools/bench_next.py
	@$(PYTHON) tools/bench_power.py
	@$(PYTHON) tools/bench_control.py
	@$(PYTHON) tools/bench_build.py
	@$(PYTHON) tools/bench_prove.py
	@$(PYTHON) tools/bench_growth.py

# Needs ngspice: its answers to the decks in tests/reference, for machines without it.
reference: setup
	@$(PYTHON) tests/reference/simulator.py

# What `good` promises, over sixty random jobs and 5,000 samples of each; `make test` takes a few.
promises: setup
	@PIGTAIL_LONG=1 PIGTAIL_RANDOM_JOBS=60 PIGTAIL_SAMPLES=5000 QT_QPA_PLATFORM=offscreen $(PYTHON) -m pytest -n auto tests/studies/test_promise.py tests/reference/test_nodal.py tests/advice/test_requests.py tests/advice/test_supply_search.py tests/bench/test_practice.py

# Every host kind with every fault planted, read by one who does just what is asked; `make test` takes a few.
practice: setup
	@$(PYTHON) tools/practice.py

kills: setup
	@$(PYTHON) tools/kills.py 500

# Strange input by the thousand, a full disk, two programs on one file, a long day: hours; `make test` takes a short form of each.
hostile: setup
	@$(PYTHON) tools/fuzz.py jobs 20000
	@$(PYTHON) tools/fuzz.py decks 10000
	@$(PYTHON) tools/fuzz.py inputs 2000
	@$(PYTHON) tools/fuzz.py sheets 1000
	@$(PYTHON) tools/disk.py full
	@$(PYTHON) tools/disk.py two 3600
	@$(PYTHON) tools/kills.py 2000
	@$(PYTHON) tools/soak.py 10000 inside
	@$(PYTHON) tools/soak.py 10000 process

# Needs uv, which is not part of the set-up: the lock file is made anew only when the dependencies change.
lock:
	uv pip compile --universal --generate-hashes --python-version 3.11 --no-emit-index-url --extra dev \
		pyproject.toml -o requirements.lock --custom-compile-command "make lock"

clean:
	rm -rf .venv build dist .pytest_cache .mypy_cache .ruff_cache .import_linter_cache
