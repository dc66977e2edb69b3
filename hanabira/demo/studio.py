"""The demo studio: the synthetic rabbit with its areas and recipes, and two further sitters."""

from __future__ import annotations

import datetime
import shutil
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from hanabira.core.clock import MACHINE, Clock
from hanabira.core.faults import StudioFault
from hanabira.core.token import SILENT, Token
from hanabira.demo import history
from hanabira.demo.pictures import PHOTO, PHOTOS
from hanabira.demo.sitters import Sitter, sitters
from hanabira.demo.worked import practice_rounds, worked
from hanabira.studio.database import DATABASE
from hanabira.studio.records import Area, Commission, Photo, Recipe, Terms
from hanabira.studio.store import Store
from hanabira.studio.writing import refused

CROP = (416.0, 0.0, 1280.0, 1600.0)
COMMISSION = "demo-tansy"
AREAS: tuple[tuple[str, str, tuple[tuple[int, int], ...]], ...] = (
    (
        "Far ear",
        "ear-inside",
        (
            (792, 168),
            (829, 80),
            (876, 40),
            (929, 56),
            (963, 133),
            (992, 253),
            (1008, 387),
            (1000, 533),
            (984, 661),
            (944, 685),
            (856, 701),
            (795, 712),
            (765, 600),
            (740, 453),
            (749, 320),
        ),
    ),
    (
        "Near ear",
        "ear-inside",
        (
            (1341, 32),
            (1373, 107),
            (1389, 240),
            (1381, 360),
            (1339, 507),
            (1272, 645),
            (1203, 760),
            (1179, 813),
            (1149, 877),
            (1131, 805),
            (1061, 731),
            (1037, 693),
            (1053, 533),
            (1072, 400),
            (1123, 267),
            (1195, 147),
            (1269, 69),
        ),
    ),
    (
        "Soot blaze",
        "short-fur",
        (
            (968, 680),
            (856, 701),
            (749, 747),
            (669, 811),
            (619, 893),
            (597, 987),
            (555, 1075),
            (579, 1109),
            (616, 1027),
            (683, 920),
            (723, 829),
            (789, 760),
            (875, 715),
        ),
    ),
    (
        "Brow",
        "short-fur",
        (
            (816, 747),
            (896, 716),
            (965, 701),
            (1021, 715),
            (1083, 773),
            (1123, 853),
            (1117, 920),
            (1069, 891),
            (1003, 872),
            (929, 896),
            (883, 963),
            (869, 1019),
            (824, 1061),
            (760, 1083),
            (688, 1075),
            (624, 1075),
            (629, 1021),
            (693, 933),
            (736, 843),
            (773, 784),
        ),
    ),
    (
        "Eye",
        "eye",
        ((1086, 975), (1070, 1025), (1026, 1056), (972, 1055), (927, 1025), (911, 975), (927, 924), (971, 893), (1026, 894), (1069, 925)),
    ),
    (
        "Nose and lip",
        "nose",
        ((555, 1109), (499, 1149), (477, 1213), (480, 1313), (533, 1367), (592, 1405), (568, 1333), (547, 1240), (557, 1173), (581, 1131)),
    ),
    (
        "Muzzle",
        "short-fur",
        (
            (597, 1101),
            (643, 1091),
            (669, 1115),
            (667, 1173),
            (688, 1245),
            (720, 1328),
            (749, 1373),
            (731, 1461),
            (651, 1448),
            (597, 1400),
            (571, 1315),
            (557, 1229),
            (568, 1173),
        ),
    ),
    (
        "Marigold cheek",
        "fluffy-down",
        (
            (688, 1099),
            (765, 1107),
            (840, 1075),
            (891, 1061),
            (947, 1075),
            (1043, 1083),
            (1136, 1099),
            (1197, 1160),
            (1171, 1245),
            (1064, 1288),
            (941, 1320),
            (829, 1339),
            (741, 1328),
            (704, 1245),
            (677, 1173),
        ),
    ),
    (
        "Temple",
        "short-fur",
        ((1112, 925), (1163, 867), (1221, 861), (1253, 960), (1277, 1067), (1269, 1149), (1221, 1144), (1152, 1075), (1093, 1048)),
    ),
    (
        "Soot collar",
        "long-fur",
        (
            (1296, 1168),
            (1352, 1187),
            (1381, 1256),
            (1336, 1333),
            (1285, 1400),
            (1299, 1480),
            (1283, 1573),
            (1229, 1592),
            (1112, 1592),
            (1163, 1480),
            (1216, 1413),
            (1269, 1307),
            (1288, 1227),
        ),
    ),
    (
        "Shoulder",
        "long-fur",
        (
            (1312, 1067),
            (1456, 1056),
            (1533, 1133),
            (1640, 1240),
            (1616, 1333),
            (1664, 1467),
            (1683, 1587),
            (1323, 1587),
            (1312, 1480),
            (1336, 1387),
            (1400, 1267),
            (1344, 1152),
        ),
    ),
    ("Throat", "long-fur", ((597, 1589), (656, 1523), (744, 1483), (856, 1477), (989, 1483), (1141, 1483), (1091, 1589))),
)
"""Areas that come with a recipe; the others are for trying."""


