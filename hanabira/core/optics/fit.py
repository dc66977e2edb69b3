"""Fitting pencils, paper and hand to measured swatches.

One Levenberg–Marquardt problem over everything (Levenberg 1944, Marquardt 1963): eleven
figures of paper and hand and ten of each pencil (eight logits of the masstone's bands, the log
of its scattering, and the slope of scattering with reflectance). Weak priors keep what the
swatches do not tell near the standard, so that one patch a pencil is enough to start with.
Derivatives are differences, taken for all stacks at once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import Array, chroma, lab_hex, lab_to_xyz
from hanabira.core.faults import KitFault
from hanabira.core.optics.bands import NODES_NM, colour_to_reflectance, reflectance_to_lab
from hanabira.core.optics.batch import Batch, lay
from hanabira.core.optics.film import film_of
from hanabira.core.optics.kit import Fit, Kit, Pencil, band_scattering
from hanabira.core.optics.paper import Paper
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.tooth import STANDARD_PRESSURES, Pressures, see
from hanabira.core.token import SILENT, Token

NOISE_DE = 0.8
"""Scatter of a swatch that is taken for granted, in Lab units."""
SMOOTH_PER_30NM = 0.75
PENCIL_FIGURES = 10
GLOBAL_FIGURES = 11
_LOG_S = (float(np.log(0.55)), 0.9)
_LOG_S_KNOWN_SD = 0.45
"""How far a pencil's scattering strays from what its opacity says."""
_SLOPE_SD = 0.6
_GLOBAL_SD = np.array([0.5, 0.5, 0.5, 0.25, 0.25, 0.25, 0.5, 0.5, 0.35, 0.8, 0.15])
_STEP = 1e-4
_STARTS = np.array(
    [
        [0.0] * 11,
        [0.6, 0.5, 0.8, -0.2, -0.2, -0.15, -1.0, 0.4, 0.3, 0.0, 0.0],
        [0.3, 0.4, 0.6, 0.1, 0.1, 0.05, -0.8, 0.0, 0.5, 0.0, 0.0],
        [-0.3, -0.3, -0.3, 0.1, 0.1, 0.1, 0.3, -0.3, 0.0, 0.0, 0.0],
    ]
)
"""Where the fit of paper and hand sets out: standard, hard and grippy, hard and reaching, soft and slick."""


@dataclass(frozen=True)
class MeasuredPatch:
    """One measured patch: its layers from the paper upward, the bare ground's Lab under it, and the Lab measured."""

    layers: tuple[Pass, ...]
    ground_lab: tuple[float, float, float]
    lab: tuple[float, float, float]


@dataclass(frozen=True)
class Fitted:
    """A fitted kit with the residual ΔE00 of every swatch, and whether paper and hand were fitted too."""

    kit: Kit
    residual_de00: Array
    paper_fitted: bool

    @property
    def median(self) -> float:
        """Median residual."""
        return float(np.median(self.residual_de00))

    @property
    def p95(self) -> float:
        """95th percentile of the residuals."""
        return float(np.percentile(self.residual_de00, 95))


@dataclass
class _Problem:
    """Stacks as arrays: ``who`` and ``how`` (s, passes), −1 and 0 beyond a stack's end."""

    paper: Paper
    who: Array
    how: Array
    ground: Array
    lab: Array
    weight: Array
    pencils: int
    globals_free: bool
    log_s: Array
    log_s_sd: Array

    def split(self, x: Array) -> tuple[Array, Array]:
        """Global figures (11,) and pencils (n, 10)."""
        return x[:GLOBAL_FIGURES], x[GLOBAL_FIGURES:].reshape(self.pencils, PENCIL_FIGURES)


