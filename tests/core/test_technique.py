"""The workshop's rules: every sensible surface, coat, medium, school and paper solves in order, within tooth and near enough."""

import json
import tempfile
import tomllib
import unittest
import zipfile
from dataclasses import replace
from pathlib import Path

import numpy as np
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from hanabira.core.colour.difference import delta_e00
from hanabira.core.colour.spaces import chroma, hue_deg
from hanabira.core.faults import RecipeFault
from hanabira.core.optics.passes import Pass
from hanabira.core.optics.stack import bare, predict
from hanabira.core.solver.advice import ladder, natural_mixes, neutralisers, substitutes, undertones
from hanabira.core.solver.allowed import allowed
from hanabira.core.solver.area import follow
from hanabira.core.solver.layer import BANDS, Layer
from hanabira.core.solver.path import BLACK_C, BLACK_L
from hanabira.craft.own_techniques import as_technique, laid, read_technique
from hanabira.craft.rules import coat_id, coats, marking_rules, school, switches
from hanabira.craft.supplies import paper, papers, shipped_kit, surfaces
from hanabira.craft.whisker_methods import NO_INDENT, whisker_method
from hanabira.demo.pictures import PHOTO
from tests.recipes import plan
from tests.rules import broken
from tests.terminal.test_cli import ask, run
from tests.ways import COATS, MARKINGS, coat_of, craft, makes_sense, one_way

KITS = {name: shipped_kit(name) for name in ("pencils", "pastels")}


def planned(kit_name: str, paper_id: str, coat: str, surface_id: str, chosen: dict, finish: int = 3):
    """The plan of a coat, with its kit and paper."""
    kit, on = KITS[kit_name], paper(paper_id)
    said = craft(surface_id, coat, kit.medium, chosen, finish)
    return kit, on, plan(kit, on, coat_of(coat), said, white_coat=coat in ("white", "cream"))


class Data(unittest.TestCase):
    def test_every_entry_has_its_words_and_every_default_is_a_choice(self):
        for s in surfaces().values():
            self.assertTrue(all(w.endswith(".") for w in (s.why_ground, s.why_general, s.why_gap, s.why_light)), s.id)
            self.assertEqual(
                s.id,
                s.name.lower().replace(", inside", "-inside").replace(" ", "-").replace("fur-", "fur-")
                if s.id not in ("wet", "whisker", "lash")
                else s.id,
            )
            self.assertIn(s.blend, ("soft", "light", "none"))
        for switch in switches().values():
            self.assertTrue(set(switch.default.values()) <= set(switch.choices))
            self.assertTrue(all(why.endswith(".") for why in switch.choices.values()))
        self.assertEqual(len(marking_rules()), 18)
        self.assertEqual((coat_id("Agouti"), coat_id("blue"), coat_id("red")), ("flecked", "grey", "ginger"))
        with self.assertRaises(RecipeFault):
            coat_id("tartan")
        with self.assertRaises(RecipeFault):
            school("pencil", {"lights": "glitter"})


