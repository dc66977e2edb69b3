"""Every act from every stage, with and without photo, areas and recipes: it goes where it belongs and works, or says why it is off."""

from dataclasses import replace
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog

from hanabira.desk.acts import MENUS, NEEDS, ROOMS, perform, table
from hanabira.desk.ask import Card
from hanabira.desk.key_groups import key_groups
from hanabira.desk.widgets.mat import Mat
from hanabira.studio.records import STAGES, Commission
from hanabira.studio.store import Store
from tests.base import DeskCase
from tests.demo_studio import demo_copy

APART = (
    "commission.close",
    "commission.go-back",
    "help.find",
    "commission.new",
    "commission.template",
    "commission.remove",
    "practice.forget",
)
"""Acts that open or close a window or a commission; they have tests of their own."""


class Walk(DeskCase):
    def setUp(self) -> None:
        super().setUp()
        nothing = mock.patch.multiple(
            QFileDialog,
            getOpenFileName=lambda *_a, **_k: ("", ""),
            exec=lambda _dialog: 0,
            getExistingDirectory=lambda *_a, **_k: "",
        )
        words = mock.patch.object(QInputDialog, "getText", lambda *_a, **_k: ("", False))
        away = mock.patch.object(Card, "exec", lambda _card: 0)  # every card is put away unanswered
        for patch in (nothing, words, away):
            patch.start()
            self.addCleanup(patch.stop)

    def walk(self, first: tuple[str, ...], only_go: bool = False) -> dict[str, list[str]]:
        """Do every act from each of these stages and rooms, or only go where it belongs; what each said when it was off."""
        off: dict[str, list[str]] = {}
        self.desk.setUpdatesEnabled(not only_go)  # where it goes is asked of the desk, not of its picture
        self.addCleanup(lambda: self.desk.setUpdatesEnabled(True) if self.desk is not None else None)
        for place in first:
            seen = set()
            for act in table():
                why = act.off(self.session)
                sort = act.needs if why else act.stage  # why an act is off depends on the one alone, where it goes on the other
                if act.id in APART or (only_go and sort in seen):
                    continue
                seen.add(sort)
                if only_go:
                    act = replace(act, run=lambda _desk: None)
                if self.desk.current.name != place:
                    self.desk.show_room(place)
                before = len(self.said)
                with self.subTest(place=place, act=act.id):
                    done = perform(self.desk, act)
                    if not only_go:
                        self.app.processEvents()
                    self.clear_away()
                    self.assertEqual(done, not why)
                    if why:
                        self.assertEqual(self.desk.current.name, place)  # what is off changes nothing, not even the stage
                        self.assertEqual(self.said[before].what, why)
                        off.setdefault(act.id, []).append(why)
                    elif act.stage:
                        self.assertEqual(self.desk.current.name, act.stage)
                    self.assertEqual([m.what for m in self.said[before:] if m.kind == "bug"], [])
            self.settle()
        return off


class Empty(Walk):
    def test_without_a_commission(self):
        off = {**self.walk(("Kit",), only_go=True), **self.walk(("Shelf",))}
        self.assertIn("commission.card", off)
        self.assertIn("go.areas", off)
        self.assertNotIn("kit.papers", off)


class NewOne(Walk):
    def prepare(self, folder: Path) -> None:
        with Store.open(folder) as store:
            store.edit([Commission("c", "Tansy")])

    def test_with_a_commission_and_nothing_else(self):
        off = {**self.walk(("Brief",), only_go=True), **self.walk(("Easel",))}
        self.assertEqual(off["recipe.solve"][0], NEEDS["photo"][1])
        self.assertNotIn("go.areas", off)
        self.assertEqual(off["commission.record"][0], NEEDS["begun"][1], "a record of nothing is no page for a client")

    def test_tab_leaves_the_due_date(self):
        self.desk.go("Brief")
        self.settle()
        due = self.desk.current._fields["due"]
        due.setFocus()
        seen = []
        for _ in range(4):
            QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Tab)
            self.app.processEvents()
            seen.append(QApplication.focusWidget())
        self.assertNotIn(due.line, seen)
        self.assertEqual(len(set(map(id, seen))), 4)


