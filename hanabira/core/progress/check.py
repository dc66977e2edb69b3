"""From a photo of the work to what is wrong with it: the whole way, with progress and cancel."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import cv2
import numpy as np

from hanabira.core.colour.spaces import Array, bytes_to_lab
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.progress.cropped import placed_by_drawing
from hanabira.core.progress.detail import detail_faults
from hanabira.core.progress.expected import Expected, wanted_picture
from hanabira.core.progress.find import Likeness, Refused, accepted, find_sheet, from_corners, strip_in
from hanabira.core.progress.geometry import Form, form_of, hair_of
from hanabira.core.progress.light import bare_blocks, fit_light, lab_of
from hanabira.core.progress.on_sheet import PARTS, OnSheet
from hanabira.core.progress.reading import BLUR_MM, PlaceSeen, TrueSheet, core_of, looks_begun, places_seen, true_sheet
from hanabira.core.progress.sheet_map import GRID, SheetMap
from hanabira.core.progress.strip import FoundStrip, Patch
from hanabira.core.progress.tone import fit_curve, patches_seen, unknown_curve
from hanabira.core.progress.verdict import Verdict, judge
from hanabira.core.progress.whole import Compared, whole_faults
from hanabira.core.token import SILENT, Token

LEAST_PATCHES = 4
EDGE_MM, ROUND_MM = 1.5, 2.0
LONGEST_PX = 5000
"""A photo with a longer side is made smaller first: the paper's edge is followed for a few pixels, and finer ones hold nothing but grain."""


@dataclass(frozen=True)
class Expectation:
    """What a photo is held against: sheet and areas, what each should look like, paper and kit, and the strip's patches as they are known."""

    sheet: OnSheet
    expected: tuple[Expected, ...]
    paper: Paper
    paper_lab: Array
    kit: Kit
    patches: tuple[Patch, ...] = ()
    tips: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    """Ear tips that the artist confirmed, in mm of the sheet by area id."""

    @property
    def by_area(self) -> Mapping[str, Expected]:
        """What is expected by area id."""
        return {e.area_id: e for e in self.expected}


@dataclass(frozen=True)
class Checked:
    """A photo that was read: where the sheet lies, its true colours, the wanted picture as it is compared, places, verdict, areas that look begun.

    ``strip`` says whether one was used, ``strip_burnt`` whether its white was lost; ``shares`` are parts of the painted sheet left out, by cause.
    """

    map: SheetMap
    seen: TrueSheet
    wanted: Array
    places: tuple[PlaceSeen, ...]
    verdict: Verdict
    unlogged: tuple[str, ...]
    strip: bool
    strip_burnt: bool
    shares: Mapping[str, float] = field(default_factory=dict)
    forms: Mapping[str, Form] = field(default_factory=dict)


