"""Run the terminal commands with ``python -m hanabira``."""

import sys

from hanabira.cli import main

if __name__ == "__main__":
    sys.exit(main())
