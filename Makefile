# Two commands matter: `make demo` and `make test`. Both install what they need first.
PYTHON ?= python3
VENV   := .venv
BIN    := $(VENV)/bin
UV     ?= uv
# Every process starts from what the first one compiled: several seconds each, wherever that had been switched off.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: a11y wheel install demo demo-archive test lint bench mutants scores shots vendor lock clean browser front

install: $(VENV)/.ready

# --no-compile: what is imported is compiled then; compiling all of it first takes half a minute.
$(VENV)/.ready: requirements-dev.txt pyproject.toml
	$(PYTHON) -c 'import sys; sys.exit("Drumbo needs Python 3.11 or newer") if sys.version_info < (3, 11) else None'
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-compile --require-hashes -r requirements-dev.txt
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	touch $@

demo: install
	$(BIN)/drumbo demo

# The demo's workshop anew, printed on the stand-ins: wherever a kind's files or answers have changed on purpose.
demo-archive: install
	$(BIN)/python -m drumbo.demo.archive

# The browser tests drive Debian's Chromium without its window, which takes a third less work; the scripts' own tests run
# on node. Each is installed where missing.
browser:
	@test -x /usr/bin/chromium-headless-shell && command -v node > /dev/null || { \
	  SUDO=$$(test "$$(id -u)" = 0 || echo sudo); \
	  $$SUDO apt-get -qq update && $$SUDO apt-get -qq install -y --no-install-recommends chromium-headless-shell \
	    $$(command -v node > /dev/null || echo nodejs); }

# Four at a time, as tests often wait for a page or a printer; more only get into each other's way. The longest first.
WORKERS ?= 4
LONGEST := tests/e2e/test_plates.py tests/trials/test_contract.py tests/services/test_plates.py tests/test_cli.py \
  tests/e2e/test_resin.py tests/services/test_prints.py tests/services/test_resin_line.py tests/services/test_live.py

test:
	$(MAKE) --no-print-directory -j2 install browser
	node --test tests/js/*.test.js
	$(BIN)/python -m pytest -n $(WORKERS) --dist loadfile --no-loadscope-reorder $(LONGEST) tests/e2e tests/links tests

# Scripts and styles are looked over by a pinned tool from npm.
front: node_modules/.ready

node_modules/.ready: package-lock.json
	npm ci --ignore-scripts --no-audit --no-fund --silent
	touch $@

lint: install front
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	node_modules/.bin/biome check

# Who is kept out? Every page, at three widths; and its HTML, by a checker that wants Java.
a11y: install browser front
	$(BIN)/python -m pytest -q -n 2 tests/e2e/every_page.py
	$(BIN)/python -m tests.e2e.html_checked

bench: install
	$(BIN)/python -m bench.speed
	$(BIN)/python bench/accuracy.py --seed 1 --spools 20
	$(BIN)/python -m bench.check
	$(BIN)/python bench/faults.py --seed 1 --runs 300
	$(BIN)/python -m bench.fuzz --seed 1 --runs 1000
	$(BIN)/python -m bench.plans --seed 1 --runs 6

# A package that pipx installs; it is tried in an environment of its own.
wheel: install
	rm -rf build
	$(BIN)/python -m pip wheel --quiet --disable-pip-version-check --no-deps --no-build-isolation -w build/wheel .
	$(BIN)/python -m tests.wheel_works build/wheel/drumbo-*.whl

# Would the tests notice a fault? Some minutes for every ten of them.
mutants: install
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-compile --require-hashes -r requirements-mutants.txt
	$(BIN)/python bench/mutants.py --seed 1 --sample 110 --show

# What each score looks like, printed on the stand-in: where it or a piece has changed.
scores: install
	$(BIN)/python docs/make_scores.py

shots: install browser
	$(BIN)/python docs/make_shots.py

# Front-end files again from pinned packages (needs npm).
vendor: front
	node docs/vendor.mjs

# Pinned and hashed requirements again (needs uv).
lock:
	$(UV) pip compile -q --universal --generate-hashes --python-version 3.11 --no-emit-index-url --no-header requirements-dev.in -o requirements-dev.txt
	$(UV) pip compile -q --universal --generate-hashes --python-version 3.11 --no-emit-index-url --no-header -c requirements-dev.txt requirements.in -o requirements.txt
	$(UV) pip compile -q --universal --generate-hashes --python-version 3.11 --no-emit-index-url --no-header -c requirements-dev.txt requirements-mutants.in -o requirements-mutants.txt

clean:
	rm -rf $(VENV) node_modules .pytest_cache .mypy_cache .ruff_cache .cache build *.egg-info
