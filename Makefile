# Commands a person needs: demo, test. The rest is for working on the code.
PY := .venv/bin/python
.PHONY: demo test check screenshots venv bench practice mutants clean
.DEFAULT_GOAL := test

venv: .venv/ready

.venv/ready: requirements.txt requirements-dev.txt pyproject.toml tools/system_libraries.sh
	python3 -c 'import sys; sys.exit("Hanabira needs Python 3.11 or newer") if sys.version_info < (3, 11) else 0'
	test -x $(PY) || python3 -m venv .venv
	$(PY) -m pip install --quiet --disable-pip-version-check -r requirements-dev.txt
	$(PY) -m pip install --quiet --disable-pip-version-check --no-deps --editable .
	sh tools/system_libraries.sh
	touch .venv/ready

demo: venv
	$(PY) -m hanabira demo --open

test: venv
	$(PY) -m tests

check: venv
	.venv/bin/ruff check hanabira tests benchmarks tools
	.venv/bin/mypy --no-error-summary
	.venv/bin/lint-imports --no-cache

screenshots: venv
	$(PY) -m tools.screenshots docs/screenshots

bench: venv
	$(PY) -m benchmarks

practice: venv
	$(PY) -m benchmarks.practice_here --faults

mutants: venv
	$(PY) -m benchmarks.mutants

clean:
	rm -rf .venv build dist *.egg-info