def hand_and_paper(g: Array, paper: Paper) -> tuple[Pressures, Paper]:
    """Hand and paper of the eleven global figures, which are zero for the standard ones.

    Deposits at light, medium and heavy (log), reaches (shift), softness (log), room (log),
    Yule–Nielsen exponent (shift), crushing (log) and the fill of a light pass (shift).
    """
    s = STANDARD_PRESSURES

    def five(low: float, middle: float, high: float) -> Array:
        return np.interp([1, 2, 3, 4, 5], [1, 3, 5], [low, middle, high])

    deposit = five(*(s.deposit[[0, 2, 4]] * np.exp(g[0:3])))
    reach = five(*(s.reach[[0, 2, 4]] + g[3:6]))
    crush = np.clip(s.crush * np.exp(g[9]), 0, 0.3)
    full = five(*np.clip(s.full[[0, 2, 4]] + np.array([g[10], g[10] / 2, 0]), 0.4, 1.2))
    fitted = replace(
        paper, soft=paper.soft * float(np.exp(g[6])), cap=paper.cap * float(np.exp(g[7])), n=float(np.clip(paper.n + g[8], 1.0, 3.0))
    )
    return Pressures(deposit, reach, full, crush), fitted


def _films(figures: Array) -> tuple[Array, Array]:
    """Absorption and scattering (n, 8) of pencils (n, 10)."""
    bands = 1 / (1 + np.exp(-figures[:, :8]))
    film = film_of(bands, band_scattering(np.exp(figures[:, 8:9]), figures[:, 9:10], bands))
    return film.absorption, film.scattering


def _lay_all(problem: _Problem, g: Array, k: Array, s: Array) -> Array:
    """Lab (s, 3) of all stacks. ``k`` and ``s`` are films by stack and pass, (s, passes, 8)."""
    from hanabira.core.optics.film import Film

    hand, paper = hand_and_paper(g, problem.paper)
    n, passes = problem.who.shape
    zones = np.repeat(problem.ground[:, None], 3, 1)
    batch = Batch(zones, np.zeros((n, 3)), np.zeros(n), paper.n)
    for j in range(passes):
        on = problem.who[:, j] >= 0
        part, _ = lay(paper, batch.take(on), Film(k[on, j], s[on, j]), problem.how[on, j], hand)
        z, f, c = batch.zones.copy(), batch.fill.copy(), batch.crush.copy()
        z[on], f[on], c[on] = part.zones, part.fill, part.crush
        batch = Batch(z, f, c, paper.n)
    return reflectance_to_lab(see(batch.zones, paper.n))


def _predict(problem: _Problem, x: Array) -> Array:
    g, figures = problem.split(x)
    k, s = _films(figures)
    who = np.maximum(problem.who, 0)
    return _lay_all(problem, g, k[who], s[who])


def _residual(problem: _Problem, x: Array, lab: Array | None = None) -> Array:
    """Weighted Lab residuals and then the priors."""
    g, figures = problem.split(x)
    lab = _predict(problem, x) if lab is None else lab
    data = ((lab - problem.lab) * problem.weight / NOISE_DE).ravel()
    return np.concatenate([data, _priors(problem, g, figures)])


def _priors(problem: _Problem, g: Array, figures: Array) -> Array:
    width = SMOOTH_PER_30NM * np.sqrt(np.diff(NODES_NM) / 30)
    smooth = np.diff(figures[:, :8], axis=1) / width
    strength = (figures[:, 8] - problem.log_s) / problem.log_s_sd
    return np.concatenate([smooth.ravel(), strength.ravel(), (figures[:, 9] / _SLOPE_SD).ravel(), g / _GLOBAL_SD])


def _jacobian(problem: _Problem, x: Array, lab: Array) -> Array:
    """Derivatives of `_residual`, by forward differences over all stacks at once."""
    g, figures = problem.split(x)
    rows = problem.lab.size
    n_prior = len(_priors(problem, g, figures))
    jac = np.zeros((rows + n_prior, len(x)))
    scale = problem.weight / NOISE_DE
    k, s = _films(figures)
    who = np.maximum(problem.who, 0)
    ks, ss = k[who], s[who]
    if problem.globals_free:
        for i in range(GLOBAL_FIGURES):
            moved = g.copy()
            moved[i] += _STEP
            jac[:rows, i] = ((_lay_all(problem, moved, ks, ss) - lab) / _STEP * scale).ravel()
    stacks = np.arange(len(problem.who))
    for f in range(PENCIL_FIGURES):
        other = figures.copy()
        other[:, f] += _STEP
        k2, s2 = _films(other)
        for j in range(problem.who.shape[1]):
            on = problem.who[:, j] >= 0
            if not on.any():
                continue
            kj, sj = ks.copy(), ss.copy()
            kj[on, j], sj[on, j] = k2[problem.who[on, j]], s2[problem.who[on, j]]
            change = (_lay_all(problem, g, kj, sj) - lab) / _STEP * scale
            columns = GLOBAL_FIGURES + problem.who[on, j] * PENCIL_FIGURES + f
            for c in range(3):
                np.add.at(jac, (stacks[on] * 3 + c, columns), change[on, c])
    # the priors are linear
    base = _priors(problem, g, figures)
    for i in range(len(x)):
        moved = x.copy()
        moved[i] += 1.0
        jac[rows:, i] = _priors(problem, *problem.split(moved)) - base
    return jac