def check_photo(
    photo: np.ndarray, plan: Expectation, corners: Array | None = None, use_strip: bool = True, second: np.ndarray | None = None, token: Token = SILENT
) -> Checked:  # fmt: skip
    """Judge a photo (h, w, 3) uint8 sRGB of the work. ``corners`` (4, 2) are the sheet's in photo pixels when they were set by hand; a ``second``
    photo with the lamp on the other side takes the gloss out. Raises `Refused` with the cure.
    """
    token.report(0.02, "Finding the sheet")
    wanted = cv2.GaussianBlur(wanted_picture(plan.sheet, plan.expected, plan.paper_lab), (0, 0), BLUR_MM * GRID)
    begun = _begun(plan)
    likeness = likeness_of(plan, wanted, begun)
    parts = []
    for n, one in enumerate([photo] if second is None else [photo, second]):
        parts.append(_true(
            one, plan, corners if n == 0 else None, use_strip=use_strip, wanted=wanted, begun=begun, likeness=likeness, token=token,
        ))
    (found, seen, strip, burnt) = parts[0]
    if second is not None:
        seen = without_gloss(seen, parts[1][1])
    token.report(0.6, f"Reading {sum(e.begun for e in plan.expected)} areas")
    places = places_seen(plan.sheet, seen, wanted, plan.expected)
    token.report(0.75, "Measuring eyes and noses")
    forms, hairs = {}, {}
    by_area = plan.by_area
    for a in plan.sheet.areas:
        e = by_area.get(a.id)
        if e is None or not e.begun:
            continue
        if a.surface in PARTS:
            form = form_of(a, seen.lab[..., 0], cv2.GaussianBlur(wanted[..., 0], (0, 0), 0.4))
            if form is not None:
                forms[a.id] = form
        else:
            core = core_of(a) & ~seen.sheen & ~seen.covered
            if core.sum() > 400:
                hairs[a.id] = (hair_of(seen.lab[..., 0], core), hair_of(wanted[..., 0], core))
    token.report(0.9, "Judging")
    eyes = frozenset(a.id for a in plan.sheet.areas if a.surface == "eye")
    hidden = seen.sheen | seen.covered | seen.shadow
    compared = Compared(seen.lab, wanted, hidden, begun)
    more = [*whole_faults(plan.sheet, by_area, compared, forms), *detail_faults(plan.sheet, by_area, compared, plan.tips)]
    verdict = judge(places, by_area, plan.paper_lab, forms, eyes, hairs, more=more)
    unlogged = looks_begun(plan.sheet, seen, by_area, plan.paper_lab)
    painted = max(1, int(begun.sum()))
    shares = {
        "sheen": seen.sheen.sum() / painted,
        "shadow": (seen.shadow & begun).sum() / painted,
        "covered": (seen.covered & ~seen.outside & begun).sum() / painted,
        "outside": (seen.outside & begun).sum() / painted,
    }
    token.report(1.0, "Judged")
    return Checked(
        found, seen, wanted, places=places, verdict=verdict, unlogged=unlogged, strip=strip, strip_burnt=burnt,
        shares={k: float(v) for k, v in shares.items()}, forms=forms,
    )


def _true(
    photo: np.ndarray, plan: Expectation, corners: Array | None, use_strip: bool, wanted: Array, begun: np.ndarray, likeness: Likeness, token: Token
) -> tuple[SheetMap, TrueSheet, bool, bool]:  # fmt: skip
    full = (photo.shape[1], photo.shape[0])
    k = LONGEST_PX / max(full)
    if k < 1:
        photo = cv2.resize(photo, None, fx=k, fy=k, interpolation=cv2.INTER_AREA)
        corners = corners * k if corners is not None else None
    strip = strip_in(photo, use_strip)
    size = plan.sheet.size
    if corners is not None:
        found = from_corners(photo, size, corners, likeness)
    else:
        found = _placed(photo, size, likeness, strip, wanted, begun, token)
    token.report(0.35, "Evening the light")
    flat = found.flat(photo)
    if strip is not None:
        strip = strip.with_lens(found.lens, found.photo_size)
    told, burnt = patches_seen(photo, strip, plan.patches) if strip is not None else ((), False)
    with_strip = len(told) >= LEAST_PATCHES
    curve = fit_curve(told) if with_strip else unknown_curve()
    bare = bare_paper(plan, flat, begun)
    values, places = bare_blocks(flat, bare)
    colouring = fit_light(curve, values, places, size, plan.paper_lab, told if with_strip else ())
    token.report(0.5, "Evening the light")
    shown = found.shown()
    return (
        replace(found, photo_size=full),
        true_sheet(
            flat, colouring, bare, paper_lab=plan.paper_lab, wanted=wanted, begun=begun, waiting=_inside(plan) & ~begun, judges_darks=with_strip,
            shown=shown,
        ),
        with_strip,
        burnt,
    )


