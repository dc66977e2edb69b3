"""The kits of a studio: its own records, and those that ship until they are edited for the first time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from hanabira.core.faults import Fault
from hanabira.craft import kitfile
from hanabira.craft.supplies import KITS, shipped_kit
from hanabira.studio.records import StudioKit, new_id

if TYPE_CHECKING:
    from hanabira.studio.store import Store


def shipped_record(key: str) -> StudioKit | None:
    """A kit that ships, as the record it becomes with the first edit; None for an id that does not ship."""
    if key not in KITS:
        return None
    kit = shipped_kit(key)
    return StudioKit(key, kit.name, kitfile.kit_csv(kit))


def kit_record(store: Store, key: str) -> StudioKit | None:
    """The studio's record of a kit, else the one that ships; None where neither is."""
    return store.get(StudioKit, key) or shipped_record(key)


def same(a: StudioKit, b: StudioKit) -> bool:
    """Whether two kits have the same pencils, facts and swatches, however their files are written."""
    return _plain(a) == _plain(b)


def _plain(k: StudioKit) -> tuple[str, Sequence[str]]:
    try:
        pencils = kitfile.kit_csv(kitfile.parse_csv(k.pencils, k.name))
    except Fault:
        pencils = k.pencils
    return pencils, k.swatches.split()


def joining(store: Store, theirs: StudioKit, whose: str) -> tuple[StudioKit, bool]:
    """The kit that a commission from elsewhere is worked with here, and whether it is new in this studio.

    A kit that the studio has, under whatever id, is that one. One that differs from the studio's of the same id comes
    in under an id and a name of its own, so that neither replaces the other.
    """
    mine = kit_record(store, theirs.id)
    if mine is not None and same(mine, theirs):
        return mine, False
    everything = store.all(StudioKit)
    twin = next((k for k in everything if same(k, theirs)), None)
    if twin is not None:
        return twin, False
    names = {k.name for k in everything} | {name for name, _file in KITS.values()}
    taken = mine is not None or theirs.id in store.keys(StudioKit)
    name = theirs.name if not taken and theirs.name not in names else f"{theirs.name} (with {whose})"
    n = 2
    while name in names:
        name, n = f"{theirs.name} (with {whose}, {n})", n + 1
    return replace(theirs, id=new_id() if taken else theirs.id, name=name), True
