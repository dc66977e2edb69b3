"""Why a layer is laid: a sentence of its own for each layer of a recipe, true of pencil, place and surface, without figures."""

import itertools
import re
import string
import unittest

import numpy as np

from hanabira.core.solver.gesture_words import GestureWords, keys_of, turn_of
from hanabira.craft.hand import gesture_words, gestures
from hanabira.craft.supplies import paper, shipped_kit, surfaces
from tests.recipes import by_hand, plan
from tests.ways import COATS, MARKINGS, coat_of, one_way

WORDS = gesture_words()
ALL = [(kind, key, text) for kind, table in WORDS.sentences.items() for key, texts in table.items() for text in texts]
NOT_ON = {
    "feathers": r"\b(lock|locks|fur|hair|hairs|coat|undercoat)\b", "skin": r"\b(lock|locks|fur|feather|vane|barb|coat)\b",
    "eye": r"\b(lock|locks|fur|feather|vane|coat)\b", "nose": r"\b(lock|locks|fur|feather|vane|coat)\b", "hair": r"\b(vane|barb|feather|shaft|pebble)",
    "any": r"\b(lock|locks|fur|hair|hairs|feather|vane|barb|shaft|pebble|pupil|iris|coat)\b",
}  # fmt: skip
"""What is no word on a surface."""


class Sentences(unittest.TestCase):
    def test_there_are_many_and_none_twice(self):
        texts = [text for _kind, _key, text in ALL]
        self.assertGreaterEqual(len(texts), 120)
        self.assertEqual(len(texts), len(set(texts)))

    def test_each_says_where_once_and_nothing_in_figures(self):
        for kind, key, text in ALL:
            with self.subTest(kind=kind, key=key, text=text):
                fields = [f for _t, f, _s, _c in string.Formatter().parse(text) if f is not None]
                self.assertEqual(fields, ["places"])
                self.assertFalse(re.search(r"\d|L\*|C\*|ΔE|%", text))
                self.assertFalse(text.endswith("."), "the full stop is set when it is said")
                self.assertTrue(text[0].isupper() or text.startswith("{places}"))

    def test_no_word_of_another_surface(self):
        for kind, key, text in ALL:
            self.assertFalse(re.search(NOT_ON[kind], text, re.I), f"{kind}, {key}: {text}")

    def test_no_sentence_names_a_colour_or_a_value_that_its_pencil_may_not_have(self):
        colours = r"\b(black|white|gr[ae]y|brown|ochre|orange|yellow|red|pink|blue|violet|green|palest|lightest (colour|pencil)|darkest (colour|pencil))\b"
        for kind, key, text in ALL:
            self.assertFalse(re.search(colours, text, re.I), f"{kind}, {key}: {text}")

    def test_only_a_cool_pencil_cools_and_a_cool_one_warms_nothing(self):
        for kind, key, text in ALL:
            if re.search(r"\bcool\b", text, re.I):
                self.assertIn("cool", key, f"{kind}, {key}: {text}")
            if re.search(r"\bwarm(th|s)?\b", text.replace("the warm one", ""), re.I):
                self.assertNotIn("cool", key, f"{kind}, {key}: {text}")

    def test_every_surface_has_sentences_of_a_known_kind_and_every_gesture_some_for_any(self):
        for s in surfaces().values():
            self.assertIn(s.words, WORDS.sentences)
        for g in gestures():
            for warm, turn in itertools.product((12.0, -12.0, 0.0), (-20.0, 0.0, 3.0)):
                pencil = np.array([60.0, 0.0, warm])
                keys = keys_of(g.id, pencil, np.array([60.0, 0, 0]), np.array([60.0 + turn, 0, turn]), False, False)
                self.assertTrue(list(WORDS.fitting(keys, "any")), (g.id, keys))


