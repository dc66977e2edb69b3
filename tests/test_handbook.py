"""The handbook: one source, links that lead somewhere, words with their pictures, and what it says of keys and commands is so."""

import re
import unittest
from pathlib import Path

from hanabira.desk.acts import table
from hanabira.desk.explain import TITLES, TOPICS
from hanabira.desk.stages.check.stage import KEYS as CHECK_KEYS
from hanabira.desk.stages.easel.stage import KEYS as EASEL_KEYS
from hanabira.desk.widgets.word_picture import PICTURES
from hanabira.handbook import pages as book
from hanabira.session.looks import LOOKS
from hanabira.terminal.commands import parser

ROOT = Path(__file__).parent.parent
DOCS, SHOTS = ROOT / "docs" / "handbook", ROOT / "docs" / "screenshots"


class Pages(unittest.TestCase):
    def test_every_stage_and_room_has_a_page_and_the_rest_begins_at_the_first(self):
        for name in ("Brief", "Study", "Areas", "Recipe", "Plan", "Easel", "Check", "Shelf", "Kit", "Practice"):
            page = book.pages()[book.page_of(name)]
            self.assertEqual(page.name, name.lower())
            self.assertGreater(len(page.text.split()), 90, name)
        self.assertEqual(book.page_of("Nowhere"), "first")
        self.assertEqual({p.stem for p in book.FOLDER.glob("*.md")}, set(book.ORDER))

    def test_links_lead_to_pages_headings_and_pictures_that_are_there(self):
        for page in book.pages().values():
            for is_picture, target in book.links(page.text):
                if is_picture:
                    self.assertTrue((SHOTS / target).exists(), (page.name, target))
                    self.assertTrue((book.FOLDER / "pictures" / f"{Path(target).stem}.jpg").exists(), (page.name, target))
                    continue
                self.assertNotIn("//", target, "nothing leads out of the handbook")
                name, _hash, heading = target.partition("#")
                self.assertIn(Path(name).stem or page.name, book.pages(), (page.name, target))
                if heading:
                    anchors = {book.anchor(h) for h in book.parts(Path(name).stem or page.name)}
                    self.assertIn(heading, anchors, (page.name, target))

    def test_the_folder_in_docs_is_the_same_source(self):
        self.assertEqual({p.name for p in DOCS.glob("*.md")}, {f"{n}.md" for n in book.ORDER})
        for page in book.pages().values():
            here = (DOCS / f"{page.name}.md").read_text("utf-8")
            self.assertEqual(here, book.for_docs(page.text, "../screenshots"), "make screenshots writes it anew")
            for is_picture, target in book.links(here):
                if is_picture:
                    self.assertTrue((DOCS / target).resolve().exists(), target)

    def test_each_measure_has_plain_words_and_mathematics(self):
        told = book.explanations()
        self.assertEqual(set(told), set(TITLES.values()))
        for title, (plain, maths) in told.items():
            self.assertGreater(len(plain.split()), 20, title)
            self.assertGreater(len(maths.split()), 6, title)
            self.assertNotIn("Mathematics", plain)
        self.assertEqual(TOPICS["values"][1], told["How values are measured"][0])


class Truth(unittest.TestCase):
    """What the handbook says of keys and commands is what the application does."""

    def test_its_keys_are_keys_of_the_application(self):
        names = {"Return": "Enter", "Backspace": "Backspace", "Escape": "Esc"}
        known = {a.keys for a in table() if a.keys} | {letter for _n, letter, _w, _m in LOOKS.values()}
        known |= {names.get(k, k) for k, _w in (*EASEL_KEYS, *CHECK_KEYS)} | {"Return", "Enter", "Esc", "F1"}
        known |= {str(n) for n in range(1, 8)} | {"Alt+Up", "Alt+Down", "Alt", "W", "V", "K", "M", "Y"}
        for page in book.pages().values():
            for key in re.findall(r"`((?:Ctrl\+|Alt\+|Shift\+)?[A-Z][a-z]*|F\d|\d)`", page.text):
                self.assertIn(key, known, page.name)

    def test_its_commands_are_commands_of_the_terminal(self):
        commands = next(a for a in parser()._actions if a.dest == "command").choices
        lines = [line for line in book.pages()["terminal"].text.splitlines() if line.startswith("hanabira ")]
        self.assertGreater(len(lines), 7)
        for line in lines:
            words = re.split(r"\s{2,}", line)[0].split()
            self.assertIn(words[1], commands)
            known = {o for a in commands[words[1]]._actions for o in a.option_strings}
            for option in (w for w in words[2:] if w.startswith("--")):
                self.assertIn(option, known, line)

    def test_what_it_says_is_printed_or_backed_up_is_an_act(self):
        acts = {a.words for a in table()}
        for words in ("Make a backup now", "Go back to a backup", "About this studio", "Print a swatch sheet", "Print the handbook"):
            self.assertIn(words, acts)


class Words(unittest.TestCase):
    def test_there_are_about_eighty_each_of_at_most_three_sentences_with_a_picture(self):
        words = book.glossary()
        self.assertGreaterEqual(len(words), 80)
        self.assertEqual(list(words), sorted(words, key=lambda w: w.lower().replace("δ", "d")))
        for w in words.values():
            self.assertIn(w.picture, PICTURES, w.word)
            self.assertTrue(w.words.endswith("."), w.word)
            self.assertLessEqual(len(re.findall(r"[.!?](?:\s|$)", w.words)), 3, w.word)
            self.assertNotIn("<", w.words)
        self.assertEqual({w.picture for w in words.values()}, set(PICTURES), "no picture without a word")


if __name__ == "__main__":
    unittest.main()
