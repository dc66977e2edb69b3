"""From what was found to what is wrong: each fault with its size and uncertainty, silence below it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from hanabira.core.colour.spaces import Array, chroma
from hanabira.core.progress.expected import SPREAD, Expected
from hanabira.core.progress.geometry import SIZE_OFF, SIZE_SD, SURE_ECC, TURN_OFF, TURN_SD, Form, HairRun
from hanabira.core.progress.reading import PlaceSeen

TAU, EDGE_TAU = 2.0, 1.15
"""A difference of the general place is a fault beyond so many standard deviations, in other places beyond so many times that."""
GUESSED = 2.6
"""Where the forecast rests on a kit that was never fitted, a difference must be so many times larger: such a forecast is off in ways of its own."""
UNSURE_FORM = 1.5
LEAST_L, LEAST_AB, LEAST_C = 4.0, 3.0, 4.0
"""What is less than this no hand mends, however sure it is."""
KINDS = {
    "lighter": "steps", "darker": "steps", "green": "a*", "red": "a*", "yellow": "b*", "blue": "b*", "dull": "C*", "neon": "C*", "large": "%",
    "small": "%", "turned": "°", "combed": "°", "mechanical": "of one wave", "skipped": "", "unlogged": "", "framed": "L*", "blotchy": "L*", "loud": "ΔE", "apart": "mm", "together": "mm",
    "eyeline": "°", "thin": "%", "long": "mm", "tip": "mm",
}  # fmt: skip
"""Kinds of fault with the unit of their size."""
SourceOf = Callable[[PlaceSeen], str]
"""What the forecast of a place rests on, a key of `SPREAD`."""


@dataclass(frozen=True)
class Flaw:
    """A fault: its area, the place it is worst in (empty for the whole area), kind and signed size in the unit of `KINDS`, its standard deviation
    in that unit, and how many of them it measures.
    """

    area_id: str
    place: str
    kind: str
    size: float
    sigma: float
    z: float

    @property
    def unit(self) -> str:
        """Unit of ``size``."""
        return KINDS[self.kind]


@dataclass(frozen=True)
class Verdict:
    """What one photo says: faults, the leaning that all places share (L*, a*, b* at mid-grey) with how many places show it, and each place's verdict."""

    faults: tuple[Flaw, ...]
    leaning: Array
    leaning_places: int
    places: Mapping[tuple[str, str], str] = field(default_factory=dict)


def judge(
    seen: Sequence[PlaceSeen], expected: Mapping[str, Expected], paper_lab: Array, forms: Mapping[str, Form] | None = None,
    round_ones: frozenset[str] = frozenset(), hairs: Mapping[str, tuple[HairRun, HairRun]] | None = None, tau: float = TAU,
    more: Sequence[Flaw] = (),
) -> Verdict:  # fmt: skip
    """Faults of all places read. ``forms`` by area id, ``round_ones`` are eyes (no turn is judged there), ``hairs`` found and wanted by area id,
    ``more`` faults that are told of the whole sheet.

    A place's difference is first freed of the leaning that all share, then held against how sure reading and forecast are.
    """
    open_ = [p for p in seen if not p.hidden]
    faults: list[Flaw] = []
    skipped = {a for a in {p.area_id for p in open_} if _bare([p for p in open_ if p.area_id == a], paper_lab)}
    faults += [Flaw(a, "", "skipped", 0.0, 0.0, 9.0) for a in sorted(skipped)]
    kept = [p for p in open_ if p.area_id not in skipped]

    def source(p: PlaceSeen) -> str:
        return expected[p.area_id].source.get(p.place, "shipped")

    leaning, shared = _shared(kept, source)
    rest = {(p.area_id, p.place): p.off - shared[n] for n, p in enumerate(kept)}
    verdicts = {(p.area_id, p.place): f"not judged: {p.hidden}" for p in seen if p.hidden}
    for area in dict.fromkeys(p.area_id for p in kept):
        mine = [p for p in kept if p.area_id == area]
        faults += _values(mine, rest, source, tau, verdicts)
        faults += _hues(mine, rest, source, tau)
    for area, form in (forms or {}).items():
        if area not in skipped:
            faults += _form(area, form, area in round_ones)
    runs = {k: q for k, q in (hairs or {}).items() if k not in skipped}
    for area, (found, wanted) in runs.items():
        even = [f.regular - w.regular for k, (f, w) in runs.items() if k != area and np.isfinite(f.regular - w.regular)]
        faults += _hair(area, found, wanted, even)
    faults += [f for f in more if f.area_id not in skipped]
    best: dict[tuple[str, str], Flaw] = {}
    for f in faults:
        if (f.area_id, f.kind) not in best or abs(f.z) > abs(best[f.area_id, f.kind].z):
            best[f.area_id, f.kind] = f
    for f in best.values():
        if f.place:
            verdicts[f.area_id, f.place] = f.kind
    return Verdict(tuple(best.values()), leaning, len(kept), verdicts)


