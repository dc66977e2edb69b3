#!/usr/bin/env python3
"""practice.py - would a master of coloured-pencil and pastel animal portraits sign these layer recipes?

Black box: it runs the program's own terminal (`area`, `kit`, `techniques`, `predict`) and uses nothing of its code.
    python practice.py JOBS.json [--root DIR] [--program .venv/bin/hanabira] [--faults] [--no-schools] [--json]
JOBS.json: {"jobs": [{"name", "photo", "rect": [x,y,w,h], "surface", "medium", "paper"?, "finish"?, "facts":
["black coat" | "white coat" | "markings"], "catchlight"?: [x,y,w,h]}], "schools_on": [names], "finish_on": [names]};
photo paths count from --root. Exit 0 only if every wanted value holds. A place is a band of value (gap, general,
light, highlight) or a further entry of the answer's "places"; a layer lies on the places in its "covers", else on the
bands its "where" names; what stands there after each layer is asked of `predict`. C chroma, hue the Lab angle, dE00
CIEDE2000, black a pencil under L*17 and C 5. Shares are % of recipes unless said otherwise; the wanted value follows.
CLOSENESS
 de_median, de_p95      dE00 of end colour to paper target, all places: 2, 5. Below 2 the hand scatters more anyway.
 dark_light_*           the same, light and highlight of areas with general under L*35: 3, 6. A black coat lives by its lights.
 steps_lost             % of neighbouring bands (6 L* apart or more) keeping under half their step: 2. Form is value.
 aim_median,_p10,_worst % of an area's coloured pixels (all where few have C 10) within 10 a*b* of what is aimed at for
                        their value: 95, 85, 65 at least. One hue a value loses an iris or a wing while dE00 looks perfect.
 phantom                general colour held by under 25 % of the pixels (dE76 12): 0. A grey between black and white is nowhere.
 unexplained            places where `predict` does not end at the recipe's own colour (dE00 over 1): 0. The answer must be one.
PATH (what the artist sees while working)
 green_states           a greenish state (hue 100-200, C > 5) though nothing there is green: 0. Practice neutralises by grey,
                        brown, violet, dark red, indigo; green over orange is the classic regret.
 offhue_recipes         a state (C > 8) 10 off the a*b* line paper-target, 45 deg off every hue there: 5. It cannot be judged.
 offhue_layers          % of layers, pencil 60 deg off every hue of the area and no neutraliser of practice: 2.
ECONOMY
 layers_*, pencils_*    at finish 3, median and p90, eyes, noses and areas planned by marking apart: 7, 10 and 5, 7. Recorded
                        work has 4-8 layers a texture; every one costs time and tooth.
 deepest_p90            p90 of the most layers on one place, all recipes: 9. More, and the paper takes no more.
 droppable, unseen      % of layers that can go together, no place getting 0.3 (1.0) dE00 worse: 5 (8). Hours without effect.
 returns                comings back to a pencil over another in one place, mean: 0.8. Take it up once, finish with it.
 seesaw                 two flips between far hues (100 deg, C > 12) in one place: 5. Colours undoing each other.
ORDER
 pastel_dark_over_light a pencil under L*25 after the first finished light: 0. It dirties the lights.
 pencil_sinks           a pencil 12 L* paler than what stands there, or over L*30 over black (light hair, highlight, glaze,
                        accent, opaque white apart): 0. Translucent pencil cannot cover: lights come first or stay paper.
 pressure_dips          pencil: pressure falls by 2 and rises by 2 again in one place: 15. The hand goes from light to firm.
 early_five             pencil: pressure 5 before the last third of a place's layers: 0. It shuts the tooth.
EYES, NOSES, WHITE, BLACK, MARKED
 catch_covered          catchlights under more than a pale tint (L* 72, C 26; grey if its own L* is under 70): 0. Never regained.
 catch_de               median dE00 of the catchlight to the photo's own (up to 15 L* lighter is free): 6.
 parts_named            eyes with 3, noses with 2 parts of the anatomy as place or in "where": 100. They are not fur by value.
 white_dirty, _black    white coats with, off the gaps, a pencil over C 27 or under both L*72 and target - 20: 0; with one
                        under L*20 where the target is over L*35: 0. Whites die of dirt.
 black_alone            black coats with no other dark under the black of the gaps: 10. Black is a coloured dark.
 markings_named         areas of stripes, spots, patches, bars with a layer on the marking by name: 100. They are lost else.
WORDS (what the artist reads beside each layer)
 no_why, repeats        layers without a reason: 0; % with a reason read above in the recipe: 10. Twice read, it teaches nothing.
 contradictions         % of layers whose reason names a colour, paleness or darkness their pencil has not: 0.
 late_undertones        % of undertones laid over a general or deepening layer of the same place: 0. Under means under.
SWITCHES
 dead_choices           choices of a school that change no layer in any test area and are not refused in words: 0.
 wrong_order            choices whose layers are not as the school says: 0.
 finish_same            areas where finish 5 has no more layers than 1, or the same strokes: 0.
"""