def _placed(
    photo: np.ndarray, size: tuple[float, float], likeness: Likeness, strip: FoundStrip | None, wanted: Array, begun: np.ndarray, token: Token
) -> SheetMap:  # fmt: skip
    """The sheet by its edges, or by what is drawn on it where the photo cuts it off and the strip says how large it is. Raises `Refused`."""
    try:
        return find_sheet(photo, size, likeness, strip, token)
    except Refused as fault:
        if strip is None or fault.key not in ("no_sheet", "other", "blurred"):
            raise
        drawn = placed_by_drawing(photo, strip, size, wanted[..., 0], begun, token)
        if drawn is None:
            raise
        return accepted(photo, drawn, likeness)


def _begun(plan: Expectation) -> np.ndarray:
    out = np.zeros(plan.sheet.lab.shape[:2], bool)
    for a in plan.sheet.areas:
        e = plan.by_area.get(a.id)
        if e is not None and e.begun:
            out |= a.inside
    return out


def _inside(plan: Expectation) -> np.ndarray:
    out = np.zeros(plan.sheet.lab.shape[:2], bool)
    for a in plan.sheet.areas:
        out |= a.inside
    return out


def bare_paper(plan: Expectation, flat: Array, begun: np.ndarray) -> np.ndarray:
    """Paper that nothing lies on by the log: the border and areas not begun, a little away from colour and from the sheet's edge."""
    disc = np.ones((2 * int(ROUND_MM * GRID) + 1,) * 2)
    out = ~cv2.dilate(begun.astype(np.uint8), disc).astype(bool)
    e = int(EDGE_MM * GRID)
    out[:e] = out[-e:] = False
    out[:, :e] = out[:, -e:] = False
    return out & (flat.min(-1) > 0.004)


def likeness_of(plan: Expectation, wanted: Array, begun: np.ndarray) -> Likeness:
    """How much a straightened photo looks like the wanted picture: correlation of lightness over what is begun, at a pixel a millimetre."""
    size = (int(plan.sheet.size[0]), int(plan.sheet.size[1]))

    def forms(lightness: Array) -> Array:
        """Forms of 2 to 15 mm: neither the border's light nor the grain."""
        small = cv2.resize(lightness, size, interpolation=cv2.INTER_AREA)
        return cv2.GaussianBlur(small, (0, 0), 1.5) - cv2.GaussianBlur(small, (0, 0), 12.0)

    wished = forms(wanted[..., 0])
    near = cv2.dilate(cv2.resize(begun.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST), np.ones((13, 13))) > 0
    e = max(2, int(0.02 * min(size)))
    near[:e] = near[-e:] = near[:, :e] = near[:, -e:] = False
    told = near.mean() > 0.01 and float(np.std(wished[near])) > 1.0

    def like(flat: Array) -> float:
        if not told:
            return float("nan")
        seen = forms(bytes_to_lab(np.clip(flat * 255, 0, 255).astype(np.uint8))[..., 0])[near]
        return float(np.corrcoef(wished[near], seen)[0, 1]) if seen.std() > 0.3 else 0.0

    return like


def without_gloss(first: TrueSheet, second: TrueSheet) -> TrueSheet:
    """Two photos of one sheet under lamps from two sides: the darker reading of each pixel."""
    darker = second.lab[..., 0] < first.lab[..., 0]
    lab = np.where(darker[..., None], second.lab, first.lab)
    flat = np.where(darker[..., None], second.flat, first.flat)
    return TrueSheet(
        lab, flat, first.colouring, paper_near=first.paper_near, sheen=first.sheen & second.sheen, shadow=first.shadow & second.shadow,
        covered=first.covered | second.covered, outside=first.outside | second.outside, judges_darks=first.judges_darks and second.judges_darks,
        local=first.local,
    )  # fmt: skip


def display_lab(photo: np.ndarray, checked: Checked, grid: float) -> Array:
    """The sheet straight on in true colours, Lab (h, w, 3), ``grid`` pixels a millimetre: to be looked at, not to be judged."""
    linear = checked.seen.colouring.linear(checked.map.flat(photo, grid))
    local = cv2.resize(checked.seen.local, (linear.shape[1], linear.shape[0]))
    return lab_of(linear * np.exp(-local))