class EveryWay(unittest.TestCase):
    @given(
        st.sampled_from(sorted(surfaces())), st.sampled_from(sorted(COATS)), st.sampled_from(MARKINGS), st.sampled_from(["pencils", "pastels"]),
        st.sampled_from(sorted(papers())), st.fixed_dictionaries({k: st.sampled_from(sorted(s.choices)) for k, s in switches().items()}), st.integers(1, 5),
    )  # fmt: skip
    @settings(max_examples=26, phases=[Phase.generate])
    def test_it_keeps_every_rule(self, surface_id, coat, marking, kit_name, paper_id, chosen, finish):
        """All pairs of these are walked by `benchmarks.every_way`."""
        if not makes_sense(kit_name, paper_id):
            return
        self.assertEqual(one_way(surface_id, coat, marking, kit_name, paper_id, chosen, finish)[1], [])

    def test_a_broken_rule_is_seen(self):
        plan_, _broken = one_way("eye", "brown", "plain", "pencils", "hotpress", {}, 3)
        kit, on, chosen = KITS["pencils"], paper("hotpress"), school("pencil", {})
        blackened = tuple(
            replace(q, code="403", on=(*q.on, "catchlight")) if n == len(plan_.layers) - 1 else q for n, q in enumerate(plan_.layers)
        )
        told = follow(on, kit, blackened, plan_.targets)
        found = broken(replace(plan_, layers=blackened, prediction=told), kit, on, chosen, {"catchlight": 88.0})
        self.assertTrue(any("covers the reserved catchlight" in words for words in found), found)
        late = (*plan_.layers, Layer("reserve", "", 1, 1, "catchlight", "dot", tool="reserve", why="Keep it.", on=("catchlight",)))
        found = broken(replace(plan_, layers=late), kit, on, chosen, {"catchlight": 88.0})
        self.assertIn("what is kept free does not come first", found)
        self.assertIn("the catchlight is said to stay free and is covered", found)
        washed_last = (*plan_.layers[1:], plan_.layers[0])
        self.assertIn("a paler colour over the last black", broken(replace(plan_, layers=washed_last), kit, on, chosen))
        twice = tuple(replace(q, why="The same.") for q in plan_.layers)
        self.assertIn("one reason twice", broken(replace(plan_, layers=twice), kit, on, chosen))

    def test_coat_rules_bind(self):
        """Pencils in the darks and lights of a coat are those its rules allow, or of a hue that was measured there."""
        lab = {p.code: v for p, v in zip(KITS["pencils"], KITS["pencils"].masstone_lab, strict=True)}
        for coat in COATS:
            with self.subTest(coat=coat):
                kit, on, bound = planned("pencils", "hotpress", coat, "short-fur", {})
                rule, general = coats()[coat], bound.targets["general"]
                for place, rules, belongs in (("gap", rule.darks, lambda v: v[0] < 40), ("highlight", rule.lights, lambda v: v[0] > 60)):
                    photo = np.array(coat_of(coat)[place], float)
                    for q in bound.layers:
                        v = lab.get(q.code)
                        if v is None or place not in q.on or not belongs(v):
                            continue
                        measured = float(chroma(photo)) > 5 and abs((float(hue_deg(v)) - float(hue_deg(photo)) + 180) % 360 - 180) <= 40
                        self.assertTrue(bool(allowed(rules, v[None], general)[0]) or measured, (place, q.code, v))

    def test_a_coat_rule_keeps_a_black_out_of_ginger(self):
        kit, on = KITS["pencils"], paper("hotpress")
        values = {**coat_of("ginger"), "gap": (11.0, 2.0, 3.0)}
        blacks = []
        for rules in (True, False):
            said = craft("short-fur", "ginger", kit.medium, {})
            found = plan(kit, on, values, said if rules else replace(said, darks=()))
            dull = [q for q in found.layers if q.code and "gap" in q.on and float(chroma(kit.masstone_lab[kit.index[q.code]])) < BLACK_C]
            blacks.append(sum(kit.masstone_lab[kit.index[q.code]][0] < BLACK_L for q in dull))
        self.assertEqual(blacks[0], 0)
        self.assertGreater(blacks[1], 0)

    def test_a_hidden_hue_is_welcome_under_the_darks(self):
        kit, on = KITS["pencils"], paper("hotpress")
        said = craft("short-fur", "black", kit.medium, {})
        hidden = np.array([20.0, 4.0, -14.0])
        blue = lambda found: sum(  # noqa: E731
            abs((float(hue_deg(kit.masstone_lab[kit.index[q.code]])) - float(hue_deg(hidden)) + 180) % 360 - 180) <= 35
            and float(chroma(kit.masstone_lab[kit.index[q.code]])) >= 8 and kit.masstone_lab[kit.index[q.code]][0] < 45
            for q in found.layers if q.code
        )  # fmt: skip
        without, with_ = (plan(kit, on, coat_of("black"), said, hidden=h) for h in ((), (hidden,)))
        self.assertGreaterEqual(blue(with_), 1)
        self.assertGreaterEqual(blue(with_), blue(without))
        for band in BANDS:
            self.assertLess(with_.prediction.band(band).delta_e00, without.prediction.band(band).delta_e00 + 2.0)

    def test_black_coats_keep_their_lights_even_with_twelve_pencils(self):
        kit, on = KITS["pencils"], paper("hotpress")
        dozen = kit.subset(("401", "405", "407", "411", "104", "237", "233", "225", "223", "311", "321", "112"))
        self.assertEqual(len(dozen), 12)
        rng = np.random.default_rng(12)
        for some, most in ((kit, 3.0), (dozen, 5.0)):
            off = []
            for _ in range(6):
                lean = rng.uniform(-8, 6)
                light, high = rng.uniform(28, 46), rng.uniform(50, 68)
                values = {
                    "gap": (5, 0, 0),
                    "general": (rng.uniform(9, 17), 0, lean / 4),
                    "light": (light, 0, lean),
                    "highlight": (high, 0, lean),
                }
                found = plan(some, on, values, craft("short-fur", "black", kit.medium, {}))
                off += [found.prediction.band(b).delta_e00 for b in ("light", "highlight")]
            self.assertLess(np.median(off), most, some.name)

    def test_stripes_and_their_ground_are_each_met(self):
        off: list[float] = []
        for coat in ("ginger", "fawn", "grey", "cream", "brown", "white"):
            for marking in ("dark", "pale"):
                found, wrong = one_way("short-fur", coat, marking, "pencils", "hotpress", {}, 3)
                self.assertEqual(wrong, [])
                off += [found.prediction.band(b).delta_e00 for b in ("marking", "general")]
        self.assertLess(np.median(off), 2.5)
        self.assertLess(np.percentile(off, 90), 4)

    def test_on_a_mid_toned_card_the_lights_come_last_over_bare_card(self):
        kit = KITS["pencils"]
        for ground in (None, "#8b8b8a"):
            on = paper("sanded", ground)
            card = float(bare(on).lab[0])
            for coat in ("ginger", "grey", "brown"):
                found = plan(kit, on, coat_of(coat), craft("short-fur", coat, kit.medium, {}))
                inked = [(float(kit.masstone_lab[kit.index[q.code]][0]), q) for q in found.layers if q.code]
                lighter = [v > card + 4 for v, _q in inked]
                with self.subTest(ground=ground, coat=coat):
                    self.assertTrue(any(lighter) and not all(lighter))
                    blacks = [v < BLACK_L for v, _q in inked]
                    order = [q for q, black in zip(lighter, blacks, strict=True) if not black]
                    self.assertEqual(order, sorted(order))  # darker than the card first, then the lights
                    for gesture in {q.gesture for _v, q in inked}:  # within what the hand does the lightest comes last
                        lights = [v for (v, q), light in zip(inked, lighter, strict=True) if light and q.gesture == gesture]
                        self.assertEqual(lights, sorted(lights), gesture)
                    # the card is not whitened: no light goes under a dark
                    self.assertFalse(any(light and "gap" in q.on for (_v, q), light in zip(inked, lighter, strict=True)))
                    self.assertLess(np.median([s.delta_e00 for s in found.prediction.bands.values()]), 3)

    def test_what_a_part_keeps_off_is_kept_off(self):
        kit = KITS["pencils"]
        for surface_id, part, kind in (("mouth", "teeth", "darks"), ("bare-skin-and-folds", "ridge", "blacks")):
            found, wrong = one_way(surface_id, "brown", "plain", "pencils", "hotpress", {}, 3)
            self.assertEqual(wrong, [])
            for q in found.layers:
                if q.code and part in q.on:
                    v = kit.masstone_lab[kit.index[q.code]]
                    self.assertGreater(v[0], 20 if kind == "darks" else BLACK_L if float(chroma(v)) < BLACK_C else 0, (surface_id, q))

    def test_it_is_near_enough(self):
        """A fixed walk through coats, papers and schools; out-of-reach colours are mapped to the paper first."""
        de, rng = [], np.random.default_rng(4)
        for kit_name, ids in (("pencils", ("bristol", "hotpress", "vellum")), ("pastels", ("sanded", "vellum", "blackcard"))):
            for k, coat in enumerate(COATS):
                key = sorted(switches())[int(rng.integers(len(switches())))]
                chosen = {key: sorted(switches()[key].choices)[int(rng.integers(len(switches()[key].choices)))]}
                found = planned(kit_name, ids[k % 3], coat, sorted(surfaces())[int(rng.integers(29))], chosen)[2]
                de += [found.prediction.band(b).delta_e00 for b in BANDS]
        self.assertLessEqual(np.median(de), 2.0)
        self.assertLessEqual(np.percentile(de, 95), 5.0)

    def test_a_looser_finish_takes_no_more_pencils(self):
        count = [len({q.code for q in planned("pencils", "hotpress", "ginger", "short-fur", {}, n)[2].layers}) for n in (1, 5)]
        self.assertLessEqual(count[0], count[1])


