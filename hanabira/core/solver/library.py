"""All stacks of one to three passes on a bare paper, searchable by colour.

Built once per kit and paper. Tooth depends on pressures alone, so the films of every
pencil at every place of a stack come from small tables. Kits above `TABLE_LIMIT` pencils
enter the triple table with representatives chosen far apart; the search refines with the
neighbours afterwards, which keeps time and memory bounded for kits of 200.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import scipy

from hanabira.core.colour.spaces import Array
from hanabira.core.optics import batch as many
from hanabira.core.optics.bands import reflectance_to_lab
from hanabira.core.optics.film import Film, over, reflect_transmit
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.stack import bare
from hanabira.core.optics.tooth import Tooth, lay_pass, see, tooth_used
from hanabira.core.token import SILENT, Token

LEVELS = (1, 3, 5)
"""Pressures in the table: light, medium, heavy."""
MOST_TOOTH = 0.95
LEAST_DEPOSIT = 0.015
ORDER_SLACK = 8.0
"""How much lighter (pencil) or darker (pastel) in L* a later layer may be."""
TABLE_LIMIT = 80
COVERS, LIGHTER_L, MOST_OF_KIT = 0.5, 4.0, 2 / 3
"""Share of the way from a darker paper to its masstone that a pencil must bring to stand opaque on it; L* by which it must be lighter; share
of a kit from which on everything goes from dark to light.
"""
_COVERS: dict[str, np.ndarray] = {}
"""What was worked out before, by `key`."""
FORMAT = 5
SMALL_KIT = 12
"""Kits up to this size are laid in any order and deeper."""
_DEEPEST = {5: 5, 7: 5, 12: 4}
"""Passes of a small kit by its size: five for up to seven pencils, four for up to twelve."""


@dataclass(frozen=True)
class Library:
    """Stacks as arrays: ``pencils`` (n, 3) places in the kit (−1 none), ``pressures`` (n, 3), ``lab`` (n, 3), ``tooth`` (n,)."""

    pencils: Array
    pressures: Array
    lab: Array
    tooth: Array

    @cached_property
    def tree(self) -> Any:
        """Tree (SciPy’s cKDTree) over the Lab colours."""
        return scipy.spatial.cKDTree(self.lab, leafsize=32, balanced_tree=False, compact_nodes=False)

    @cached_property
    def passes(self) -> Array:
        """Number of passes of each stack."""
        return (self.pencils >= 0).sum(1)

    def __len__(self) -> int:
        return len(self.tooth)


def key(kit: Kit, paper: Paper) -> str:
    """A name that changes whenever the library would."""
    h = hashlib.sha256()
    for part in (kit.film.absorption, kit.film.scattering, kit.hand.deposit, kit.hand.reach, kit.hand.full, kit.hand.crush):
        h.update(np.round(part, 9).tobytes())
    h.update(
        repr((FORMAT, paper.cap, paper.off, paper.soft, paper.grip, paper.n, paper.ground_hex.lower(), [p.code for p in kit])).encode()
    )
    return h.hexdigest()[:24]


def opaque_order(kit: Kit, paper: Paper) -> bool:
    """Whether all later layers go lighter: pastel, or a ground on which most of the kit stands opaque."""
    return kit.medium == "pastel" or float(covers(kit, paper).mean()) > MOST_OF_KIT


def covers(kit: Kit, paper: Paper) -> np.ndarray:
    """Pencils (n,) bool that are lighter than the paper and stand opaque on it: two firm passes bring `COVERS` of the way to their masstone.

    On a mid-toned card they are laid last and lightest last, over bare card; on white paper there are none.
    """
    name = key(kit, paper)
    if name not in _COVERS:
        if len(_COVERS) >= 64:
            _COVERS.clear()
        spot, n, own = bare(paper), len(kit), kit.masstone_lab[:, 0]
        state, ground = many.start(spot, n), float(spot.lab[0])
        for _ in range(2):
            state, _deposit = many.lay(paper, state, Film(kit.film.absorption, kit.film.scattering), np.full(n, 4), kit.hand)
        gain = (state.lab[:, 0] - ground) / np.maximum(own - ground, 1.0)
        _COVERS[name] = np.asarray((own > ground + LIGHTER_L) & (gain >= COVERS))
    return _COVERS[name]


def order_allows(below_l: Array, above_l: Array, opaque: bool) -> Array:
    """Which layer may lie over which by the L* of their masstones."""
    return above_l >= below_l - ORDER_SLACK if opaque else above_l <= below_l + ORDER_SLACK


def representatives(kit: Kit, most: int) -> Array:
    """Places of up to ``most`` pencils, far apart in Lab and scattering."""
    n = len(kit)
    if n <= most:
        return np.arange(n)
    x = np.column_stack([kit.masstone_lab, 8 * np.log([p.scattering for p in kit])])
    chosen = [int(np.argmin(x[:, 0])), int(np.argmax(x[:, 0]))]
    far = np.minimum(*(((x - x[c]) ** 2).sum(1) for c in chosen))
    while len(chosen) < most:
        chosen.append(int(np.argmax(far)))
        far = np.minimum(far, ((x - x[chosen[-1]]) ** 2).sum(1))
    return np.sort(chosen)


def build(kit: Kit, paper: Paper, token: Token = SILENT) -> Library:
    """Compute the library of a kit on a paper; 72 pencils give about a million stacks in a few seconds."""
    if len(kit) <= SMALL_KIT:
        return _build_small(kit, paper, token)
    opaque = opaque_order(kit, paper)
    lightness = kit.masstone_lab[:, 0]
    some = representatives(kit, TABLE_LIMIT)
    everyone = np.arange(len(kit))
    allowed = order_allows(lightness[:, None], lightness[None, :], opaque)
    ground = bare(paper).zones.astype(np.float32)
    out: list[tuple[Array, Array, Array, float]] = []
    combos: list[tuple[int, ...]] = [(a,) for a in LEVELS] + [(a, b) for a in LEVELS for b in LEVELS if b >= a]
    combos += [(a, b, c) for a in LEVELS for b in LEVELS for c in LEVELS if a <= b <= c]
    for done, combo in enumerate(combos):
        token.report(done / len(combos), "Laying every stack of this kit on this paper")
        tooth, steps, fits = Tooth.fresh(), [], True
        for pressure in combo:
            contact, t, tooth = lay_pass(paper, tooth, pressure, kit.hand)
            fits &= float((contact * t).mean()) >= LEAST_DEPOSIT
            steps.append((contact, t))
        share = tooth_used(paper, tooth)
        if not fits or share > MOST_TOOTH:
            continue
        films = [_film_table(kit.film, t) for _, t in steps]
        contacts = [c.astype(np.float32)[:, None] for c, _ in steps]

        def put(films_of: tuple[Array, Array], c: Array, who: Array | int, below: Array) -> Array:
            r0, t2 = films_of
            return c * over(r0[who], t2[who], below) + (1 - c) * below

        def keep(who: Array, combo: tuple[int, ...], seen: Array, share: float) -> None:
            # small types at once: the table of a large kit must stay small
            out.append((who.astype(np.int16), np.array(combo), reflectance_to_lab(seen).astype(np.float32), share))

        first = put(films[0], contacts[0], everyone, ground)
        if len(combo) == 1:
            keep(everyone[:, None], combo, see(first, paper.n), share)
            continue
        for j in map(int, everyone if len(combo) == 2 else some):
            under = everyone[allowed[:, j]] if len(combo) == 2 else some[allowed[some, j]]
            two = put(films[1], contacts[1], j, first[under])
            if len(combo) == 2:
                keep(np.column_stack([under, np.full(len(under), j)]), combo, see(two, paper.n), share)
                continue
            above = some[allowed[j, some]]
            three = put(films[2], contacts[2], above[None, :], two[:, None])
            who = np.stack(np.broadcast_arrays(under[:, None], j, above[None, :]), -1).reshape(-1, 3)
            keep(who, combo, see(three, paper.n).reshape(-1, 8), share)
        token.check()
    n = sum(len(who) for who, *_ in out)
    pencils, pressures = np.full((n, 3), -1, np.int16), np.zeros((n, 3), np.int8)
    lab, tooth_share = np.empty((n, 3), np.float32), np.empty(n, np.float32)
    at = 0
    for who, combo_, seen, share in out:
        s = slice(at, at + len(who))
        pencils[s, : who.shape[1]], pressures[s, : who.shape[1]] = who, combo_
        lab[s], tooth_share[s] = seen, share
        at += len(who)
    token.report(1.0, "Sorting the stacks by colour")
    library = Library(pencils, pressures, lab, tooth_share)
    _ = library.tree
    return library


def _build_small(kit: Kit, paper: Paper, token: Token) -> Library:
    """All stacks of a small kit in any order, pass by pass: a palette of five needs depth more than choice."""
    n = len(kit)
    depth = next(v for k, v in _DEEPEST.items() if n <= k)
    who_choice, how_choice = np.repeat(np.arange(n), len(LEVELS)), np.tile(LEVELS, n)
    film = kit.film
    state = many.start(bare(paper))
    pencils, pressures = np.full((1, depth), -1, np.int16), np.zeros((1, depth), np.int8)
    out_p, out_q, out_lab, out_tooth = [], [], [], []
    for k in range(depth):
        token.report(k / depth, "Laying every stack of this kit on this paper")
        last = pressures[:, k - 1] if k else np.zeros(1, np.int8)
        rows, cols = np.nonzero(how_choice[None, :] >= last[:, None])
        parts = []
        for at in range(0, len(rows), 60_000):
            token.check()
            r, c = rows[at : at + 60_000], cols[at : at + 60_000]
            f = Film(film.absorption[who_choice[c]], film.scattering[who_choice[c]])
            after, deposit = many.lay(paper, state.take(r), f, how_choice[c], kit.hand)
            ok = (many.used(paper, after) <= MOST_TOOTH) & (deposit >= LEAST_DEPOSIT)
            parts.append((r[ok], c[ok], after.take(ok)))
        rows, cols = (np.concatenate([q[i] for q in parts]) for i in (0, 1))
        if not len(rows):
            break
        zones, fill, crush = (np.concatenate([getattr(q[2], name) for q in parts]) for name in ("zones", "fill", "crush"))
        state = many.Batch(zones, fill, crush, paper.n)
        pencils, pressures = pencils[rows], pressures[rows]
        pencils[:, k], pressures[:, k] = who_choice[cols], how_choice[cols]
        out_p.append(pencils.copy())
        out_q.append(pressures.copy())
        out_lab.append(state.lab.astype(np.float32))
        out_tooth.append(many.used(paper, state).astype(np.float32))
    token.report(1.0, "Sorting the stacks by colour")
    library = Library(*(np.concatenate(q) for q in (out_p, out_q, out_lab, out_tooth)))
    _ = library.tree
    return library


def _film_table(film: Film, t: Array) -> tuple[Array, Array]:
    """R₀ and T² of every pencil at three thicknesses, (n, 3, 8) float32."""
    r0, t2 = reflect_transmit(Film(film.absorption[:, None], film.scattering[:, None]), t[:, None])
    return r0.astype(np.float32), t2.astype(np.float32)
