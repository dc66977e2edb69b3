"""The two typefaces that ship with the application (Open Font License, see OFL.txt)."""

from pathlib import Path

FOLDER = Path(__file__).parent