def _bare(mine: Sequence[PlaceSeen], paper_lab: Array) -> bool:
    """Whether an area that should stand there is bare: nearly the paper, or flat where it should span values, even under a shadow."""
    wanted, found = np.array([p.wanted for p in mine]), np.array([p.found for p in mine])
    far, got = np.linalg.norm(wanted - paper_lab, axis=1), np.linalg.norm(found - paper_lab, axis=1)
    if np.median(far) > 9 and np.median(got) < 0.3 * np.median(far) and np.median(got) < 8:
        return True
    span = float(np.ptp(wanted[:, 0]))
    if span <= 10 or len(mine) < 3:
        return False
    strength, wished = chroma(found - paper_lab), chroma(wanted - paper_lab)
    flat = float(np.ptp(found[:, 0])) < 0.35 * span and np.median(strength) < 7 and np.median(wished) > np.median(strength)
    like = float(np.corrcoef(found[:, 0], wanted[:, 0])[0, 1]) if np.ptp(found[:, 0]) > 0.2 else 0.0
    # paper in a shadow is far from the paper's value and still near the value of none of its places
    return bool(flat and like < 0.6 and float(np.median(np.abs(found[:, 0] - wanted[:, 0]))) > 6)


def _sd(p: PlaceSeen, source: str) -> tuple[Array, Array]:
    """Standard deviation of a place's difference (3,), and of its part that belongs to the place alone."""
    area, place = SPREAD[source]
    blurred = max(0.0, (p.uneven - 6) / 4)  # an uneven difference is light or sheen
    sd = np.sqrt(area**2 + place**2 + p.sigma**2)
    sd[0] = np.hypot(sd[0], blurred)
    return sd, np.hypot(place * 1.22, np.hypot(np.array([blurred, 0, 0]), 0.4 * p.sigma))


def _shared(kept: Sequence[PlaceSeen], source: SourceOf) -> tuple[Array, Array]:
    """The leaning of all places: a robust line of the difference over wanted L* a channel, with ridges; 0 with fewer than six places."""
    out = np.zeros((len(kept), 3))
    if len(kept) < 6:
        return np.zeros(3), out
    x = np.stack([np.ones(len(kept)), (np.array([p.wanted[0] for p in kept]) - 50) / 30], 1)
    off, sds = np.array([p.off for p in kept]), np.array([_sd(p, source(p))[0] for p in kept])
    middle = np.zeros(3)
    for c in range(3):
        weight = 1 / sds[:, c] ** 2
        for _ in range(10):
            k = np.linalg.solve((x * weight[:, None]).T @ x + np.diag([1 / 6.0**2, 1 / 4.0**2]), (x * weight[:, None]).T @ off[:, c])
            weight = 1 / sds[:, c] ** 2 / (1 + ((off[:, c] - x @ k) / sds[:, c] / 1.5) ** 2)
        out[:, c], middle[c] = x @ k, k[0]
    return middle, out


def _values(
    mine: Sequence[PlaceSeen], rest: Mapping[tuple[str, str], Array], source: SourceOf, tau: float, verdicts: dict[tuple[str, str], str]
) -> list[Flaw]:
    out = []
    # a coat's general tone is held against its own other values; the parts of an eye have nothing in common that could be
    large = next((p for p in mine if p.place == "general"), None)
    for p in mine:
        off = float(rest[p.area_id, p.place][0])
        sd, own = _sd(p, source(p))
        z, limit, size, sigma = off / float(sd[0]), tau * EDGE_TAU, off, float(sd[0])
        others = [float(rest[q.area_id, q.place][0]) for q in mine if q is not p]
        if len(others) >= 2:
            apart = (off - float(np.mean(others))) / float(own[0])
            if p is large:
                limit = tau
                if abs(apart) > abs(z):
                    z, sigma = apart, float(own[0])
        verdicts[p.area_id, p.place] = "as wanted"
        limit *= GUESSED if source(p) == "shipped" else 1.0
        if abs(z) > limit and abs(p.off[0]) > LEAST_L and np.sign(z) == np.sign(off) == np.sign(p.off[0]):
            out.append(Flaw(p.area_id, p.place, "lighter" if z > 0 else "darker", size / 10, sigma / 10, z))
    return out


