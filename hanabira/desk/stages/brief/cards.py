"""The brief's further cards: photos wanted and got with the permission to use them; and what was agreed, with the quote."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QCheckBox, QLabel, QLineEdit, QWidget

from hanabira.desk.cards import PHOTO_PARTS, backdrop_parts, first_plan_parts, school_parts
from hanabira.desk.controls import Caption, Number, PetalButton, Pick, Words, act_button, form, label, row
from hanabira.desk.images import to_image
from hanabira.desk.theme import u
from hanabira.session import easel
from hanabira.session import price as prices
from hanabira.session import sender as senders
from hanabira.session import words as session_words
from hanabira.studio import account

if TYPE_CHECKING:
    import numpy as np

    from hanabira.desk.stages.brief.stage import BriefStage
    from hanabira.session.planner import Planned


def _check(words: str, on: bool, changed: Callable[[bool], object]) -> QCheckBox:
    q = QCheckBox(words)
    q.setAccessibleName(words)
    with QSignalBlocker(q):
        q.setChecked(on)
    q.toggled.connect(changed)
    return q


def _picture(mark: np.ndarray) -> QLabel:
    """The studio's mark as it will be printed, on white."""
    q = QLabel()
    q.setAccessibleName("The studio’s mark")
    shown = QPixmap.fromImage(to_image(mark))
    q.setPixmap(shown.scaled(u(96), u(28), Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation))
    return q


def _line(s: BriefStage, key: str, words: str, value: str) -> QLineEdit:
    """A field of the terms; typing in it is one edit."""
    q = QLineEdit(value)
    q.setAccessibleName(words)
    q.setMaxLength(200)
    q.textEdited.connect(lambda v: s.session.planner.set_terms(words.lower(), True, **{key: v}))
    return q


def _number(s: BriefStage, name: str, value: float, low: float, high: float, step: float, unit: str, key: str, decimals: int) -> Number:
    q = Number()
    q.setAccessibleName(name)
    q.setRange(low, high)
    q.setSingleStep(step)
    q.setDecimals(decimals)
    if unit:
        q.setSuffix(f"\u2009{unit}")
    q.setKeyboardTracking(False)
    q.setValue(value)
    q.valueChanged.connect(lambda v: s.session.planner.set_terms(name.lower(), True, **{key: int(v) if key == "instalments" else v}))
    return q


def photos(s: BriefStage) -> list:
    """What photos were asked of the client, which came, and whether they may be used."""
    c, got = s.session.commission, s.session.photos
    assert c is not None
    t = c.terms
    out: list = [Caption("Photos to ask the client for")]
    missing = []
    for part, words in PHOTO_PARTS:
        there = [p.original_name for p in got if p.part == part]
        wanted = part in t.wanted

        def change(on: bool, part: str = part) -> None:
            kept = tuple(p for p, _w in PHOTO_PARTS if (p in t.wanted or p == part) and (on or p != part))
            s.session.planner.set_terms("photos wanted", wanted=kept)

        state = f"got {', '.join(there)}" if there else "missing" if wanted else "not asked for"
        out += [_check(f"{words[:1].upper()}{words[1:]}", wanted, change), Words(state, "small", "ink" if wanted and not there else "ink2")]
        if wanted and not there:
            missing.append(words)
    out.append(Words(f"Still to ask for: {', '.join(missing)}." if missing else "Every photo that was asked for is here.", "body", "ink"))
    add = PetalButton("Add a photo", "photo", tip="Take a picture file into the studio (Ctrl+O)")
    add.clicked.connect(s.desk.ask_photo)
    out.append(row(add, None))
    if len(got) > 1:
        out.append(Words("What each photo is for is set in Study."))
    out += [
        Caption("Permission"),
        _check(
            "The owner allows their use",
            t.photo_permission,
            lambda on: s.session.planner.set_terms("photo permission", photo_permission=on),
        ),
        Words("A photograph belongs to who took it. Ask before the portrait is begun or shown."),
        Caption("In the picture or left out"),
        row(label("Accessories"), _line(s, "accessories", "Accessories", t.accessories)),
    ]
    return out