class Keys(unittest.TestCase):
    def test_the_turn_is_what_the_colour_does(self):
        at = np.array([60.0, 8.0, 10.0])
        self.assertEqual(turn_of(at, at - [9, 0, 0]), "darker")
        self.assertEqual(turn_of(at, at + [-2, 3, 3]), "richer")
        self.assertEqual(turn_of(at, at * [1, 0.5, 0.5]), "greyer")
        self.assertEqual(turn_of(at, at + [2, 0, 0]), "lighter")

    def test_warm_and_cool_are_said_of_pencils_that_are(self):
        at = np.array([60.0, 8.0, 10.0])
        warm, cool, dull = np.array([60, 20, 30.0]), np.array([60, 0, -25.0]), np.array([60, 1, 3.0])
        self.assertEqual(keys_of("wash", warm, at, at, False, True)[0], "wash-warm")
        self.assertEqual(keys_of("wash", cool, at, at, False, True)[0], "wash-cool")
        self.assertEqual(keys_of("wash", dull, at, at, False, True)[0], "wash-neutral")
        self.assertEqual(keys_of("glaze", cool, at, at, False, False), ("glaze-cool",))
        self.assertEqual(keys_of("wash", warm, at, at, True, False), ("wash-again",))
        self.assertEqual(keys_of("build", warm, at, at + [-1, 4, 4], False, False)[:2], ("build-richer-warm", "build-richer"))

    def test_what_covers_is_told_by_its_place_in_the_stack(self):
        at = np.array([60.0, 8.0, 10.0])
        self.assertEqual(keys_of("", at, at, at - [20, 0, 0], False, True), ("cover-first",))
        self.assertEqual(keys_of("", at, at, at + [20, 0, 0], False, False)[0], "cover-lighter")
        self.assertEqual(keys_of("", at, at, at - [20, 0, 0], False, False)[0], "cover-darker")

    def test_a_surfaces_own_sentence_comes_first_and_none_is_said_twice(self):
        words = GestureWords({"any": {"wash": ("A {places}", "B {places}")}, "eye": {"wash": ("C {places}",)}}, {})
        said: set[str] = set()
        self.assertEqual([words.first_unsaid(("wash",), "eye", said)[0] for _ in range(3)], ["C", "A", "B"])
        self.assertEqual(words.first_unsaid(("wash",), "nose", set())[0], "A")
        with self.assertRaises(LookupError):
            words.first_unsaid(("none",), "eye", said)

    def test_places_are_named_as_a_sentence_needs_them(self):
        self.assertEqual(WORDS.where(("gap",), ("light",)), "the gaps")
        self.assertEqual(WORDS.where(("gap", "general", "light"), ()), "everything")
        self.assertEqual(WORDS.where(("a", "b", "c"), ("iris",)), "everything but the iris")
        self.assertEqual(WORDS.where(("slits", "vanes"), ("x", "y", "z")), "the slits and the vanes")
        self.assertEqual(WORDS.where(("a", "b", "c", "d"), ("x", "y", "z")), "the a and the b and what lies between")


class InRecipes(unittest.TestCase):
    def test_each_layer_of_every_coat_has_its_own(self):
        kit, on = shipped_kit(), paper("hotpress")
        for name in COATS:
            for finish in (3, 5):
                why = [q.why for q in plan(kit, on, coat_of(name), by_hand(school={}, finish=finish, blend="soft")).layers]
                self.assertEqual(len(set(why)), len(why), name)
                self.assertTrue(all(re.fullmatch(r"[A-Z“][^\d]+\.", w) for w in why), why)

    def test_surfaces_speak_in_their_own_words(self):
        for surface_id, words in (("contour-feathers", "feathers"), ("nose", "nose"), ("bare-skin-and-folds", "skin")):
            found, wrong = one_way(surface_id, "brown", MARKINGS[0], "pencils", "hotpress", {}, 3)
            self.assertEqual(wrong, [])
            self.assertEqual(surfaces()[surface_id].words, words)
            for q in found.layers:
                self.assertFalse(re.search(NOT_ON[words], re.sub(r"the fur round the eye", "", q.why)), q.why)


if __name__ == "__main__":
    unittest.main()
