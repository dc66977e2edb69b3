# Commands a person needs: demo, test, install, uninstall. The rest is for working on the code.
PY := .venv/bin/python
PREFIX ?= $(HOME)/.local
HOME_OF_IT := $(PREFIX)/lib/hanabira
.PHONY: demo test test-quick plant install uninstall check wheel screenshots venv bench practice mutants clean
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

# What touches the changed files, the nearest first, in about a minute.
test-quick: venv
	$(PY) -m tests --quick

# An environment of its own under the prefix, the program on the path, and what the desktop needs to know.
install:
	python3 -c 'import sys; sys.exit("Hanabira needs Python 3.11 or newer") if sys.version_info < (3, 11) else 0'
	test -x "$(HOME_OF_IT)/bin/python" || python3 -m venv "$(HOME_OF_IT)"
	"$(HOME_OF_IT)/bin/python" -m pip install --quiet --disable-pip-version-check -r requirements.txt
	"$(HOME_OF_IT)/bin/python" -m pip install --quiet --disable-pip-version-check --no-deps --force-reinstall .
	sh tools/system_libraries.sh
	"$(HOME_OF_IT)/bin/python" -m hanabira.desktop.install "$(PREFIX)"

uninstall:
	if test -x "$(HOME_OF_IT)/bin/python"; then "$(HOME_OF_IT)/bin/python" -m hanabira.desktop.install "$(PREFIX)" --remove; fi
	rm -rf "$(HOME_OF_IT)"
	if test -d "$(PREFIX)/lib"; then rmdir --ignore-fail-on-non-empty "$(PREFIX)/lib"; fi

check: venv
	.venv/bin/ruff check hanabira demo_making tests benchmarks tools
	.venv/bin/mypy --no-error-summary
	.venv/bin/lint-imports --no-cache
	sh tools/desktop_files.sh

# A wheel from a clean copy of what is checked in, tried in an environment that has nothing of this folder.
wheel: venv
	$(PY) -m tools.try_wheel dist

screenshots: venv
	HANABIRA_NOW=2026-12-01T10:00:00 $(PY) -m tools.screenshots docs/screenshots

# Every figure that the README claims, beside the goal it is held to where there is one.
bench: venv
	$(PY) -m benchmarks
	for figures in start readings trust checks every_way finders; do $(PY) -m benchmarks.$$figures; done

practice: venv
	$(PY) -m benchmarks.practice_here --faults

# One-line mistakes that no test notices: at most one in ten.
plant: venv
	$(PY) -m tools.plant

mutants: venv
	$(PY) -m benchmarks.mutants

clean:
	rm -rf .venv build dist *.egg-info
