"""The quote's page for a commission."""

from __future__ import annotations

import datetime
from dataclasses import replace
from typing import TYPE_CHECKING

from hanabira.core.area.covering import WHOLE, Covering
from hanabira.session.commission_sheets import medium_line, order_facts, sheet_picture
from hanabira.session.dates import day_words
from hanabira.session.sender import sender
from hanabira.session.words import sum_words
from hanabira.sheets.quote import Quote, QuotedWork

if TYPE_CHECKING:
    from hanabira.session.planner import Planned
    from hanabira.session.session import Session


def not_counted(found: Covering) -> list[str]:
    """What a client must be told of the areas that a price counts.

    >>> not_counted(Covering(12, 12))
    ['This price counts the areas above. How much of the animal they cover has not been measured.']
    """
    without = found.areas - found.solved
    few = [f"{without} of {found.areas} areas {'are' if without > 1 else 'is'} only estimated so far: with their recipes the range becomes narrower."] if without else []
    if found.drawn is None:
        return ["This price counts the areas above. How much of the animal they cover has not been measured.", *few]
    if found.drawn < WHOLE:
        return [f"Not everything is in this price: {found.drawn:.0%} of the animal lies under the areas above.", *few]
    return few


def quote_of(session: Session, plan: Planned) -> Quote:
    """The quote's page: where the hours go, what they cost, and what is not counted."""
    c, sign = session.commission, session.settings.get("currency")
    assert c is not None
    told = plan.whole.quote()
    (low, high), (d_low, d_high), each = told["price"], told["deposit"], told["instalments"]
    parts, round_them = [], QuotedWork("Lines, seams and looks between the layers", 0.0, 0.0)
    for a in sorted(plan.work, key=lambda a: a.number):
        mine = [s for s in plan.ordered.steps if s.area is not None and s.area.id == a.id]
        parts.append(QuotedWork(a.name, sum(s.low for s in mine) / 60, sum(s.high for s in mine) / 60))
    parts += [QuotedWork(f"{s.area.name} (estimated)", s.low / 60, s.high / 60) for s in plan.whole.estimates() if s.area is not None]
    rest = [s for s in plan.ordered.steps if s.area is None]
    if sum(s.high for s in rest) > 0:
        parts.append(replace(round_them, low=sum(s.low for s in rest) / 60, high=sum(s.high for s in rest) / 60))
    hours = told["hours"]
    sums, payment = [], []
    if c.terms.rate > 0:
        worked = sum_words(c.terms.rate * hours[0], c.terms.rate * hours[1], sign)
        sums.append((f"{hours[0]:.1f}–{hours[1]:.1f} h at {sum_words(c.terms.rate, sign=sign)} an hour", worked))
        if c.terms.materials > 0:
            sums.append(("Materials", sum_words(c.terms.materials, sign=sign)))
        sums.append(("Together", sum_words(low, high, sign)))
        if d_high > 0:
            payment.append((f"Deposit, {c.terms.deposit_percent:g} %", sum_words(d_low, d_high, sign)))
        n = each["count"]
        for k in range(n):
            payment.append((f"Instalment {k + 1} of {n}" if n > 1 else "On delivery", sum_words(each["each"][0], each["each"][1], sign)))
    else:
        sums.append(("No rate an hour is agreed yet", "open"))
    left_out = not_counted(session.planner.covering())
    left_out.append("What is changed after this day is agreed anew, with its time and price.")
    facts = [q for q in order_facts(session) if q[0] not in ("School", "Likeness")]
    facts.append(("Ready", day_words(datetime.date.fromisoformat(c.due)) if c.due else "to be agreed"))
    return Quote(
        c.name, medium_line(session), facts, parts=parts, hours=f"{hours[0]:.1f}–{hours[1]:.1f} h", sums=sums, payment=payment, left_out=left_out,
        picture=sheet_picture(session), client=c.client, day=day_words(session.clock.today()), sender=sender(session.settings),
        page=session.settings.get("card_paper"),
    )  # fmt: skip
