"""The price of a commission in words."""

from __future__ import annotations

from typing import TYPE_CHECKING

from hanabira.session.words import sum_words

if TYPE_CHECKING:
    from hanabira.session.planner import Planned
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
