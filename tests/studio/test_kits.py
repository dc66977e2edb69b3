"""Kits that come with a commission from elsewhere: known again, taken in beside the studio's own, never over it."""

import unittest
from dataclasses import replace

from hanabira.craft.kitfile import kit_csv
from hanabira.craft.supplies import KITS, shipped_kit
from hanabira.studio.kits import joining, kit_record, same, shipped_record
from hanabira.studio.records import StudioKit
from tests.studio.case import StoreCase

SOME = kit_csv(shipped_kit().subset([p.code for p in shipped_kit()][:6]))
OTHER = kit_csv(shipped_kit().subset([p.code for p in shipped_kit()][6:14]))


class Kits(StoreCase):
    def test_a_shipped_kit_is_there_before_it_is_edited_and_its_record_wins_after(self):
        for key in KITS:
            self.assertEqual(kit_record(self.store, key), shipped_record(key))
        self.assertIsNone(kit_record(self.store, "nobody"))
        self.assertIsNone(shipped_record("nobody"))
        mine = replace(shipped_record("pencils"), pencils=SOME)
        self.store.edit([mine])
        self.assertEqual(kit_record(self.store, "pencils"), mine)

    def test_the_same_pencils_are_the_same_kit_however_the_file_is_written(self):
        a = StudioKit("a", "A", SOME)
        lines = SOME.splitlines()
        self.assertTrue(same(a, StudioKit("b", "B", "\r\n".join(lines) + "\r\n")))
        self.assertFalse(same(a, StudioKit("b", "B", "\n".join(lines[:-1]))))
        self.assertFalse(same(a, StudioKit("b", "B", SOME, swatches="stack,ground,L,a,b\n203:1:1,white,50,0,0\n")))
        broken = StudioKit("b", "B", "no kit at all")
        self.assertFalse(same(a, broken))
        self.assertTrue(same(broken, replace(broken, id="c")))

    def test_a_kit_that_is_known_is_that_one_under_whatever_id(self):
        theirs = StudioKit("theirs", "Oda’s tin", SOME)
        got, fresh = joining(self.store, theirs, "Tansy")
        self.assertEqual((got, fresh), (theirs, True))
        self.store.edit([got])
        self.assertEqual(joining(self.store, replace(theirs, id="again", name="Else"), "Moss"), (theirs, False))
        self.assertEqual(joining(self.store, replace(shipped_record("pencils"), name="Else"), "Moss"), (shipped_record("pencils"), False))

    def test_one_that_differs_comes_in_beside_mine_under_a_name_of_its_own(self):
        mine = StudioKit("tin", "My tin", SOME)
        self.store.edit([mine])
        names = {"My tin"}
        for pencils in (OTHER, kit_csv(shipped_kit().subset(["401", "104", "207"])), kit_csv(shipped_kit().subset(["209", "231"]))):
            got, fresh = joining(self.store, StudioKit("tin", "My tin", pencils), "Moss")
            self.assertTrue(fresh)
            self.assertNotEqual(got.id, "tin")
            self.assertNotIn(got.name, names)
            self.assertTrue(got.name.startswith("My tin (with Moss"), got.name)
            self.assertEqual(got.pencils, pencils)
            self.store.edit([got])
            names.add(got.name)
        self.assertEqual(self.store.get(StudioKit, "tin"), mine)

    def test_a_name_that_a_shipped_kit_bears_is_not_borne_twice(self):
        shipped = next(iter(KITS.values()))[0]
        got, _fresh = joining(self.store, StudioKit("x", shipped, OTHER), "Moss")
        self.assertEqual((got.id, got.name), ("x", f"{shipped} (with Moss)"))


if __name__ == "__main__":
    unittest.main()
