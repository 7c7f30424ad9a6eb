# Two commands do everything: make demo, make test.
SHELL := /bin/bash
PY := .venv/bin/python
STAMP := .venv/.ready
SCREEN := bash tools/with_screen.sh

.PHONY: demo test verify check coverage bench demo-results screenshots pages lock install uninstall clean

demo: $(STAMP)
	@.venv/bin/stithy demo

test: $(STAMP)
	@$(PY) tools/check.py
	@$(PY) -m pytest -q -m "not verify" -n 2 --dist worksteal --ignore tests/desk
	@$(SCREEN) $(PY) -m pytest -q -m "not verify" -n 2 --dist load tests/desk

verify: $(STAMP)
	@$(SCREEN) $(PY) -m pytest -q
	@$(PY) tools/verification_table.py

check: $(STAMP)
	@$(PY) tools/check.py

coverage: $(STAMP)
	@$(SCREEN) $(PY) -m pytest -q -m "not verify" --cov=stithy --cov-report=term:skip-covered

bench: $(STAMP)
	@$(PY) benchmarks/solver.py
	@$(PY) benchmarks/answer.py
	@$(PY) benchmarks/reading.py
	@$(PY) benchmarks/radiation.py
	@$(PY) benchmarks/boiling.py
	@$(PY) benchmarks/boards.py
	@$(PY) benchmarks/starting.py
	@$(SCREEN) $(PY) benchmarks/hands.py
	@$(SCREEN) $(PY) benchmarks/studies.py

demo-results: $(STAMP)
	@$(PY) tools/make_demo.py --fresh

screenshots: $(STAMP)
	@$(SCREEN) $(PY) tools/screenshots.py

pages: $(STAMP)
	@$(PY) tools/pages.py

lock: $(STAMP)
	@$(PY) tools/lock.py

install: $(STAMP)
	@bash tools/install.sh

uninstall:
	@bash tools/install.sh remove

$(STAMP): requirements.lock pyproject.toml tools/setup.sh
	@bash tools/setup.sh

clean:
	rm -rf .venv
