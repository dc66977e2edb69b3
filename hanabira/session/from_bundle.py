"""A session on a bundle without a studio of one's own: for the terminal."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from hanabira.core.faults import Fault
from hanabira.session.runner import InlineRunner
from hanabira.session.session import Session
from hanabira.studio.bundle import import_bundle, read_bundle
from hanabira.studio.store import Store


@contextmanager
def session_of(bundle: Path, listener: Callable[[float, str], None] | None = None) -> Iterator[Session]:
    """The bundle's commission, opened in a studio that is gone afterwards. Raises `Fault` for a bundle that cannot be read."""
    with tempfile.TemporaryDirectory(prefix="hanabira-") as folder:
        store = Store.open(Path(folder) / "studio")
        session = Session(store, InlineRunner(listener))
        faults: list[Fault] = []
        session.messages.said.connect(lambda m: faults.append(Fault(m.what, m.kept, m.do)) if m.kind == "fault" else None)
        try:
            session.pace_given = read_bundle(bundle).pace
            session.open_commission(import_bundle(store, bundle).commission.id)
            if faults:
                raise faults[0]
            yield session
            if faults:
                raise faults[0]
        finally:
            session.shut()


def measured(session: Session, numbers: tuple[int, ...] = ()) -> tuple[str, ...]:
    """Measure every area with layers, or those of these numbers; the names of areas without layers among them.

    Raises `Fault` for a number that no area has.
    """
    known = {a.number: a for a in session.areas}
    missing = [n for n in numbers if n not in known]
    if missing:
        raise Fault(
            f"There is no area {missing[0]}.", do=f"Use numbers of {', '.join(map(str, sorted(known)))}." if known else "Draw areas first."
        )
    chosen = [known[n] for n in numbers] if numbers else list(session.areas)
    for a in chosen:
        if session.recipe_layers(a.id):
            session.want_measures(a.id)
    return tuple(a.name for a in chosen if not session.recipe_layers(a.id))