def build_demo(folder: Path, token: Token = SILENT, clock: Clock = MACHINE) -> int:
    """Make the demo studio in a folder unless it is there, dated from today by the ``clock``; the number of its commissions.

    A folder that holds a studio of somebody's own is refused.
    """
    if (folder / DATABASE).exists():
        with Store.open(folder) as store:
            found = store.all(Commission)
        if not any(c.id == COMMISSION for c in found):
            raise StudioFault(f"{folder} holds a studio that is not the demo.", "Nothing was changed.", "Choose an empty folder.")
        return len(found)
    # built aside: what is stopped half way is never taken for a demo
    try:
        return _build(folder, token, clock)
    except OSError as error:
        raise refused(folder, error) from error


def forget_demo(folder: Path, clock: Clock = MACHINE) -> None:
    """Take a demo studio off the disk and make it anew. A folder that holds anything else is refused."""
    with Store.open(folder) as store:
        if not any(c.id == COMMISSION for c in store.all(Commission)):
            raise StudioFault(f"{folder} holds a studio that is not the demo.", "Nothing was changed.")
    shutil.rmtree(folder)
    build_demo(folder, clock=clock)


def _build(folder: Path, token: Token, clock: Clock) -> int:
    folder.mkdir(parents=True, exist_ok=True)
    if any((folder / name).exists() for name in ("photos", "backups")):
        raise StudioFault(f"{folder} holds photos or backups of a studio.", "Nothing was changed.", "Choose an empty folder.")
    with tempfile.TemporaryDirectory(prefix=".building-", dir=folder) as part:
        with Store.open(Path(part) / "studio", clock) as store:
            _fill(store, token)
            made = len(store.all(Commission))
        for q in sorted((Path(part) / "studio").iterdir(), key=lambda q: q.name == DATABASE):
            q.rename(folder / q.name)
    return made


@dataclass(frozen=True)
class Rabbit:
    """The first sitter: its commission and its areas."""

    commission: Commission
    areas: tuple[Area, ...]


def rabbit(today: datetime.date) -> Rabbit:
    """The rabbit as she was brought."""
    due = today + datetime.timedelta(days=26)
    commission = Commission(
        COMMISSION, "Tansy", "Oda Merrin", animal="harlequin rabbit", paper_id="hotpress", ground_hex="#f4f3ef", width_mm=340, height_mm=420,
        border_mm=10, due=due.isoformat(), kit_id="pencils", notes="One ear a little back, always; the blaze runs down the left side of the nose.",
        stage="Areas", created="2026-01-01T00:00:00",
        terms=Terms(rate=36, materials=22, deposit_percent=30, instalments=2, delivery="By post, flat between boards", photo_permission=True),
    )  # fmt: skip
    areas = tuple(
        Area(
            f"demo-area-{n}",
            commission.id,
            f"{commission.id}-photo",
            n,
            name,
            surface,
            tuple((float(x), float(y)) for x, y in ring),
            eye=((998.0, 975.0), (1086.0, 975.0)) if surface == "eye" else (),
            twin_id="demo-area-1" if name == "Near ear" else "",
        )
        for n, (name, surface, ring) in enumerate(AREAS, 1)
    )
    return Rabbit(commission, areas)


def _fill(store: Store, token: Token) -> None:
    today = store.clock.today()
    commission, areas = (tansy := rabbit(today)).commission, tansy.areas
    commission = replace(commission, palette=history.palette(commission.id))
    digest, suffix, (w, h) = store.take_in(PHOTO)
    photo = Photo(
        "demo-tansy-photo", commission.id, digest, suffix=suffix, original_name="tansy.jpg", width_px=w, height_px=h, crop=CROP,
    )
    store.edit([commission, photo, *areas, *_recipes(areas)])
    for n, sitter in enumerate(sitters(today)):
        token.report((n + 1) / 4, f"Laying out {sitter.commission.name}")
        token.check()
        _add(store, sitter, today)
    store.edit(practice_rounds(today))
    store.keep_setting("currency", "€")
    store.keep_setting("camera", "simulated")
    store.keep_setting("commission", commission.id)
    store.keep_setting("area", next(a.id for a in areas if a.name == "Marigold cheek"))


def _recipes(areas: Sequence[Area]) -> list[Recipe]:
    """The shipped recipes of some areas."""
    found = history.shipped()
    return [Recipe(a.id, found[a.id][0], places=found[a.id][1]) for a in areas]


def _add(store: Store, sitter: Sitter, today: datetime.date) -> None:
    """A sitter with its recipes, and with the log and the photos of the work that is done."""
    c = replace(sitter.commission, palette=history.palette(sitter.commission.id))
    digest, suffix, (w, h) = store.take_in(PHOTOS[sitter.kind])
    photo = Photo(
        f"{c.id}-photo", c.id, digest, suffix=suffix, original_name=sitter.file_name, width_px=w, height_px=h, crop=sitter.crop,
    )
    areas = sitter.records(photo.id)
    recipes = _recipes(areas)
    if sitter.share <= 0:
        store.edit([c, photo, *areas, *recipes])
        return
    c = history.begun(c, photo, areas, recipes, sitter.share, sitter.last_day(today))
    rows, done = history.log(c, photo, areas, recipes, sitter.share, seed=len(areas)), worked(c)
    store.edit([c, photo, *areas, *done.recipes(recipes), *rows])
    store.edit(done.shots(store, c, rows))