class Whole(Walk):
    def prepare(self, folder: Path) -> None:
        demo_copy(folder)

    def test_with_everything_from_every_stage(self):
        self.session.choose_area("demo-area-5")
        self.settle()
        may = {
            "edit.undo",
            "edit.redo",
            "study.on-backdrop",
            "study.own",
            "study.forget-cut",
            "commission.record",
        }  # nothing is logged of the first sitter
        # wherever an act is begun, it runs on its own stage: it is enough to do them all from one, and from the others to go there
        self.assertLessEqual(set(self.walk((*STAGES, *ROOMS), only_go=True)), may)
        off = self.walk(("Easel",))
        self.assertLessEqual(set(off), may | {a for a in off if NEEDS["area"][1] in off[a] or NEEDS["layers"][1] in off[a]})
        for _ in range(200):
            if not self.session.undo.can_undo:
                break
            at = self.session.undo.at
            self.desk.take_back()
            self.assertLess(self.session.undo.at, at, self.said[-1])

    def test_the_easel_bears_theme_text_size_and_looks(self):
        self.desk.go("Easel")
        self.settle()
        for words in (
            "Evening or day",
            "Larger text",
            "Smaller text",
            "Pin: Squint",
            "Pin: Grey",
            "Pin: Mirror",
            "Pin: Forecast",
            "Pin: Forecast",
            "Evening or day",
        ):
            self.desk.actions_[words].trigger()
            self.settle()
        self.assertEqual([m.what for m in self.said if m.kind == "bug"], [])

    def test_the_picture_takes_the_keys_when_its_stage_opens(self):
        for name in ("Brief", "Study", "Areas", "Recipe", "Easel"):
            self.desk.show_room("Shelf")
            self.desk.go(name)
            self.settle()
            mat = self.desk.current.mat
            self.assertIs(QApplication.focusWidget(), mat, name)
            self.assertEqual(mat.focusPolicy(), Qt.FocusPolicy.StrongFocus)
        self.assertTrue(Mat.takes_keys)

    def test_menus_show_what_is_off_and_its_keys_say_why(self):
        self.session.choose_area("")
        name = self.desk.actions_["Name the area"]
        self.desk.commands._show("Areas")
        self.assertFalse(name.isEnabled())
        self.assertEqual(name.toolTip(), NEEDS["area"][1])
        self.desk.commands._hide("Areas")
        self.assertTrue(name.isEnabled())
        name.trigger()
        self.assertEqual(self.said[-1].what, NEEDS["area"][1])

    def test_one_table(self):
        acts = table()
        self.assertEqual(len({a.id for a in acts}), len(acts))
        self.assertEqual(len({a.words for a in acts}), len(acts))
        self.assertEqual(set(self.desk.actions_), {a.words for a in acts})
        self.assertTrue(all(a.menu in MENUS and (not a.stage or a.stage in (*STAGES, *ROOMS)) and set(a.needs) <= set(NEEDS) for a in acts))
        keys = [a.keys for a in acts if a.keys]
        self.assertEqual(len(set(keys)), len(keys))
        for act in acts:
            self.assertEqual(self.desk.actions_[act.words].shortcut(), QKeySequence(act.keys))

    def test_the_printed_card_has_every_key(self):
        import pypdf

        path = self.folder.parent / "keys.pdf"
        self.desk.ask_save_path = lambda _name: str(path)
        self.desk.actions_["Print the card of the keys"].trigger()
        self.settle()
        text = " ".join(page.extract_text() for page in pypdf.PdfReader(path).pages)
        for _group, rows in key_groups(table()):
            for key, words in rows:
                self.assertIn(key, text)
                self.assertIn(" ".join(words.split()[:3]), " ".join(text.split()))