def fit_kit(
    swatches: Sequence[MeasuredPatch],
    paper: Paper,
    known: Kit | None = None,
    name: str = "Fitted kit",
    most_rounds: int = 40,
    token: Token = SILENT,
) -> Fitted:
    """Fit every pencil that occurs, and paper and hand where the swatches allow it.

    ``known`` gives names and other facts of pencils by code. Raises `KitFault` without a single
    usable swatch. Paper and hand are fitted when a dozen swatches or more are there, among them
    two different pressures.
    """
    rows = [q for q in swatches if q.layers]
    codes = list(dict.fromkeys(p.code for q in rows for p in q.layers))
    if not rows:
        raise KitFault("There is no swatch with a layer to fit.", do="Add rows whose stack names a pencil.")
    place = {c: i for i, c in enumerate(codes)}
    lists = [[(place[p.code], p.pressure) for p in q.layers for _ in range(p.passes)] for q in rows]
    passes = max(map(len, lists))
    who, how = np.full((len(rows), passes), -1), np.ones((len(rows), passes), int)
    for i, stack in enumerate(lists):
        for j, (w, h) in enumerate(stack):
            who[i, j], how[i, j] = w, h
    lab = np.array([q.lab for q in rows], float)
    grounds = {q.ground_lab for q in rows}
    bands = {q: colour_to_reflectance(lab_to_xyz(np.array(q)))[0] for q in grounds}
    ground = np.array([bands[q.ground_lab] for q in rows])
    # ΔE00 forgives strong colours and extreme values: weigh as it does
    c = np.asarray(chroma(lab))
    s_l = 1 + 0.015 * (lab[:, 0] - 50) ** 2 / np.sqrt(20 + (lab[:, 0] - 50) ** 2)
    weight = np.stack([1 / s_l, 1 / (1 + 0.035 * c), 1 / (1 + 0.035 * c)], 1)
    free = len(rows) >= 12 and len(set(how[who >= 0].tolist())) > 1
    facts = [known.get(c) if known and c in known.index else None for c in codes]
    log_s = np.array([np.log(p.scattering) if p else _LOG_S[0] for p in facts])
    log_s_sd = np.array([_LOG_S_KNOWN_SD if p else _LOG_S[1] for p in facts])
    problem = _Problem(
        paper, who, how, ground=ground, lab=lab, weight=weight, pencils=len(codes), globals_free=free, log_s=log_s, log_s_sd=log_s_sd,
    )
    first = _first_guess(problem).ravel()
    starts = [np.concatenate([g, first]) for g in (_STARTS if free else _STARTS[:1])]
    if len(starts) > 1:
        # the valley has side arms: go a little way from each start and follow the deepest
        starts = [_minimise(problem, x, 7, token) for x in starts]
    x = min(starts, key=lambda x: float(np.sum(_residual(problem, x) ** 2)))
    x = _minimise(problem, x, most_rounds, token)
    got = _predict(problem, x)
    de = np.asarray(delta_e00(got, lab))
    g, figures = problem.split(x)
    hand, fitted_paper = hand_and_paper(g, paper)
    white = max(grounds, key=lambda q: q[0])
    fit = Fit(
        hand, fitted_paper.cap / paper.cap, 0.0, soft=fitted_paper.soft / paper.soft, grip=1.0, n=fitted_paper.n,
        white_hex=lab_hex(white) if white[0] > 60 else "", median_de=float(np.median(de)), p95_de=float(np.percentile(de, 95)), paper_id=paper.id,
    )  # fmt: skip
    pencils = []
    for i, code in enumerate(codes):
        r = 1 / (1 + np.exp(-figures[i, :8]))
        strength = float(np.exp(figures[i, 8]))
        old = known.get(code) if known and code in known.index else None
        mine = [j for j in range(len(rows)) if (who[j] == i).any()]
        spread = expected_error(len([j for j in mine if len(set(who[j][who[j] >= 0])) == 1]), float(np.median(de[mine])))
        base = old or Pencil(code, f"Pencil {code}", "#808080")
        pencils.append(
            replace(
                base,
                hex=lab_hex(reflectance_to_lab(r)),
                bands=tuple(map(float, r)),
                strength=strength,
                slope=float(figures[i, 9]),
                spread_de=spread,
            )
        )
    return Fitted(Kit(name, tuple(pencils), fit if free or white[0] > 60 else None), de, free)


