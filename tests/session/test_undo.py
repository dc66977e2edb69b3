"""Three hundred random edits at a time, back and forth: what is shown and what is stored is always what it was."""

import random
from collections.abc import Callable

from hanabira.core.area.shape import rectangle
from hanabira.core.solver.layer import Layer
from hanabira.core.study.preparation import Light
from hanabira.session import area_edits
from hanabira.session.edits import (
    AddArea,
    ChoosePhoto,
    DeleteArea,
    EditBrief,
    FramePhoto,
    NoteRecipe,
    RemovePhoto,
    RenameArea,
    ReshapeArea,
    SetLayers,
    SetPart,
    SetPrep,
    SetSurface,
    TurnPhoto,
)
from hanabira.studio.records import Area, Commission, Photo, Recipe
from tests.session.test_session import Case

SEEDS, OPERATIONS = 6, 300
CODES = ("401", "203", "118")


class RandomEdits(Case):
    def setUp(self):
        super().setUp()
        self.session.limit_to_tray(False)

    def shown(self) -> tuple:
        s = self.session
        return s.commission, s.photos, s.all_areas, tuple(sorted(s.recipes.values(), key=lambda r: r.area_id))

    def stored(self) -> dict:
        records = [self.store.get(Commission, "c"), *(r for kind in (Photo, Area, Recipe) for r in self.store.all(kind, commission_id="c"))]
        return {(type(r).__name__, r.area_id if isinstance(r, Recipe) else r.id): r for r in records}

    def an_edit(self, rng: random.Random, n: int) -> Callable[[], object]:
        """One of the edits that are possible now."""
        s = self.session
        if s.undo.undo_words == "name" and rng.random() < 0.5:  # the person types on
            return lambda: s.do(EditBrief(s, "name", typed=True, name=f"w{n}"))
        area = rng.choice(s.areas) if s.areas else None
        photo = rng.choice(s.photos)
        box = lambda: rectangle(rng.uniform(25, 150), rng.uniform(25, 150), rng.uniform(20, 90), rng.uniform(20, 90))  # noqa: E731
        word = f"w{n}"
        always = [
            lambda: s.do(EditBrief(s, "name", typed=rng.random() < 0.5, name=word)),
            lambda: s.do(EditBrief(s, "size", width_mm=rng.uniform(150, 400), height_mm=rng.uniform(150, 400))),
            lambda: s.do(FramePhoto(s, photo, (rng.uniform(0, 60), rng.uniform(0, 10), 240.0, 280.0), gesture=rng.randrange(3))),
            lambda: s.do(SetPrep(s, photo, "exposure", rng.choice(("", "drag")), light=Light(None, rng.uniform(-1, 1)))),
            lambda: s.do(TurnPhoto(s, photo, rng.uniform(-10, 10), rng.random() < 0.5)),
            lambda: s.do(ChoosePhoto(s, photo)),
            lambda: s.do(SetPart(s, photo, rng.choice(("main", "colour", "detail")))),
            lambda: s.do(AddArea(s, box(), rng.random() < 0.5)),
        ]
        with_area = [
            lambda: s.do(RenameArea(s, area, word)),
            lambda: s.do(SetSurface(s, area, rng.choice(("short-fur", "long-fur", "eye")))),
            lambda: s.do(ReshapeArea(s, area, box(), gesture=rng.randrange(3))),
            lambda: s.do(SetLayers(s, area, [Layer("gap", c, 3, 1, "gaps") for c in CODES[: rng.randrange(4)]], "layers")),
            lambda: s.do(DeleteArea(s, area)),
            lambda: area_edits.reorder(s, area.id, rng.choice(s.areas).id),
        ]
        acts = always + with_area * (area is not None)
        if area is not None and area.id in s.recipes:
            acts.append(lambda: s.do(NoteRecipe(s, s.recipes[area.id], word)))
        if len(s.photos) > 1 and not any(a.photo_id == photo.id for a in s.all_areas):
            acts.append(lambda: s.do(RemovePhoto(s, photo)))
        return rng.choice(acts)

    def walk(self, seed: int) -> None:
        s, rng = self.session, random.Random(seed)
        undo = s.undo
        past, future = [(self.shown(), self.stored())], []  # what stood after each edit that stands; what was taken back
        steps = {"edit": 0, "undo": 0, "redo": 0, "merged": 0}
        pushed: list[None] = []
        s.undo_changed.connect(lambda: pushed.append(None))
        for n in range(OPERATIONS):
            draw = rng.random()
            if draw < 0.25 and undo.can_undo:
                undo.undo()
                future.append(past.pop())
                steps["undo"] += 1
            elif draw < 0.6 and undo.can_redo:
                undo.redo()
                past.append(future.pop())
                steps["redo"] += 1
            else:
                at, told = undo.at, len(pushed)
                self.an_edit(rng, n)()
                if len(pushed) > told:  # an edit that changes nothing, or is refused, leaves the list as it was
                    if undo.at == at:  # a gesture that went on
                        past.pop()
                        steps["merged"] += 1
                    past.append((self.shown(), self.stored()))
                    future = []
                steps["edit"] += 1
            self.assertEqual((self.shown(), self.stored()), past[-1], n)
            self.assertEqual((undo.at, len(undo)), (len(past) - 1, len(past) - 1 + len(future)), n)
        self.assertGreater(min(steps.values()), 3, steps)
        end = list(past)
        while undo.can_undo:
            undo.undo()
            past.pop()
            self.assertEqual((self.shown(), self.stored()), past[-1])
        self.assertEqual(len(past), 1)
        for state in end[1:]:
            undo.redo()
            self.assertEqual((self.shown(), self.stored()), state)
        self.assertEqual([m.what for m in self.said if m.kind in ("bug", "fault")], [])


def _of(seed: int) -> Callable[[RandomEdits], None]:
    return lambda self: self.walk(seed)


for _seed in range(SEEDS):
    setattr(RandomEdits, f"test_seed_{_seed}", _of(_seed))
del _seed