class AdviceOnPencils(unittest.TestCase):
    kit, on = KITS["pencils"], paper("hotpress")

    def test_a_ladder_goes_down_in_one_hue(self):
        for hue in (65.0, 270.0):
            rungs = ladder(self.kit, hue)
            lab = np.array([self.kit.masstone_lab[self.kit.index[c]] for c in rungs])
            self.assertGreater(len(rungs), 3)
            self.assertTrue((np.diff(lab[:, 0]) < 0).all())
            self.assertLessEqual(np.abs((np.asarray(hue_deg(lab)) - hue + 180) % 360 - 180).max(), 28)

    def test_a_neutraliser_dulls_without_mud(self):
        bright = max(self.kit, key=lambda p: float(chroma(p.lab))).code
        before = predict(self.on, self.kit, [Pass(bright, 3)])[-1].lab
        found = neutralisers(self.on, self.kit, bright)
        self.assertTrue(found)
        for a in found:
            after = predict(self.on, self.kit, list(a.layers))[-1].lab
            np.testing.assert_allclose(after, a.lab, atol=0.05)
            self.assertLess(float(chroma(after)), 0.7 * float(chroma(before)))
            self.assertLess(abs(after[0] - before[0]), 9)

    def test_two_dull_ones_and_substitutes_are_what_they_say(self):
        target = np.array((58, 16, 14.0))
        for a in natural_mixes(self.on, self.kit, target):
            lab = predict(self.on, self.kit, list(a.layers))[-1].lab
            self.assertAlmostEqual(float(delta_e00(lab, target)), a.figure, delta=0.1)
        worst = max(self.kit, key=lambda p: p.lightfast)
        true = predict(self.on, self.kit, [Pass(worst.code, 3)])[-1].lab
        for a in substitutes(self.on, self.kit, worst.code, 3, 2):
            self.assertNotIn(worst.code, a.codes)
            self.assertTrue(all(self.kit.get(c).lightfast <= 2 for c in a.codes))
            self.assertAlmostEqual(float(delta_e00(predict(self.on, self.kit, list(a.layers))[-1].lab, true)), a.figure, delta=0.1)
        self.assertTrue(undertones(self.kit, [(20, 3, -14)], None))

    def test_whisker_methods_suit_paper_and_ground(self):
        for paper_id in papers():
            for lights in switches()["lights"].choices:
                method, warning = whisker_method(paper_id, "pencil", lights, 30, 90)
                self.assertFalse(method.id == "indent" and paper_id in NO_INDENT)
                self.assertEqual(warning, "")
        self.assertEqual(whisker_method("hotpress", "pencil", "reserved", 80, 30)[0].id, "dark pencil")
        self.assertEqual(whisker_method("hotpress", "pencil", "indent", 40, 90, solvent=True)[0].id, "lift")
        self.assertEqual(whisker_method("sanded", "pastel", "reserved", 40, 90)[0].id, "opaque")
        self.assertIn("cannot show", whisker_method("hotpress", "pencil", "reserved", 92, 96)[1])