import argparse, json, math, os, re, shlex, subprocess, sys
from pathlib import Path
import numpy as np
from PIL import Image, ImageFilter

BANDS = ("gap", "general", "light", "highlight")
WHERE = {
    "everywhere": BANDS,
    "all but the highlights": BANDS[:3],
    "all but the lights": BANDS[:2],
    "gaps": BANDS[:1],
    "all but the gaps": BANDS[1:],
    "lights": BANDS[2:],
    "highlights": BANDS[3:],
}
TOOLS = ("solvent", "stump", "lift", "erase", "scrape", "indent")  # those `predict` knows
LATE = ("light hair", "highlight", "glaze", "accent", "blend", "whisker")  # roles free of the light-to-dark order
LOCAL = ("reserve", "indent", "outline", "lift", "scrape", "blend", "fix", "whisker")  # roles not there for a colour
PARTS = {"eye": r"\b(pupil|rim|iris|catchlight|wet line|lid|tear corner)", "nose": r"\b(nostril|middle line|midline|pebble|wet|rim|bridge)"}
MARKED = ("stripes", "spots", "patches", "rosettes", "bars", "brindle", "tabby", "dapple", "merle", "blaze", "mask", "saddle")
MARK_WORDS = r"\b(marking|stripe|spot|patch|rosette|bar|dapple|blaze|saddle|mask)(s|es)?\b"
AT_LEAST = dict(aim_median=95, aim_p10=85, aim_worst=65, parts_named=100, markings_named=100)
AT_MOST = dict(
    de_median=2,
    de_p95=5,
    dark_light_median=3,
    dark_light_p95=6,
    steps_lost=2,
    phantom=0,
    unexplained=0,
    green_states=0,
    offhue_recipes=5,
    offhue_layers=2,
    layers_median=7,
    layers_p90=10,
    pencils_median=5,
    pencils_p90=7,
    deepest_p90=9,
    droppable=5,
    unseen=8,
    returns=0.8,
    seesaw=5,
    pastel_dark_over_light=0,
    pencil_sinks=0,
    pressure_dips=15,
    early_five=0,
    catch_covered=0,
    catch_de=6,
    white_dirty=0,
    white_black=0,
    black_alone=10,
    no_why=0,
    repeats=10,
    contradictions=0,
    late_undertones=0,
    dead_choices=0,
    wrong_order=0,
    finish_same=0,
)


# ---- colour ---------------------------------------------------------------------------------------------------------
def to_lab(image):
    """Pixels of an 8-bit sRGB picture as (n, 3) Lab D65."""
    rgb = np.asarray(image, float).reshape(-1, 3) / 255
    lin = np.where(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055) ** 2.4)
    t = (
        lin
        @ np.array([[0.4124564, 0.2126729, 0.0193339], [0.3575761, 0.7151522, 0.119192], [0.1804375, 0.072175, 0.9503041]])
        / [0.95047, 1, 1.08883]
    )
    f = np.where(t > 0.008856, np.cbrt(t), 7.787 * t + 16 / 116)
    return np.stack([116 * f[:, 1] - 16, 500 * (f[:, 0] - f[:, 1]), 200 * (f[:, 1] - f[:, 2])], 1)


def chroma(lab):
    return math.hypot(lab[1], lab[2])


def hue(lab):
    return math.degrees(math.atan2(lab[2], lab[1])) % 360


def turn(a, b):
    return abs((a - b + 180) % 360 - 180)


def within(h, lo, hi):
    return (h - lo) % 360 <= (hi - lo) % 360


def black(lab):
    return lab[0] < 17 and chroma(lab) < 5


