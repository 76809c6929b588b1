# Everything a person or CI runs. Each target sets up what it needs first; set-up is idempotent.
PYTHON := .venv/bin/python

.PHONY: demo test lint bench setup screenshots fuzz soak

demo:  ## start everything with the demo data; Ctrl-C stops all of it
	@scripts/setup run
	@exec $(PYTHON) -m vistaline.stack.run

test:  ## the whole suite: core, store, web, work, and the interface in Chromium
	@scripts/setup test
	node --test tests/scripts
	# The core's tests need no server: as many at once as there are cores.
	$(PYTHON) -m pytest -n logical vistaline/core tests/core
	# Those in a browser mostly wait: two at a time, each with servers of its own, a file at a time.
	$(PYTHON) -m pytest -n 2 --dist loadfile tests --ignore tests/core

lint:  ## style, types, import arrows, what is required; of Python and of scripts
	@scripts/setup test
	.venv/bin/ruff format --check .
	.venv/bin/ruff check .
	.venv/bin/mypy
	.venv/bin/lint-imports
	.venv/bin/deptry .
	node_modules/.bin/eslint vistaline/web/static/js tests/scripts eslint.config.js
	node_modules/.bin/tsc -p jsconfig.json

bench:  ## speed and memory beside peers; a table and build/bench.json
	@scripts/setup test
	$(PYTHON) -m bench

fuzz:  ## mutants of files people bring in: make fuzz [KIND=pdf] [COUNT=1500] [SEED=1]
	@scripts/setup test
	$(PYTHON) -m tests.core.strangers --kind $(or $(KIND),all) --count $(or $(COUNT),1500) --seed $(or $(SEED),1)

soak:  ## ten seconds of each demo shot rendered while both cores are kept busy
	@scripts/setup test
	$(PYTHON) -m tests.soak

screenshots:  ## redraw docs/screenshots from the demo
	@scripts/setup test
	$(PYTHON) -m tests.browser.screenshots

setup:
	@scripts/setup run