class OwnTechniques(unittest.TestCase):
    def test_written_read_and_laid_with_another_kit(self):
        kit, on, plan_ = planned("pencils", "hotpress", "brown", "short-fur", {"lights": "indent"})
        layers, targets = (*plan_.layers[:-1], replace(plan_.layers[-1], laid="sharp")), plan_.targets
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "mine.toml"
            path.write_text(as_technique(layers, "Otter “brown”", "short-fur"), encoding="utf-8")
            self.assertEqual(tomllib.loads(path.read_text())["name"], "Otter “brown”")
            found = read_technique(path)
            self.assertEqual(found.layers, tuple(Layer(**{**q.__dict__, "locked": False}) for q in layers))
            gone = next(q.code for q in layers if q.code)
            fewer = kit.subset([p.code for p in kit if p.code != gone])
            other, missing = laid(found, fewer, on, targets)
            self.assertEqual(missing, (gone,))
            self.assertTrue(all(q.code in fewer.index for q in other if q.code))
            self.assertEqual([q.where for q in other], [q.where for q in layers])
            for text in (
                "",
                "name = 3\n[[layer]]\nwhere = 'nowhere'",
                "[[layer]]\ntool = 'laser'",
                "[[layer]]\npressure = 9\npencil = 'x'",
                "not toml",
                "[[layer]]\npencil = 'x'\npressure = 2\npasses = 1\nlaid = 'hammered'",
            ):
                path.write_text(text)
                with self.assertRaises(RecipeFault):
                    read_technique(path)