def de00(p, q):
    """CIEDE2000 of two Lab triples (Sharma, Wu, Dalal 2005)."""
    c7 = ((chroma(p) + chroma(q)) / 2) ** 7
    g = 1.5 - 0.5 * math.sqrt(c7 / (c7 + 25**7))
    p, q = (p[0], p[1] * g, p[2]), (q[0], q[1] * g, q[2])
    c1, c2, h1, h2 = chroma(p), chroma(q), hue(p), hue(q)
    dl, dc, dh = q[0] - p[0], c2 - c1, (h2 - h1 + 180) % 360 - 180 if c1 * c2 else 0
    lm, cm, hm = (p[0] + q[0]) / 2, (c1 + c2) / 2, (h1 + dh / 2) % 360 if c1 * c2 else h1 + h2
    cos = lambda k, off: math.cos(math.radians(k * hm + off))
    t = 1 - 0.17 * cos(1, -30) + 0.24 * cos(2, 0) + 0.32 * cos(3, 6) - 0.2 * cos(4, -63)
    sl, sc, sh = 1 + 0.015 * (lm - 50) ** 2 / math.sqrt(20 + (lm - 50) ** 2), 1 + 0.045 * cm, 1 + 0.015 * cm * t
    rt = -math.sin(math.radians(60 * math.exp(-(((hm - 275) / 25) ** 2)))) * 2 * math.sqrt(cm**7 / (cm**7 + 25**7))
    dl, dc, dh = dl / sl, dc / sc, 2 * math.sqrt(c1 * c2) * math.sin(math.radians(dh / 2)) / sh
    return math.sqrt(max(0, dl * dl + dc * dc + dh * dh + rt * dc * dh))


def neutraliser(v):
    """Practice dulls any hue with greys, browns, violets, dark reds and indigo, and tints whites with pale colours."""
    L, c, h = v[0], chroma(v), hue(v)
    return (
        c <= 12
        or (within(h, 20, 85) and c <= 36 and L <= 62)
        or (within(h, 285, 345) and c <= 42)
        or (within(h, 345, 45) and L <= 45)
        or (within(h, 265, 290) and L <= 25 and c <= 30)
        or (L > 74 and c <= 27 and not within(h, 100, 215))
    )


# ---- the program's terminal -----------------------------------------------------------------------------------------
class Program:
    def __init__(self, command, root, keep):
        self.command, self.root, self.keep, self.asked = shlex.split(command), root, keep and Path(keep), set()
        self.known = json.loads(self.keep.read_text()) if keep and self.keep.exists() else {}
        self.kits = {
            m: {q["code"]: q for q in self.ask("kit", *more)["pencils"]} for m, more in (("pencil", ()), ("pastel", ("--kit", "pastels")))
        }

    def ask(self, *args):
        """One command's JSON; RuntimeError with its own words when it refuses. The same question is asked once."""
        key = " ".join(args)
        self.asked |= {key} if args[0] == "area" else set()
        if key not in self.known:
            done = subprocess.run([*self.command, *args, "--json"], cwd=self.root, capture_output=True, text=True, timeout=300)
            if done.returncode:
                raise RuntimeError(f"{key}: {done.stderr.strip()[-300:]}")
            self.known[key] = json.loads(done.stdout)
            if self.keep:
                self.keep.write_text(json.dumps(self.known))
        return self.known[key]

    def area(self, job, *more):
        given = [
            x
            for k in ("medium", "paper", "coat", "marking", "ground", "finish")
            if k in job and f"--{k}" not in more
            for x in (f"--{k}", str(job[k]))
        ]
        return self.ask("area", job["photo"], "--rect", ",".join(map(str, job["rect"])), "--surface", job["surface"], *given, *more)

    def stack(self, job, layers):
        """Lab of the bare paper and after each of these layers (some layer must be named even to learn the paper)."""
        told = [f"{q['pencil']}:{q['pressure']}:{q['passes']}" if q["pencil"] else q["tool"] for q in layers]
        more = ["--kit", "pastels"] if job["medium"] == "pastel" else []
        more += ["--ground", job["ground"]] if "ground" in job else []
        for t in told or [next(iter(self.kits[job["medium"]])) + ":1:1"]:
            more += ["--layer", t]
        got = self.ask("predict", "--paper", job.get("paper") or ("sanded" if job["medium"] == "pastel" else "hotpress"), *more)
        return [got["paper_lab"], *(q["lab_after"] for q in got["layers"][: len(told)])]


