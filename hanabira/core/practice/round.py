"""A round of one drill: its questions by a seed, each as hard as the answers before it ask for."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence
from typing import Any

import cv2
import numpy as np

from hanabira.core.clock import MACHINE
from hanabira.core.colour.words import temperature
from hanabira.core.faults import Fault
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.practice.profile import Answer, Learner, next_level
from hanabira.core.practice.question import AskedPicture, Question, again, foretell, order_six, right, value_step, which, white_or_not
from hanabira.core.practice.wider import (
    comb_it,
    darkest_shape,
    example_portrait,
    explained,
    find_fault,
    guess_stack,
    score,
    what_next,
    wider_right,
)
from hanabira.core.schedule.order import Ordered
from hanabira.core.sentences import say

FROM_PICTURES: dict[str, Callable[[AskedPicture, np.random.Generator, float], Question | None]] = {
    "value-step": value_step, "which": which, "order-six": order_six, "white-or-not": white_or_not, "darkest-shape": darkest_shape,
    "comb-it": comb_it, "find-fault": find_fault,
}  # fmt: skip
FROM_KIT: dict[str, Callable[[Kit, Paper, np.random.Generator, float], Question | None]] = {
    "foretell": foretell,
    "guess-stack": guess_stack,
}
WIDER = ("pair", "shape", "strokes")
AGAIN_EVERY = 3
"""Of so many questions one is one that waits to come back."""
FIRST_LEVEL = 1.0
MOST_TRIES = 12


class Round:
    """Questions one after the other. ``now`` gives the time that answers carry, so that a round can be played again exactly."""

    def __init__(
        self, drill: str, pictures: Sequence[AskedPicture], seed: int, kit: Kit | None = None, paper: Paper | None = None, level: float = FIRST_LEVEL,
        now: Callable[[], datetime.datetime] = MACHINE.now, ordered: Ordered | None = None,
        waiting: Sequence[str] = (),
    ) -> None:  # fmt: skip
        self.drill, self.pictures, self.kit, self.paper = drill, tuple(pictures), kit, paper
        self.level, self.now, self.ordered = level, now, ordered
        self._waiting = list(waiting)
        self.answers: list[Answer] = []
        self._rng = np.random.default_rng([seed, 41])
        self.picture: AskedPicture | None = None
        self.question: Question | None = None
        self._asked: set[str] = set()

    def ask(self) -> Question:
        """The next question. Raises `Fault` where no picture has anything to ask about."""
        if self._waiting and len(self.answers) % AGAIN_EVERY == AGAIN_EVERY - 1:
            came = self._back()
            if came is not None:
                return came
        last = self.question.key if self.question is not None else ""
        seen: tuple[Question, AskedPicture | None] | None = None
        for _ in range(MOST_TRIES):
            found, picture = self._made()
            if found is not None and found.key not in self._asked:
                return self._asks(found, picture)
            if found is not None and (seen is None or seen[0].key == last):
                seen = found, picture
        if seen is not None:  # a long round has asked everything that is there: it begins again
            self._asked.clear()
            return self._asks(*seen)
        raise Fault("There is nothing in these pictures to ask this about.", do="Choose another drill, or add a photo with more fur in it.")

    def _asks(self, question: Question, picture: AskedPicture | None) -> Question:
        self.question, self.picture = question, picture
        self._asked.add(question.key)
        return question

    def _back(self) -> Question | None:
        """A question that failed before and is due."""
        while self._waiting:
            key = self._waiting.pop(0)
            for picture in self.pictures:
                found = again(picture, key) if key not in self._asked and self.drill == "value-step" else None
                if found is not None:
                    return self._asks(found, picture)
        return None

    def _made(self) -> tuple[Question | None, AskedPicture | None]:
        if self.drill in FROM_KIT:
            if self.kit is None or self.paper is None:
                raise Fault("This drill needs a kit.", do="Open a commission first.")
            return FROM_KIT[self.drill](self.kit, self.paper, self._rng, self.level), None
        if self.drill == "what-next":
            found = what_next(self.ordered, self._rng, self.level) if self.ordered is not None else None
            return found or what_next(example_portrait(), self._rng, self.level), None
        if self.drill not in FROM_PICTURES:
            raise Fault(f"There is no drill “{self.drill}”.", do=f"Use one of {', '.join([*FROM_PICTURES, *FROM_KIT, 'what-next'])}.")
        if not self.pictures:
            raise Fault("There is no picture to ask about.", do="Add a photo first.")
        picture = self.pictures[int(self._rng.integers(len(self.pictures)))]
        return FROM_PICTURES[self.drill](picture, self._rng, self.level), picture

    def answer(self, given: float | int | Sequence[Any], neutral: bool = False, counts: bool = True) -> Answer:
        """Take an answer to the question that stands; one on ``neutral`` does not change how hard the next one is, one that does not count changes nothing."""
        q = self.question
        assert q is not None, "nothing was asked"
        wider = q.kind in WIDER
        good = wider_right(q, given) if wider else right(q, given)  # type: ignore[arg-type]
        value = q.kind == "value"
        a = Answer(
            q.drill, self.now().isoformat(timespec="seconds"), good, q.level, q.key, float(q.truth) / 10 if value else None,  # type: ignore[arg-type]
            float(given) / 10 if value else None, q.lift, neutral, score(q, given) if wider else None, temperature(q.labs[0]) if value else "",  # type: ignore[arg-type]
        )  # fmt: skip
        if not counts:
            return a
        self.answers.append(a)
        if not neutral:
            self.level = next_level(self.level, good)
        return a


def told(q: Question, given: object) -> str:
    """Why an answer is right or not, with what was given where that can be held beside it."""
    if q.kind in WIDER:
        return explained(q, given)  # type: ignore[arg-type]
    if q.notes and given != q.truth:
        n = int(given)  # type: ignore[call-overload]
        waits = say("practice.next_wrong", step=q.choices[n], why=q.notes[n])
        return f"{q.why} {waits}"
    return q.why


def _traced(q: Question, learner: Learner, rng: np.random.Generator) -> tuple[tuple[float, float], ...]:
    """The shape's own outline with an unsteady hand."""
    assert q.extra is not None
    contours, _ = cv2.findContours(q.extra.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    line = max(contours, key=cv2.contourArea)[:, 0].astype(float)
    h, w = q.extra.shape
    moved = line + rng.normal(0, 0.03 * learner.noise * w, 2)
    return tuple((float(x) / w, float(y) / h) for x, y in moved[:: max(1, len(moved) // 80)])


def play(round_: Round, learner: Learner, questions: int, seed: int) -> list[Answer]:
    """Let a simulated learner answer; what is no value it gets right as often as its noise allows."""
    rng = np.random.default_rng([seed, 43])
    for _ in range(questions):
        q = round_.ask()
        if q.kind == "value":
            round_.answer(10 * learner.says(float(q.truth) / 10, q.lift, rng))  # type: ignore[arg-type]
        elif q.kind == "choice":
            wrong = [k for k in range(len(q.choices)) if k != q.truth]
            round_.answer(int(q.truth) if rng.uniform() > 0.2 * learner.noise + 0.05 * q.level else int(rng.choice(wrong)))  # type: ignore[arg-type]
        elif q.kind == "pair":
            assert q.extra is not None
            near = np.argsort(q.extra + rng.normal(0, 3 * learner.noise, q.extra.shape), axis=None)
            round_.answer(tuple(int(v) for v in np.unravel_index(int(near[0]), q.extra.shape)))
        elif q.kind == "shape":
            round_.answer(_traced(q, learner, rng))
        elif q.kind == "strokes":
            round_.answer(tuple(float(t) + rng.normal(0, 20 * learner.noise) for t in q.truth))  # type: ignore[union-attr]
        else:
            said = q.labs[:, 0] / 10 + rng.normal(0, learner.noise, len(q.labs))
            round_.answer(tuple(int(v) for v in np.argsort(said, kind="stable")))
    return round_.answers
