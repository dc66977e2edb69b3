"""The price of a commission in words."""

from __future__ import annotations

from typing import TYPE_CHECKING

from hanabira.session.dates import day_words
from hanabira.session.words import sum_words

if TYPE_CHECKING:
    from hanabira.session.planner import FirstPlan, Planned
    from hanabira.session.session import Session


def price_words(session: Session, plan: Planned) -> tuple[str, str]:
    """The price as a range, and deposit with instalments."""
    c = session.commission
    assert c is not None
    q = plan.whole.quote()
    (low, high), (d_low, d_high), each = q["price"], q["deposit"], q["instalments"]
    sign = session.settings.get("currency")
    price = sum_words(low, high, sign)
    n = each["count"]
    parts = f"in {n} instalments of {sum_words(each['each'][0], each['each'][1], sign)}" if n > 1 else "in one sum at the end"
    return price, f"{sum_words(d_low, d_high, sign)} as deposit, the rest {parts}"


def first_words(session: Session, plan: FirstPlan) -> tuple[str, str, str]:
    """Hours and price of a first plan; when it is ready; how that lies to the due date. The last is empty without one, the second where no day is a working day."""
    low, high = plan.hours
    hours = f"{low:.0f}–{high:.0f}\u2009h"
    if plan.whole.commission.terms.rate > 0:
        cheap, dear = plan.whole.quote()["price"]
        hours += f" · {sum_words(cheap, dear, session.settings.get('currency'))}"
    ready = f"ready about {day_words(plan.ready)}" if plan.ready is not None else ""
    days = plan.slack_days
    if days is None:
        return hours, ready, ""
    many = f"{abs(days)} day{'' if abs(days) == 1 else 's'}"
    return hours, ready, "on the day it is due" if days == 0 else f"{many} before it is due" if days > 0 else f"{many} late"


def rests_on(session: Session, plan: FirstPlan) -> tuple[str, ...]:
    """What the hours of a first plan rest on, the surest first."""
    c, whole = session.commission, plan.whole
    assert c is not None
    w, h = c.picture_mm
    everything = (*whole.work, *whole.unsolved)
    share = sum(a.mm2 for a in everything) / (w * h)
    n, solved = len(everything), len(whole.work)
    recipes = "all of them have a recipe" if solved == n else f"{solved} of {n} have a recipe, the others are estimated" if solved else "no recipe yet: recipes narrow the range"
    pace = f"your pace from {whole.pace.logged} logged areas, {whole.pace.overall:.1f} × our guess" if whole.pace.logged else "our guess of a pace: nothing is logged yet"
    return (
        f"{share:.0%} of {w:.0f} × {h:.0f} mm lies under areas", f"{n} area{'' if n == 1 else 's'}, each counted by its surface, size and finish", recipes, pace,
    )