class Recipe:
    """One answered job: layers, the states of every place, the hues of the area."""

    def __init__(self, program, job):
        self.job, self.name, self.program, a = job, job["name"], program, program.area(job)
        self.a, self.pencil, self.facts, self.measured = a, job["medium"] == "pencil", job.get("facts", ()), a["measures"]
        self.places = {**a["result"], **{k: v for k, v in (a.get("places") or {}).items() if "lab" in v}}
        self.layers = [
            dict(
                q,
                ink=program.kits[job["medium"]][q["pencil"]]["lab"] if q["pencil"] else None,
                covers=[p for p in q.get("covers") or WHERE.get(q["where"], ()) if p in self.places],
            )
            for q in a["layers"]
        ]
        self.inked = [q for q in self.layers if q["ink"]]
        self.states = {p: program.stack(job, self.on(p)) for p in self.places}
        self.paper = self.states["general"][0]
        spots = [q["lab"] for q in a["measures"]["palette"] if q["share"] >= 0.02] + [q["lab"] for q in a["measures"]["hidden_hues"]]
        self.hues = [hue(v) for v in [*spots, *(r["target_lab"] for r in self.places.values())] if chroma(v) > 6]

    def on(self, place):
        return [q for q in self.layers if place in q["covers"] and (q["ink"] or q["tool"] in TOOLS)]

    def inks(self, place):
        return [q for q in self.on(place) if q["ink"]]

    def photo(self, rect):
        im = Image.open(self.program.root / self.job["photo"]).convert("RGBA")
        x, y, w, h = rect
        return Image.alpha_composite(Image.new("RGBA", im.size, "white"), im).convert("RGB").crop((x, y, x + w, y + h))

    def droppable(self, worse):
        """How many colour layers can go together while no place gets this many dE00 worse than the recipe has it."""
        kept, worst = list(self.layers), {p: de00(s[-1], self.places[p]["target_lab"]) + worse for p, s in self.states.items()}
        for q in reversed(self.inked):
            if q["role"] in LOCAL or not q["covers"]:
                continue
            rest = lambda p: [r for r in kept if r is not q and r in self.on(p)]
            try:
                if all(
                    de00(self.program.stack(self.job, rest(p))[-1], self.places[p]["target_lab"]) < worst[p]
                    for p in sorted(q["covers"], key=lambda p: len(self.on(p)))
                ):
                    kept.remove(q)
            except RuntimeError:
                pass  # `predict` refuses the shorter stack: the layer is needed
        return len(self.layers) - len(kept)

    def strays(self):
        """(off-hue states, greenish states) of all places."""
        off = green = 0
        for p, (paper, *states) in self.states.items():
            a, d = np.array(paper[1:]), np.array(self.places[p]["target_lab"][1:]) - paper[1:]
            for s in states:
                far = np.hypot(*(np.array(s[1:]) - a - d * np.clip((np.array(s[1:]) - a) @ d / max(d @ d, 1e-6), 0, 1)))
                off += bool(chroma(s) > 8 and far > 10 and all(turn(hue(s), h) > 45 for h in self.hues))
                green += bool(chroma(s) > 5 and far > 5 and within(hue(s), 100, 200) and not any(within(h, 90, 210) for h in self.hues))
        return off, green

    def aim(self):
        """(% of coloured pixels aimed at, % of pixels that hold the general colour), hairs blurred away."""
        im = (whole := self.photo(self.job["rect"])).filter(ImageFilter.GaussianBlur(max(whole.size) / 120))
        px, t = (
            to_lab(im.resize((min(64, im.width), min(64, im.height)), Image.BOX)),
            np.array([self.places[b]["target_lab"] for b in BANDS]),
        )
        at = np.maximum.accumulate([self.measured["value"][b] for b in BANDS])  # the photo's values; targets are the paper's
        hit = np.hypot(*(px[:, 1:] - np.stack([np.interp(px[:, 0], at, t[:, k]) for k in (1, 2)], 1)).T) <= 10
        for p in {p for q in self.layers for p in q["covers"]} - set(BANDS):
            hit |= np.linalg.norm(px - self.places[p].get("photo_lab", self.places[p]["target_lab"]), axis=1) <= 14
        full = np.hypot(px[:, 1], px[:, 2]) >= 10
        return 100 * hit[full if full.mean() > 0.05 else slice(None)].mean(), 100 * (
            np.linalg.norm(px - [at[1], *t[1, 1:]], axis=1) <= 12
        ).mean()

    def catchlight(self):
        """(covered by more than a tint, dE00 of its end colour against the photo's own)."""
        p, px = next((k for k in self.places if "catch" in k), "highlight"), to_lab(self.photo(self.job["catchlight"]))
        own = np.median(px[px[:, 0] >= np.percentile(px[:, 0], 85)], axis=0)
        tint = lambda v: (v[0] >= 72 and chroma(v) <= 26) or (own[0] < 70 and chroma(v) <= 12)
        end = self.states[p][-1]
        return not all(tint(q["ink"]) for q in self.inks(p)), de00(end, [float(np.clip(end[0], own[0], own[0] + 15)), *own[1:]])