def expected_error(patches: int, residual_de: float) -> float:
    """Error to expect of a pencil's predictions in mixtures (ΔE00), from the patches it was fitted on.

    Four patches leave about 2 in two layers; one patch leaves strength and reach open, and about 6.5.
    Measured on the simulated papers of the tests.
    """
    return float(np.hypot({0: 8.0, 1: 6.5, 2: 4.0, 3: 2.8}.get(patches, 2.0), residual_de))


def _first_guess(problem: _Problem) -> Array:
    """Pencils start at the colour of their most heavily laid patch, or of the mixtures they are in."""
    out = np.zeros((problem.pencils, PENCIL_FIGURES))
    out[:, 8] = problem.log_s
    guess = np.full((problem.pencils, 3), np.nan)
    for i in range(problem.pencils):
        alone = [j for j in range(len(problem.who)) if set(problem.who[j][problem.who[j] >= 0]) == {i}]
        best = max(alone, key=lambda j: problem.how[j][problem.who[j] >= 0].sum(), default=None)
        if best is None:
            best = next(j for j in range(len(problem.who)) if (problem.who[j] == i).any())
        guess[i] = problem.lab[best]
    bands = colour_to_reflectance(lab_to_xyz(guess))
    out[:, :8] = np.log(np.clip(bands, 0.004, 0.99) / (1 - np.clip(bands, 0.004, 0.99)))
    return out


def _minimise(problem: _Problem, x: Array, most_rounds: int, token: Token) -> Array:
    """Levenberg–Marquardt with Marquardt's scaling; stops when a round gains less than 0.1 %."""
    free = np.ones(len(x), bool)
    if not problem.globals_free:
        free[:GLOBAL_FIGURES] = False
    lab = _predict(problem, x)
    r = _residual(problem, x, lab)
    cost, damping, small = float(r @ r), 1e-2, 0
    for n in range(most_rounds):
        token.report(n / most_rounds, "Fitting the pencils to the swatches")
        jac = _jacobian(problem, x, lab)[:, free]
        normal, gradient = jac.T @ jac, jac.T @ r
        for _ in range(8):
            step = np.zeros(len(x))
            step[free] = np.linalg.solve(normal + damping * np.diag(np.diag(normal) + 1e-6), -gradient)
            step = np.clip(step, -1.5, 1.5)
            trial = x + step
            bands = trial[GLOBAL_FIGURES:].reshape(problem.pencils, PENCIL_FIGURES)[:, :8]
            np.clip(bands, -6.5, 5.3, out=bands)
            new_lab = _predict(problem, trial)
            new = _residual(problem, trial, new_lab)
            new_cost = float(new @ new)
            if np.isfinite(new_cost) and new_cost < cost:
                break
            damping *= 4
        else:
            break
        gain = (cost - new_cost) / max(cost, 1e-12)
        x, r, lab, cost, damping = trial, new, new_lab, new_cost, max(damping / 5, 1e-7)
        small = small + 1 if gain < 1e-3 else 0
        if small >= 2:
            break
    token.report(1.0, "Fitted")
    return x
