# Two commands do everything: make demo, make test.
SHELL := /bin/bash
PY := .venv/bin/python
STAMP := .venv/.ready

.PHONY: demo test verify check bench demo-results screenshots clean

demo: $(STAMP)
	@.venv/bin/stithy demo

test: $(STAMP)
	@bash tools/with_screen.sh $(PY) tools/check.py
	@bash tools/with_screen.sh $(PY) -m pytest -q -m "not verify"

verify: $(STAMP)
	@bash tools/with_screen.sh $(PY) -m pytest -q
	@$(PY) tools/verification_table.py

check: $(STAMP)
	@$(PY) tools/check.py

bench: $(STAMP)
	@$(PY) benchmarks/solver.py
	@$(PY) benchmarks/answer.py

demo-results: $(STAMP)
	@$(PY) tools/make_demo.py --fresh

screenshots: $(STAMP)
	@bash tools/with_screen.sh $(PY) tools/screenshots.py

$(STAMP): requirements.lock pyproject.toml tools/setup.sh
	@bash tools/setup.sh

clean:
	rm -rf .venv