# ---- words ----------------------------------------------------------------------------------------------------------
FAMILIES = {  # word: the hue, chroma and lightness a pencil must have to deserve it
    "(?<!near-)black": (0, 359, 0, 99, 0, 20),
    "white": (0, 359, 0, 16, 88, 100),
    "gr[ea]ys?": (0, 359, 0, 13, 0, 100),
    "(?<!red-)browns?|umbers?|sepia": (15, 100, 4, 52, 0, 62),
    "red-browns?": (10, 65, 10, 99, 0, 55),
    "ochres?": (55, 95, 22, 99, 40, 100),
    "oranges?": (38, 82, 34, 99, 35, 100),
    "yellows?|gold": (68, 112, 20, 99, 0, 100),
    "violets?|purple|mauve": (288, 348, 8, 99, 0, 100),
    "blues?": (215, 295, 3, 99, 0, 100),
    "bluish": (215, 315, 3, 99, 0, 100),
    "greens?|olive": (95, 220, 8, 99, 0, 100),
    "(?<!-)reds?(?!-)": (345, 52, 18, 99, 0, 100),
    "pinks?": (330, 60, 8, 99, 50, 100),
}
ANY = "|".join(FAMILIES)
NO_BLACK = r"(no|never|not|without|before any|instead of|rather than) (plain )?black|black (would|dirties|kills)"
OTHERS = (
    rf"\b({ANY}) (coat|fur|hair|feather|skin|card|paper|ground|animal)s?\b|(white|black) is never (white|black)|never ({ANY})\b|one gr.y of|"
    rf"\b(under|over|below|beneath|beside|into|against|makes?|on|than|as|like|after|between|of) (the |an? |any |all )?({ANY})( (and|or) ({ANY}))?\b"
)
"""Colours a reason names that are not said of this layer's pencil."""


def contradicts(q, palest):
    """Does the reason claim what the pencil is not? Where several colours are named, one that fits is enough."""
    said, (L, c, h) = q["why"].lower().replace(q["name"].lower(), "it"), (q["ink"][0], chroma(q["ink"]), hue(q["ink"]))
    if re.search(NO_BLACK, said) and black(q["ink"]):
        return True
    said = re.sub(OTHERS, "", re.sub(NO_BLACK, "", said))
    named = [
        within(h, a, b) and c0 <= c <= c1 and l0 <= L <= l1
        for word, (a, b, c0, c1, l0, l1) in FAMILIES.items()
        if re.search(rf"\b(?:{word})\b", said)
    ]
    pale = re.search(r"\b(pale|palest)\b[^.;]{0,25}\b(base|tone|ground|tint)\b", said)
    return bool(
        (named and not any(named) and not (pale and L >= 52))
        or (pale and L < 52)
        or (re.search(r"\blightest (colour|pencil|tone)", said) and L < palest - 10)
        or (re.search(r"\bdarkest\b[^.;]{0,20}\b(dark|colour|pencil|of the kit)\b", said) and L > 45)
        or (re.search(r"\bcool\b[^.;]{0,20}\b(light|lights|highlights?|wet)\b", said) and within(h, 15, 110) and c > 10)
    )


# ---- schools --------------------------------------------------------------------------------------------------------
def signature(a):
    return [
        [q[k] for k in ("role", "pencil", "tool", "pressure", "passes", "where", "stroke", "length_mm", "spacing_mm")] for q in a["layers"]
    ]


