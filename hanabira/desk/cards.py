"""Parts of the bench card that several stages show."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QLineEdit, QWidget

from hanabira.core.colour import spaces
from hanabira.core.faults import Fault
from hanabira.craft.rules import switches
from hanabira.desk.controls import Caption, Choice, Pick, Words, label, row
from hanabira.desk.theme import u
from hanabira.desk.widgets.bars import Bar, HourBars
from hanabira.session import price as prices
from hanabira.session.edits import EditBrief
from hanabira.studio import account

if TYPE_CHECKING:
    from hanabira.session.session import Session
    from hanabira.studio.records import LogRow

PHOTO_PARTS = (
    ("main", "the portrait"),
    ("eye", "eye in detail"),
    ("colour", "true coat colour"),
    ("pose", "pose"),
    ("detail", "other detail"),
)
"""What a photo can be for, in words."""


def school_parts(session: Session, title: str) -> list:
    """Every switch of the school with its choice and the reason for it; a change is one edit."""
    given = dict(session.commission.school) if session.commission else {}
    out: list = [Caption(title)]
    for key, switch in switches().items():
        now = session.workshop.school[key]
        choice = Choice()
        choice.setAccessibleName(switch.name)
        for name in switch.choices:
            choice.addItem(name.replace("-", " "), name)
        choice.setCurrentIndex(choice.findData(now))

        def choose(_i: int, key: str = key, choice: Choice = choice) -> None:
            chosen = {**given, key: choice.currentData()}
            own = tuple((k, v) for k, v in chosen.items() if v != switches()[k].default.get(session.kit.medium))
            session.do(EditBrief(session, "school", school=own))

        choice.activated.connect(choose)
        out += [row(label(switch.name), None, choice), Words(switch.choices[now])]
    return out


def hex_field(name: str, value: str, changed: Callable[[str], object], session: Session) -> QLineEdit:
    """A field for a colour as six digits; what is no colour is said and put back."""
    q = QLineEdit(value)
    q.setAccessibleName(name)
    q.setMaxLength(7)
    q.setFixedWidth(u(96))

    def done() -> None:
        text = q.text().strip().lower()
        text = text if text.startswith("#") else f"#{text}"
        try:
            spaces.parse_hex(text)
        except Fault as fault:
            session.messages.fault(fault)
            q.setText(value)
            return
        if text != value:
            changed(text)

    q.editingFinished.connect(done)
    return q


def backdrop_parts(session: Session) -> list:
    """What stands behind the animal on the portrait: the paper, one colour, or two that fade."""
    c = session.commission
    assert c is not None
    parts: list = []
    parts.append(Caption("Backdrop of the portrait"))
    kind = "paper" if c.backdrop == "paper" else "fade" if len(c.backdrop.split()) > 1 else "colour"
    pick = Pick("Backdrop", (("paper", "Paper"), ("colour", "One colour"), ("fade", "Fading")), kind)
    top, foot = c.backdrop_hexes

    def put(value: str) -> None:
        session.do(EditBrief(session, "backdrop", backdrop=value))

    pick.picked.connect(lambda key: put({"paper": "paper", "colour": top, "fade": f"{top} {foot if foot != top else '#5f6662'}"}[key]))
    parts.append(pick)
    if kind == "colour":
        parts.append(row(label("Colour"), hex_field("Backdrop colour", top, put, session), None))
    elif kind == "fade":
        parts.append(
            row(
                label("Top"),
                hex_field("Backdrop at the top", top, lambda v: put(f"{v} {foot}"), session),
                label("Foot"),
                hex_field("Backdrop at the foot", foot, lambda v: put(f"{top} {v}"), session),
                None,
            )
        )
    return parts


def first_plan_parts(session: Session) -> list[QWidget]:
    """Hours, price and day of everything that is drawn or proposed, and what they rest on; nothing while there is neither."""
    plan = session.planner.first_plan()
    if plan is None:
        return []
    hours, ready, lies = prices.first_words(session, plan)
    out: list[QWidget] = [Caption("First plan" if plan.whole.first else "The whole plan"), Words(hours, "name", "ink")]
    out += [Words(f"{ready}{', ' + lies if lies else ''}", "body", "ink")] if ready else []
    if plan.whole.commission.terms.rate <= 0:
        out.append(Words("Give a rate an hour in Brief to see the price."))
    if plan.whole.first_words:
        out.append(Words(f"{plan.whole.first_words}."))
    out.append(Words(f"It rests on: {'; '.join(prices.rests_on(session, plan))}."))
    return out


def hour_bars(session: Session, log: tuple[LogRow, ...]) -> list[QWidget]:
    """Hours by area and by day against the plan."""
    plan, first = session.planner.planned(), session.logbook.first_plan()
    if plan is None:
        return [Words("No plan yet.")]
    areas = [
        Bar(
            f"{a.number} {a.name}, {a.done} of {a.steps} done", a.taken, a.low, a.high,
            f"{a.taken / 60:.1f} h of {a.low / 60:.1f}–{a.high / 60:.1f} h",
        )
        for a in account.by_area(plan.ordered.steps, log, first)
    ]  # fmt: skip
    out: list[QWidget] = [Caption("By area: filled is taken, the frame is planned"), HourBars("Hours by area", areas)]
    days = account.by_day(first.days, log) if first is not None else ()
    if days:
        bars = [
            Bar(f"{d.day:%a} {d.day.day} {d.day:%b}", d.taken, d.planned, d.planned, f"{d.taken / 60:.1f} h of {d.planned / 60:.1f} h")
            for d in days[-14:]
        ]
        out += [Caption("By day: the mark is what was planned at the start"), HourBars("Hours by day", bars)]
    return out


def wear_words(session: Session) -> list[QWidget]:
    """Wear of each pencil, with what to reorder."""
    out: list[QWidget] = []
    for w in session.logbook.wear():
        parts = [f"{mm:.1f} mm {what}" for mm, what in ((w.worn_mm, "worn"), (w.coming_mm, "to come")) if mm >= 0.05]
        line = f"{w.code} {w.name}: {', '.join(parts) or 'next to nothing'}."
        if w.short:
            line += f" {w.left_mm:.0f} mm are left in the barrel: reorder it{'' if w.worn_mm else ' before you start'}."
        out.append(Words(line, "small", "ink" if w.short else "ink2"))
    return out or [Words("No pencils yet.")]
