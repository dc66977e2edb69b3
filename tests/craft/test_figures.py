"""The craft's figures are agreed to: none changes by a slip. What each does is tested where it acts; here stands what was decided.

A figure that is changed on purpose is agreed to by ``python -m tests.craft.test_figures``, which writes the list anew; the difference is read in the commit.
"""

import csv
import json
import sys
import tomllib
import unittest
from pathlib import Path

from hanabira import craft

DATA = Path(craft.__file__).parent / "data"
AGREED = Path(__file__).parent.parent / "data" / "craft_figures.json"
KIT_FIELDS = ("code", "hex", "opacity", "lightfast", "binder", "hardness", "strength", "slope", "price")


def numbers(value: object, name: str = "") -> dict[str, object]:
    """Every number, truth and short word of nested tables by its place; sentences are for readers, who would notice."""
    if isinstance(value, dict):
        return {k: v for key, part in value.items() for k, v in numbers(part, f"{name}.{key}".lstrip(".")).items()}
    if isinstance(value, list):
        return {k: v for n, part in enumerate(value) for k, v in numbers(part, f"{name}.{n}").items()}
    if isinstance(value, str) and (" " in value or name.rpartition(".")[2] in ("name", "note")):
        return {}
    return {name: value}


def as_they_are() -> dict[str, dict[str, object]]:
    """All of them by file."""
    out = {path.name: numbers(tomllib.loads(path.read_text("utf-8"))) for path in sorted(DATA.glob("*.toml")) if path.name not in ("sentences.toml", "gesture_words.toml")}
    for path in sorted(DATA.glob("*.csv")):
        with path.open(encoding="utf-8", newline="") as f:
            rows = [row for row in csv.DictReader(line for line in f if not line.startswith("#"))]
        out[path.name] = {row["code"]: [row[k] for k in KIT_FIELDS if row.get(k)] for row in rows}
    return out


class Figures(unittest.TestCase):
    maxDiff = None

    def test_no_figure_of_the_craft_changed_by_a_slip(self):
        agreed, now = json.loads(AGREED.read_text("utf-8")), as_they_are()
        self.assertEqual(sorted(agreed), sorted(now))
        for name in agreed:
            changed = {k: (agreed[name].get(k), now[name].get(k)) for k in {*agreed[name], *now[name]} if agreed[name].get(k) != now[name].get(k)}
            self.assertEqual(changed, {}, f"{name}: agreed, now")

    def test_there_is_much_to_agree_to(self):
        now = as_they_are()
        self.assertGreater(sum(map(len, now.values())), 700)
        self.assertEqual(now["surfaces.toml"]["short-fur.length"], 0.7)
        self.assertIn("#f5f3f0", now["hollin-72.csv"]["102"])


if __name__ == "__main__":
    AGREED.write_text(json.dumps(as_they_are(), ensure_ascii=False, indent=0) + "\n", "utf-8")
    sys.exit(print(f"agreed: {AGREED}"))