def _hues(mine: Sequence[PlaceSeen], rest: Mapping[tuple[str, str], Array], source: SourceOf, tau: float) -> list[Flaw]:
    """An area that is greener, redder, yellower, bluer, duller or more glaring than wanted, all its places together."""
    out = []
    guessed = GUESSED if any(source(p) == "shipped" for p in mine) else 1.0
    off = np.array([rest[p.area_id, p.place] for p in mine])
    weight = np.array([p.share for p in mine])
    weight = weight / weight.sum()
    for c, (less, more) in ((1, ("green", "red")), (2, ("blue", "yellow"))):
        mean = float(off[:, c].mean())
        area = float(np.mean([SPREAD[source(p)][0][c] for p in mine]))
        place = float(np.mean([SPREAD[source(p)][1][c] for p in mine]))
        sd = float(np.sqrt(area**2 + place**2 / len(mine) + np.mean([p.sigma[c] for p in mine]) ** 2))
        if abs(mean / sd) > tau * guessed and abs(mean) > LEAST_AB:
            worst = max(mine, key=lambda p: p.share)
            out.append(Flaw(worst.area_id, worst.place, more if mean > 0 else less, mean, sd, mean / sd))
    if out:
        return out
    wanted, found = np.array([p.wanted for p in mine]), np.array([p.wanted + rest[p.area_id, p.place] for p in mine])
    strength = chroma(found) - chroma(wanted)
    mean = float(weight @ strength)
    sd = float(np.mean([np.hypot(SPREAD[source(p)][0][2] * 1.4, p.sigma[2]) for p in mine])) * 1.2
    if abs(mean / sd) > tau * guessed and abs(mean) > LEAST_C:
        p = mine[int(np.argmax(weight * np.abs(strength)))]
        out.append(Flaw(p.area_id, p.place, "neon" if mean > 0 else "dull", mean, sd, mean / sd))
    return out


def _form(area: str, f: Form, is_round: bool) -> list[Flaw]:
    out = []
    slack = 1.0 if f.likeness >= SURE_ECC else UNSURE_FORM
    if is_round and abs(f.times - 1) > SIZE_OFF * slack:
        out.append(Flaw(area, "", "large" if f.times > 1 else "small", 100 * (f.times - 1), 100 * SIZE_SD, (f.times - 1) / SIZE_SD))
    if not is_round and abs(f.turned_deg) > TURN_OFF * slack:
        out.append(Flaw(area, "", "turned", f.turned_deg, TURN_SD, f.turned_deg / TURN_SD))
    return out


REGULAR, MORE_REGULAR, ALONE_REGULAR, ALONE_MORE, REGULAR_SD = 0.55, 0.155, 0.66, 0.1, 0.05
"""Hair whose fine structure is one wave by more than the first share is a comb's, where that is by the second more, against what is wanted, than in the middle of
this sheet's other areas: grain and noise take some away and a hand's even strokes add some, everywhere alike. With fewer than three
others by more than the third, and than is wanted by the fourth (strokes of a second drawing hand read at most .65, a comb's .69)."""
HAIR_OFF_DEG, HAIR_SD_DEG, LEAST_ORDER = 25.0, 8.0, 0.55


def _hair(area: str, found: HairRun, wanted: HairRun, others: Sequence[float]) -> list[Flaw]:
    """``others`` are how much more regular than wanted this sheet's other areas were found."""
    told = len(others) >= 3
    more = found.regular - wanted.regular - (float(np.median(others)) if told else 0.0)
    if found.regular > (REGULAR if told else ALONE_REGULAR) and more > (MORE_REGULAR if told else ALONE_MORE):  # a narrow area has no regularity, and NaN is never larger
        return [Flaw(area, "", "mechanical", found.regular, REGULAR_SD, more / REGULAR_SD)]
    off = (found.direction_deg - wanted.direction_deg + 90) % 180 - 90
    if min(found.order, wanted.order) > LEAST_ORDER and abs(off) > HAIR_OFF_DEG and found.strength > 0.15 * wanted.strength:
        return [Flaw(area, "", "combed", off, HAIR_SD_DEG, off / HAIR_SD_DEG)]
    return []
