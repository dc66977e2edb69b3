"""Every screen at every size of window and type: no text cut, nothing outside or over something else, targets large enough, the keyboard's place seen."""

import unittest
from collections.abc import Callable, Iterator

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtWidgets import QWidget

from hanabira.desk import paint
from hanabira.desk.acts import ROOMS
from hanabira.desk.stages.easel.bench import TABS as EASEL_TABS
from hanabira.desk.stages.recipe.cards import TABS as RECIPE_TABS
from hanabira.studio.records import STAGES
from tests.desk import inks, survey
from tests.desk.test_desk import DemoCase

SIZES = ((1280, 800), (1024, 700), (1920, 1080))
TEXTS = (1.0, 1.5, 2.0)
HARD = ((1.0, (1024, 700)), (1.5, (1024, 700)), (2.0, (1024, 700)), (2.0, (1280, 800)))
"""Where cards have least room."""
PICTURE = 0.45


class LayoutCase(DemoCase):
    """A walk through the demo; what is wrong anywhere is told all at once."""

    def open(self, name: str) -> None:
        (self.desk.go if name in STAGES else self.desk.show_room)(name)
        self.settle()

    def places(self) -> Iterator[str]:
        """Every stage and room, opened."""
        for name in (*STAGES, *ROOMS):
            self.open(name)
            yield name

    def opened_cards(self) -> Iterator[str]:
        """Every card that is not the first of its stage, opened; named by its stage and number."""
        for n, (name, show) in enumerate(self.cards()):
            self.open(name)
            show()
            self.settle()
            yield f"{name} {n}"
        self.desk.stages["Easel"].show_bench(False)

    def cards(self) -> Iterator[tuple[str, Callable[[], object]]]:
        """Every card that is not the first of its stage."""
        stage = self.desk.stages
        for name in ("photos", "agreement"):
            yield "Brief", lambda name=name: stage["Brief"].show_tab(name)
        for way in ("frame", "light", "cut", "grid"):
            yield "Study", lambda way=way: stage["Study"].choose_way(way)
        for tab in ("marking", "shape"):
            yield "Areas", lambda tab=tab: stage["Areas"].show_tab(tab)
        yield "Areas", lambda: self.session.choose_area("demo-area-9")
        for tab, _words in RECIPE_TABS:
            yield "Recipe", lambda tab=tab: stage["Recipe"].show_tab(tab)
        for card in ("step", "hours", "days", "materials"):
            yield "Plan", lambda card=card: stage["Plan"].show_card(card)
        for tab, _words in EASEL_TABS:
            yield "Easel", lambda tab=tab: stage["Easel"].show_bench(True, tab)
        yield "Kit", lambda: stage["Kit"].show_papers()
        yield "Practice", lambda: stage["Practice"].show_plate(True)
        yield "Practice", lambda: stage["Practice"].another()

    def look(self, where: object) -> list[str]:
        desk = self.desk
        paint.CLIPPED.clear()
        found = (
            inks.unreadable(desk)  # paints it
            + survey.cut(desk, painted=True)
            + survey.astray(desk)
            + survey.small(desk)
            + survey.nameless(desk)
            + survey.too_wide(desk)
        )
        mat = getattr(desk.current, "mat", None)
        if mat is not None and mat.isVisibleTo(desk) and desk.current.name not in ("Check", "Easel"):
            share = survey.picture_share(desk, mat)
            if share < PICTURE - 0.005:
                found.append(f"the picture has {share:.0%} of the width")
        return [f"{where}: {q}" for q in found]

    def walk_stages(self) -> None:
        """Every stage and room at every size of window and type."""
        wrong: list[str] = []
        for where in self.at_sizes(*((text, size) for text in TEXTS for size in SIZES)):
            for name in self.places():
                wrong += self.look((name, *where))
        self.none_wrong(wrong)


class Layout(LayoutCase):
    def test_every_stage_and_room_at_every_size_and_type(self):
        self.walk_stages()

    def test_every_card_where_it_has_least_room(self):
        wrong: list[str] = []
        for where in self.at_sizes(*HARD):
            for name in self.opened_cards():
                wrong += self.look((name, *where))
        self.none_wrong(wrong)

    def test_what_has_the_keyboard_shows_it_in_both_themes(self):
        wrong: list[str] = []
        for theme_ in self.in_both_themes():
            for name in self.places():
                wrong += [f"{name} by {theme_}: {q}" for q in survey.unmarked(self.desk)]
        self.none_wrong(wrong)

    def test_the_survey_itself_finds_what_is_wrong(self):
        """A check that cannot fail is none: each kind of fault is planted once."""
        self.open("Brief")
        self.assertEqual(self.look("Brief"), [])
        bench = self.desk.bench
        low = QWidget(bench)
        low.setGeometry(10, bench.height() - 20, 40, 60)
        low.show()
        self.assertTrue(any("outside" in q for q in survey.astray(self.desk)))
        self.assertTrue(any("over each other" in q for q in survey.astray(self.desk)))
        low.setParent(None)
        bench.next.setFixedSize(90, 20)
        self.assertTrue(any("small" in q for q in survey.small(self.desk)))
        self.assertTrue(survey.cut(self.desk))
        bench.next.setAccessibleName("")
        bench.next.setMinimumSize(0, 0)
        field = self.desk.stages["Brief"]._fields["name"]
        field.setAccessibleName("")
        self.assertTrue(any("nameless" in q for q in survey.nameless(self.desk)))
        dull = QWidget(bench)
        dull.setAccessibleName("Dull")
        dull.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        dull.setGeometry(30, 200, 60, 30)
        dull.show()
        self.assertTrue(any("Dull" in q for q in survey.unmarked(self.desk)))
        bench.area.widget().setMinimumWidth(2000)
        self.settle()
        self.assertTrue(survey.too_wide(self.desk))

    def test_a_month_can_be_read_and_stands_in_the_window_at_every_size(self):
        wrong = []
        for name in self.in_both_themes():
            for text, size in self.at_sizes(*((t, s) for t in TEXTS for s in SIZES)):
                self.open("Brief")
                due = self.desk.stages["Brief"]._fields["due"]
                due.open_month()
                self.app.processEvents()
                paint.CLIPPED.clear()
                picture = due.month.grab().toImage()
                where = f"{name} {text} {size}"
                wrong += [f"{where}: {q}" for q in (*paint.CLIPPED, *inks.faint(due.month), *survey.small(due.month))]
                inside = self.desk.rect().adjusted(-1, -1, 1, 1).contains(QRect(self.desk.mapFromGlobal(due.month.pos()), due.month.size()))
                wrong += [] if inside else [f"{where}: outside the window, {due.month.geometry()} in {self.desk.geometry()}"]
                self.assertGreater(picture.width(), 7 * 24)
                due.month.close()
        self.none_wrong(wrong)


if __name__ == "__main__":
    unittest.main()