def as_said(key, choice, a, base, kit):
    """Are the layers as the choice promises? `base` has the medium's defaults."""
    n, lab, over = a["layers"], lambda q: kit[q["pencil"]]["lab"], lambda q: q.get("covers") or WHERE.get(q["where"], ())
    ink, old = [q for q in n if q["pencil"]], [q for q in base["layers"] if q["pencil"]]
    late, tool = ink[-max(1, len(ink) // 3) :], lambda *t: any(q["tool"] in t or q["role"] in t for q in n)
    dark = lambda layers: next((i / len(layers) for i, q in enumerate(layers) if lab(q)[0] < 35), 1.0)  # how early the first dark
    lead = lambda layers: np.dot(np.linspace(1, -1, len(layers)), [chroma(lab(q)) for q in layers]) / len(layers)  # colour early
    return {
        "values=darks-first": lambda: dark(ink) <= 0.34 and dark(ink) <= dark(old),
        "values=lights-first": lambda: lab(ink[0])[0] >= max(lab(q)[0] for q in ink) - 15,
        "values=dark-ground": lambda: lab(ink[0])[0] < 40 and "gap" in over(ink[0]),
        "black=base-under-pastel": lambda: lab(ink[0])[0] < 20,
        "black=mixed-blacks-only": lambda: not any(black(lab(q)) for q in ink),
        "blending=solvent": lambda: tool("solvent"),
        "blending=none": lambda: not tool("solvent", "stump", "blend"),
        "blending=burnish": lambda: tool("blend", "burnish") or any(lab(q)[0] > 80 and q["pressure"] >= 4 for q in late),
        "bottom=strong-first": lambda: lead(ink) > lead(old),
        "lights=reserved": lambda: tool("reserve") or not any("highlight" in over(q) for q in ink),
        "lights=indent": lambda: "indent" in (n[0]["role"], n[0]["tool"]),
        "lights=scrape": lambda: tool("scrape"),
        "lights=opaque": lambda: any(lab(q)[0] > 80 and "highlight" in over(q) for q in late),
        "fidelity=essence": lambda: len(n) <= len(base["layers"]),
        "fidelity=every-hair": lambda: len(n) >= len(base["layers"]),
    }.get(f"{key}={choice}", lambda: True)()


def try_schools(program, jobs, most):
    """(dead choices, choices whose layers are not as said, choices not tried) over the program's own list."""
    dead, wrong, untried = [], [], []
    other = {
        "pencil": ("base-under-pastel", "dark-ground", "stump"),
        "pastel": ("burnish", "solvent", "scrape", "indent"),
    }  # not its practice
    for medium in other:
        for s in program.ask("techniques")["schools"]:
            if s["id"] in ("sequence", "highlight"):
                continue  # they act in the plan and in eyes
            for choice in (c["id"] for c in s["choices"] if c["id"] not in (s["default"][medium], *other[medium])):
                name, found, tried = f"{medium} {s['id']}={choice}", None, False
                for job in (j for j in jobs if j["medium"] == medium):
                    if len(program.asked) >= most or found:
                        break
                    a, base, tried = program.area(job, "--school", f"{s['id']}={choice}"), program.area(job), True
                    if signature(a) != signature(base):
                        found = (a, base)
                    elif {c["text"] for c in a["cautions"]} - {c["text"] for c in base["cautions"]}:
                        found = "refused in words"
                if not tried:
                    untried.append(name)
                elif not found:
                    dead.append(name)
                elif len(found) == 2 and not as_said(s["id"], choice, *found, program.kits[medium]):
                    wrong.append(name)
    return dead, wrong, untried


# ---- figures --------------------------------------------------------------------------------------------------------
def judge(recipes):
    """All figures but the switches, and for each the recipes or layers that fail it."""
    f, bad = {}, {}

    def share(key, rows, test, say=lambda r: r.name):
        rows = list(rows)
        bad[key] = [say(r) for r in rows if test(r)]
        f[key] = 100 * len(bad[key]) / len(rows) if rows else None

    def layers(key, rows, test):
        share(key, rows, lambda x: test(*x), lambda x: f"{x[0].name}: {x[1]['name']} | {x[1]['why']}")

    def spread(key, values, *points):
        for p, word in zip(points, ("median", f"p{points[1]}")):
            f[f"{key}_{word}"] = float(np.percentile(values, p)) if values else None

    miss = lambda x: de00(x["lab"], x["target_lab"])

    def marked(r):
        m = r.measured["marking"]
        sure = r.a["marking"] in MARKED and 0.1 <= (m["coverage"] or 0) <= 0.9 and (m["confidence"] or 0) >= 0.8
        return r.job["surface"] not in PARTS and ("markings" in r.facts or sure)

    spread("de", [miss(x) for r in recipes for x in r.places.values()], 50, 95)
    dark = {f"{r.name} {k}": miss(r.places[k]) for r in recipes if r.measured["value"]["general"] < 35 for k in BANDS[2:]}
    spread("dark_light", list(dark.values()), 50, 95)
    bad["dark_light_p95"] = [f"{k} {v:.1f}" for k, v in dark.items() if v > 6]
    steps = [[r.places[b][k][0] - r.places[a][k][0] for k in ("target_lab", "lab")] for r in recipes for a, b in zip(BANDS, BANDS[1:])]
    f["steps_lost"] = 100 * float(np.mean([got < want / 2 for want, got in steps if want >= 6] or [0]))
    aims = {r: r.aim() for r in recipes}
    spread("aim", [v[0] for v in aims.values()], 50, 10)
    f["aim_worst"] = min(v[0] for v in aims.values())
    bad["aim_p10"] = bad["aim_worst"] = [f"{r.name} {v[0]:.0f}" for r, v in aims.items() if v[0] < 85]
    share("phantom", (r for r in recipes if set(r.places) == set(BANDS)), lambda r: aims[r][1] < 25)
    f["unexplained"] = sum(de00(s[-1], r.places[p]["lab"]) > 1 for r in recipes for p, s in r.states.items())
    strays = {r: r.strays() for r in recipes}
    share("offhue_recipes", recipes, lambda r: strays[r][0])
    share("green_states", recipes, lambda r: strays[r][1])
    inks = [(r, q) for r in recipes for q in r.inked]
    layers("offhue_layers", inks, lambda r, q: not neutraliser(q["ink"]) and all(turn(hue(q["ink"]), h) > 60 for h in r.hues))
    three = [
        r
        for r in recipes
        if r.job.get("finish", 3) == 3 and r.job["surface"] not in PARTS and not (marked(r) and set(r.places) - set(BANDS))
    ]
    spread("layers", [len(r.layers) for r in three], 50, 90)
    spread("pencils", [len({q["pencil"] for q in r.inked}) for r in three], 50, 90)
    f["deepest_p90"] = float(np.percentile([max(len(r.inks(p)) for p in r.places) for r in recipes], 90))
    total = sum(len(r.layers) for r in recipes)
    for key, worse in (("droppable", 0.3), ("unseen", 1)):
        gone = {r.name: r.droppable(worse) for r in recipes}
        f[key], bad[key] = 100 * sum(gone.values()) / total, [f"{k} {v}" for k, v in gone.items() if v]

    def comings(codes):
        runs = [c for i, c in enumerate(codes) if not i or c != codes[i - 1]]
        return len(runs) - len(set(runs))

    f["returns"] = float(np.mean([max(comings([q["pencil"] for q in r.inks(p)]) for p in r.places) for r in recipes]))
    strong = lambda r: ([hue(q["ink"]) for q in r.inks(p) if chroma(q["ink"]) > 12] for p in r.places)
    share("seesaw", recipes, lambda r: any(sum(turn(a, b) > 100 for a, b in zip(s, s[1:])) >= 2 for s in strong(r)))
    pencil = [r for r in recipes if r.pencil]

    def dark_over_light(r):
        lit = next(
            (i for i, q in enumerate(r.layers) if q["ink"] and q["covers"] and set(q["covers"]) <= {"light", "highlight"}), len(r.layers)
        )
        return any(q["ink"] and q["ink"][0] < 25 and set(q["covers"]) & set(BANDS) for q in r.layers[lit:])

    share("pastel_dark_over_light", (r for r in recipes if not r.pencil), dark_over_light)

    def sinks(ink, before, under):  # on a darker state, or over black
        return before[0] + 12 < ink[0] < 90 or (ink[0] > 30 and any(b["ink"] and black(b["ink"]) for b in under))

    share(
        "pencil_sinks",
        pencil,
        lambda r: any(
            q["ink"] and q["role"] not in LATE and sinks(q["ink"], r.states[p][i], r.on(p)[:i])
            for p in r.places
            for i, q in enumerate(r.on(p))
        ),
    )
    presses = lambda r: ([q["pressure"] for q in r.inks(p) if q["role"] not in LATE] for p in r.places)
    share(
        "pressure_dips",
        pencil,
        lambda r: any(max(s[:i]) - s[i] >= 2 <= max(s[i + 1 :]) - s[i] for s in presses(r) for i in range(1, len(s) - 1)),
    )
    share(
        "early_five",
        pencil,
        lambda r: any(q["pressure"] == 5 and (i + 1) * 3 <= 2 * len(r.inks(p)) for p in r.places for i, q in enumerate(r.inks(p))),
    )
    caught, spoken = (
        {r: r.catchlight() for r in recipes if "catchlight" in r.job},
        lambda r: " ; ".join([*(p for p in r.places if r.on(p)), *(q["where"] for q in r.layers)]).lower(),
    )
    share("catch_covered", caught, lambda r: caught[r][0])
    f["catch_de"] = float(np.median([v[1] for v in caught.values()])) if caught else None
    bad["catch_de"] = [f"{r.name} {v[1]:.0f}" for r, v in caught.items() if v[1] > 6]

    def having(key, rows, test):  # the share that has it; the others are the faults
        share(key, rows, lambda r: not test(r))
        f[key] = None if f[key] is None else 100 - f[key]

    having(
        "parts_named",
        (r for r in recipes if r.job["surface"] in PARTS),
        lambda r: len(set(re.findall(PARTS[r.job["surface"]], spoken(r)))) >= (3 if r.job["surface"] == "eye" else 2),
    )
    having("markings_named", filter(marked, recipes), lambda r: re.search(MARK_WORDS, spoken(r)))
    whites, aimed = (
        [r for r in recipes if "white coat" in r.facts],
        lambda r, q: [r.places[p]["target_lab"][0] for p in q["covers"] if "gap" not in p],
    )
    share(
        "white_dirty",
        whites,
        lambda r: any(aimed(r, q) and (chroma(q["ink"]) > 27 or q["ink"][0] < min(72, min(aimed(r, q)) - 20)) for q in r.inked),
    )
    share(
        "white_black",
        whites,
        lambda r: any(q["ink"][0] < 20 and any(r.places[p]["target_lab"][0] > 35 for p in q["covers"]) for q in r.inked),
    )
    share(
        "black_alone",
        (r for r in recipes if "black coat" in r.facts),
        lambda r: next((i == 0 for i, q in enumerate(r.inks("gap")) if black(q["ink"])), False),
    )
    f["no_why"] = sum(len((q["why"] or "").strip()) < 15 for r in recipes for q in r.layers)
    f["repeats"] = 100 * sum(q["why"] in [x["why"] for x in r.layers[:i]] for r in recipes for i, q in enumerate(r.layers)) / total
    layers("contradictions", inks, lambda r, q: contradicts(q, max(x["ink"][0] for x in r.inked)))
    layers(
        "late_undertones",
        [(r, q) for r, q in inks if q["role"] == "undertone"],
        lambda r, q: any(x["role"] in ("general", "deepen") and set(x["covers"]) & set(q["covers"]) for x in r.layers[: r.layers.index(q)]),
    )
    return f, bad


def main():
    cli = argparse.ArgumentParser(description=__doc__.split("\n")[0])
    cli.add_argument("jobs")
    cli.add_argument("--root", default=".")
    cli.add_argument("--json", action="store_true")
    cli.add_argument("--program", default=os.environ.get("HANABIRA", ".venv/bin/hanabira"))
    cli.add_argument("--keep", help="file of answers already given (delete it when the program changes)")
    cli.add_argument("--most", type=int, default=64, help="area calls at most")
    cli.add_argument("--no-schools", action="store_true")
    cli.add_argument("--faults", action="store_true", help="name what fails each figure")
    o = cli.parse_args()
    program, told, recipes, failed = Program(o.program, Path(o.root).resolve(), o.keep), json.loads(Path(o.jobs).read_text()), [], []
    for job in told["jobs"]:
        job.setdefault("medium", "pencil")
        try:
            recipes.append(Recipe(program, job))
        except (RuntimeError, subprocess.TimeoutExpired, KeyError, ValueError) as e:
            failed.append(f"failed {job['name']}: {e!r}")
    if not recipes:
        sys.exit("practice: no recipe could be read; " + "; ".join(failed[:3]))
    (f, bad), untried, same = judge(recipes), [], []
    if not o.no_schools:
        pick = lambda key: [j for n in told.get(key, ()) for j in told["jobs"] if j["name"] == n]
        strokes = lambda a: [[q[k] for k in ("stroke", "length_mm", "spacing_mm")] for q in a["layers"]]
        for job in pick("finish_on"):
            a, b = program.area(job, "--finish", "1"), program.area(job, "--finish", "5")
            if len(a["layers"]) >= len(b["layers"]) or strokes(a) == strokes(b)[: len(a["layers"])]:
                same.append(job["name"])
        dead, wrong, untried = try_schools(program, pick("schools_on"), o.most)
        for k, v, on in (("dead_choices", dead, "schools_on"), ("wrong_order", wrong, "schools_on"), ("finish_same", same, "finish_on")):
            f[k], bad[k] = len(v) if pick(on) else None, v
    holds = lambda k, w: None if f.get(k) is None else bool(f[k] <= w + 1e-9 if k in AT_MOST else f[k] >= w - 1e-9)
    rows = {k: dict(value=f.get(k), wanted=w, ok=holds(k, w), faults=bad.get(k, [])) for k, w in {**AT_MOST, **AT_LEAST}.items()}
    held, judged = sum(r["ok"] is True for r in rows.values()), sum(r["ok"] is not None for r in rows.values())
    line = (
        f"practice: {held} of {judged} figures as wanted over {len(recipes)} recipes, {len(failed)} failed, {len(program.asked)} area calls"
        + (f", {len(untried)} school choices untried" if untried else "")
    )
    if o.json:
        print(json.dumps({"figures": rows, "failed": failed, "untried": untried, "summary": line}))
    else:
        for k, r in rows.items():
            value, ok = "-" if r["value"] is None else f"{r['value']:.1f}", {None: "", True: "ok", False: "NOT"}[r["ok"]]
            print(f"{k:24}{value:>7}  {'at least' if k in AT_LEAST else 'at most':8} {r['wanted']:<5}{ok}")
            if o.faults and r["ok"] is False:
                print("".join(f"      {x}\n" for x in r["faults"]), end="")
        print("\n".join([*failed, line]))
    sys.exit(0 if held == judged and not failed else 1)


if __name__ == "__main__":
    main()