def agreement(s: BriefStage) -> list:
    """Hand, school, delivery and money; the quote follows from the recipes."""
    session, planner = s.session, s.session.planner
    c, plan = session.commission, planner.planned()
    assert c is not None
    t = c.terms
    hand = Pick("Drawing hand", (("right", "Right hand"), ("left", "Left hand")), t.hand)
    hand.picked.connect(lambda key: planner.set_terms("hand", hand=key))
    currency = QLineEdit(session.settings.get("currency"))
    currency.setAccessibleName("Currency of the studio")
    currency.setMaxLength(8)
    currency.setPlaceholderText("sign or word")
    currency.textEdited.connect(lambda v: session.settings.set("currency", v.strip()))
    currency.editingFinished.connect(s.refresh)
    studio = QLineEdit(session.settings.get("studio_name"))
    studio.setAccessibleName("Name of the studio")
    studio.setMaxLength(60)
    studio.setPlaceholderText("at the foot of printed sheets")
    studio.textEdited.connect(lambda v: session.settings.set("studio_name", v.strip()))
    unit = session.settings.get("currency")
    sums = form()
    sums.addRow(label("Rate an hour"), _number(s, "Rate an hour", t.rate, 0, 10_000, 1, unit, "rate", 2))
    sums.addRow(label("Materials"), _number(s, "Materials", t.materials, 0, 100_000, 1, unit, "materials", 2))
    sums.addRow(label("Deposit"), _number(s, "Deposit", t.deposit_percent, 0, 100, 5, "%", "deposit_percent", 0))
    sums.addRow(label("Instalments"), _number(s, "Instalments", t.instalments, 1, 12, 1, "", "instalments", 0))
    sums.addRow(label("Currency"), currency)
    out: list = [Caption("Price"), *_quote(s, plan), sums, *_materials(s)]
    sheet = PetalButton("Approval sheet", "sheet", tip="Crop, backdrop, colours, date and price on one page for the client")
    sheet.clicked.connect(lambda _=False: s.desk.records.approval())
    name = form()
    name.addRow(label("Studio"), studio)
    stands = senders.mark_pixels(session.settings.get("studio_mark"))
    has = stands is not None
    mark = act_button(
        "Change it" if has else "Add a mark",
        "swap" if has else "add",
        s.desk.records.choose_mark,
        "A drawing or a stamp of yours beside the name",
    )
    no_mark = act_button("Remove it", "crumple", s.desk.records.remove_mark, "The file you chose stays where it is")
    name.addRow(label("Mark"), row(*([_picture(stands), mark, no_mark] if has else [mark]), None))
    quote = PetalButton("Quote", "sheet", tip="What is ordered, where the hours go and what they cost, on one page for the client")
    quote.clicked.connect(lambda _=False: s.desk.records.quote())
    out += [Caption("For the client"), name, row(sheet, quote, None)]
    out += [
        Caption("How and where"),
        hand,
        row(label("Delivery"), _line(s, "delivery", "Delivery", t.delivery)),
    ]
    if c.delivered:
        back = PetalButton("Not delivered after all", "back")
        back.clicked.connect(lambda _=False: easel.deliver(s.session, ""))
        out.append(row(back, None))
    out += backdrop_parts(s.session)
    out += school_parts(session, "School: where practitioners differ")
    return out


def _quote(s: BriefStage, plan: Planned | None) -> list[QWidget]:
    c = s.session.commission
    if plan is None:
        return first_plan_parts(s.session) or [Words("The price follows from the hours, and the hours from the areas. Part the animal in Areas first.")]
    q = plan.whole.quote()
    out: list[QWidget] = []
    if c.terms.rate > 0:
        price, parts = prices.price_words(s.session, plan)
        out.append(Words(f"{price} for {q['hours'][0]:.0f}–{q['hours'][1]:.0f} hours", "name", "ink"))
        out.append(Words(f"{parts[:1].upper()}{parts[1:]}."))
    else:
        out.append(Words(f"{q['hours'][0]:.0f}–{q['hours'][1]:.0f} hours", "name", "ink"))
        out.append(Words("Give a rate an hour to see the price."))
    told = s.session.planner.covering().words
    if told:
        out.append(Words(told, "small", "ink"))
    return out


def _materials(s: BriefStage) -> list:
    """What the recipes wear away, to be taken over."""
    wear = s.session.logbook.wear()
    if not wear:
        return []
    cost, without = account.material_cost(wear)
    out: list = []
    if cost:
        take = PetalButton(
            f"Take {session_words.sum_words(cost, sign=s.session.settings.get('currency'))}",
            "petal",
            tip="Put the worth of the worn pencils into the price",
        )
        take.clicked.connect(lambda _=False: s.session.planner.set_terms("materials", materials=cost))
        out += [
            Words(f"The recipes wear away pencils worth about {session_words.sum_words(cost, sign=s.session.settings.get('currency'))}."),
            row(take, None),
        ]
    if without:
        out.append(Words(f"{without} of {len(wear)} pencils of the recipes have no price in the kit; they are not in it."))
    return out
