"""Every way an area can be asked for: coats, markings, parts and eyes as places, solved under any school on any paper."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cache

import numpy as np

from hanabira.core.colour.spaces import chroma
from hanabira.core.optics.kit import Kit
from hanabira.core.places.place import Place, Places
from hanabira.core.solver.layer import BANDS
from hanabira.core.solver.place_plan import PlacePlan, Rules, plan_places
from hanabira.core.solver.technique import Craft
from hanabira.craft.rules import coats, school
from hanabira.craft.supplies import paper, parts_of, shipped_kit, surfaces
from tests.recipes import by_hand, reach_of
from tests.rules import broken

COATS: Mapping[str, Sequence[tuple[float, float, float]]] = {
    "black": ((5, 0, -1), (15, 1, -4), (38, 0, -8), (60, 0, -6)),
    "white": ((42, 1, 2), (78, 1, 3), (90, 0, 3), (95, 0, 1)),
    "ginger": ((24, 14, 18), (55, 24, 44), (72, 16, 40), (86, 6, 22)),
    "brown": ((12, 5, 7), (30, 12, 20), (50, 12, 26), (70, 6, 18)),
    "grey": ((18, 0, -3), (46, 0, -4), (66, -1, -4), (84, 0, -2)),
    "cream": ((48, 7, 22), (74, 5, 22), (86, 2, 16), (93, 0, 6)),
    "fawn": ((30, 8, 18), (56, 9, 24), (72, 6, 22), (88, 2, 12)),
    "flecked": ((15, 4, 8), (42, 6, 18), (62, 4, 20), (82, 1, 12)),
}
"""Lab of gap, general, light and highlight as such coats usually measure."""
MARKINGS = ("plain", "dark", "pale")
"""Nothing on the coat, a dark marking on it with its edge, a pale one."""
PASTEL_FREE = ("bristol", "film")
"""Papers that hold no pastel."""
SHARES = (0.2, 0.5, 0.25, 0.05)

Row = tuple[str, str, str, tuple[float, float, float], float, bool]


@cache
def kit_of(name: str) -> Kit:
    """A shipped kit."""
    return shipped_kit(name)


def coat_of(name: str) -> dict:
    """The values of a coat by band."""
    return dict(zip(BANDS, COATS[name], strict=True))


def craft(surface_id: str, coat: str, medium: str, chosen: Mapping[str, str], finish: int = 3) -> Craft:
    """What the craft data says of a coat on a surface."""
    s, c = surfaces()[surface_id], coats()[coat]
    keeps = {p.id: p.keeps_off for p in parts_of(surface_id) if p.keeps_off}
    return by_hand(
        s.stroke, s.base, 5.0, s.blend, s.light, coat, school(medium, chosen), finish, keeps, c.darks if s.hair else (), c.lights if s.hair else (), kind=s.words, medium=medium,
    )  # fmt: skip


def _map(rows: Sequence[Row]) -> Places:
    labels = np.repeat(np.arange(1, len(rows) + 1, dtype=np.uint8), 6)[None].repeat(20, 0)
    all_ = tuple(
        Place(k, k, kind, group, (float(v[0]), float(v[1]), float(v[2])), s, (0, 0, 6, 20), kept) for k, kind, group, v, s, kept in rows
    )
    return Places(all_, labels, (0.0, 0.0), 1.0)


def places_of(surface_id: str, coat: str, marking: str) -> Places:
    """Places as the finders would hand them over: an eye's, a nose's, a marked coat's, or values with the surface's parts."""
    values = COATS[coat]
    if surface_id == "eye":
        iris = values[1]
        return _map([
            ("catchlight", "part", "eye", (88 if marking == "plain" else 62, 0, -3), 0.03, True), ("pupil", "part", "eye", (5, 1, 1), 0.4, False),
            ("rim", "part", "eye", (9, 3, 4), 0.12, False), ("iris outer", "part", "eye", iris, 0.25, False), ("lid skin", "part", "skin", values[0], 0.2, False),
        ])  # fmt: skip
    if surface_id == "nose":
        return _map([
            ("nostril", "part", "nose", (6, 2, 2), 0.1, False), ("base shade", "part", "nose", values[0], 0.4, False),
            ("base lit", "part", "nose", values[1], 0.4, False), ("wet light", "part", "nose", (86, 0, -2), 0.1, False),
        ])  # fmt: skip
    ground: list[Row] = [(b, "band", "coat", v, s, False) for b, v, s in zip(BANDS, values, SHARES, strict=True)]
    if marking != "plain":
        mark = (14.0, 2.0, 4.0) if marking == "dark" else (88.0, 1.0, 6.0)
        ground = [(k, "ground", "ground", v, 0.6 * s, kept) for k, _kind, _group, v, s, kept in ground]
        ground += [
            ("marking", "marking", "marking", mark, 0.35, False),
            ("edge", "marking", "marking", tuple(np.mean([mark, values[1]], 0)), 0.05, False),
        ]
        return _map(ground)
    for p in parts_of(surface_id):
        base = values[0] if p.how in ("crease", "line", "hollow") else (48, 28, 12) if p.how == "red" else values[3]
        ground.append((p.id, "part", "part", base, 0.06, False))
    return _map(ground)


def makes_sense(kit_name: str, paper_id: str) -> bool:
    """Whether a paper holds a medium."""
    return kit_name != "pastels" or paper_id not in PASTEL_FREE


def one_way(
    surface_id: str, coat: str, marking: str, kit_name: str, paper_id: str, chosen: Mapping[str, str], finish: int
) -> tuple[PlacePlan, list[str]]:
    """The plan and the rules it breaks."""
    kit, on = kit_of(kit_name), paper(paper_id)
    places = places_of(surface_id, coat, marking)
    said = craft(surface_id, coat, kit.medium, chosen, finish)
    hues = tuple(np.asarray(p.photo_lab) for p in places if float(chroma(p.photo_lab)) > 3)
    found = plan_places(kit, on, places, said, Rules(hues, coat in ("white", "cream")), reach=reach_of(kit, on))
    return found, broken(found, kit, on, said.school, {p.id: p.photo_lab[0] for p in places if p.reserved})