class Terminal(unittest.TestCase):
    def test_an_area_from_photo_to_layers(self):
        d = ask("area", str(PHOTO), "--rect", "800,1120,220,160", "--surface", "short-fur", "--school", "lights=indent", "--finish", "4")
        self.assertEqual(set(d) >= {"measures", "layers", "result", "cautions", "pencils"}, True)
        self.assertEqual(
            set(d["layers"][0]),
            {"role", "tool", "pencil", "name", "pressure", "passes", "stroke", "length_mm", "spacing_mm", "direction_deg", "where", "target_lab", "lab_after", "tooth_left", "why", "covers", "states", "gesture", "run_mm", "coverage", "laid"},
        )  # fmt: skip
        self.assertIn("indent", [q["tool"] for q in d["layers"][:2]])
        self.assertEqual(set(d["result"]), set(BANDS))
        for q in d["layers"]:
            self.assertEqual(set(q["states"]), set(q["covers"]))
            self.assertTrue(q["covers"] and set(q["covers"]) <= {*d["places"], *d["result"]})
        self.assertEqual(d["school_effect"]["lights"], "acts")
        bare = ask("area", str(PHOTO), "--rect", "800,1120,220,160", "--surface", "short-fur", "--school", "lights=indent", "--tools", "stump,tape")
        self.assertIn("the stylus is not in your drawer", bare["school_effect"]["lights"])
        self.assertNotIn("indent", [q["tool"] for q in bare["layers"]])
        whole = d["places"].values()
        self.assertAlmostEqual(sum(p["share"] for p in whole), 1, delta=0.01)
        t = ask("techniques")
        self.assertTrue({"blender", "tape"} <= {q["id"] for q in t["tools"]})
        self.assertTrue({"short-fur", "contour-feathers", "eye", "nose"} <= {q["id"] for q in t["surfaces"]})
        self.assertTrue({"black", "stripes"} <= {q["id"] for q in t["coats"]} | {q["id"] for q in t["markings"]})

    def test_faults_are_one_line(self):
        for more in (
            ("--surface", "velvet"),
            ("--surface", "short-fur", "--coat", "tartan"),
            ("--surface", "eye", "--school", "lights"),
            ("--surface", "eye", "--finish", "9"),
            ("--surface", "eye", "--tools", "hammer"),
        ):
            code, _out, err = run("area", str(PHOTO), "--rect", "800,1120,220,160", *more)
            self.assertEqual((code, len(err.strip().splitlines())), (2, 1), more)


class Files(unittest.TestCase):
    def test_openraster_has_its_parts_in_order(self):
        from PIL import Image

        from hanabira.studio.openraster import RasterLayer, write_openraster

        with tempfile.TemporaryDirectory() as folder:
            base, over = np.full((40, 60, 3), 90, np.uint8), np.zeros((40, 60, 4), np.uint8)
            over[10:20, 10:20] = (255, 255, 255, 255)
            path = write_openraster(Path(folder) / "x.ora", [RasterLayer("lines", over), RasterLayer("photo", base)])
            with zipfile.ZipFile(path) as z:
                first = z.infolist()[0]
                self.assertEqual(
                    (first.filename, first.compress_type, z.read("mimetype")), ("mimetype", zipfile.ZIP_STORED, b"image/openraster")
                )
                self.assertLess(z.read("stack.xml").index(b'name="lines"'), z.read("stack.xml").index(b'name="photo"'))
                with z.open("mergedimage.png") as f, Image.open(f) as image:
                    self.assertEqual(
                        (image.size, image.getpixel((15, 15)), image.getpixel((40, 30))), ((60, 40), (255, 255, 255), (90, 90, 90))
                    )

    def test_json_text_is_plain(self):
        from hanabira.craft.recipe_data import recipes_csv

        row = {c: "x" for c in ("role", "tool", "pencil", "name", "stroke", "where", "why")} | {
            "pressure": 2, "passes": 1, "length_mm": None, "spacing_mm": 0.5, "direction_deg": None, "target_lab": [1, 2, 3], "lab_after": [4, 5, 6], "tooth_left": 0.4, "covers": ["gap", "light"], "gesture": "wash", "run_mm": 4.5, "coverage": 1.0, "laid": None,
        }  # fmt: skip
        text = recipes_csv([{"number": 1, "name": 'A "b", c', "surface": "eye", "layers": [row]}])
        self.assertEqual(len(text.strip().splitlines()), 2)
        self.assertIn("1 2 3", text)
        self.assertIn("gap;light", text)
        self.assertTrue(json.dumps(row))
