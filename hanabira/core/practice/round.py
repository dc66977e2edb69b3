"""A round of one drill: its questions by a seed, each as hard as the answers before it ask for."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence

import numpy as np

from hanabira.core.faults import Fault
from hanabira.core.optics.kit import Kit
from hanabira.core.optics.paper import Paper
from hanabira.core.practice.profile import Answer, Learner, next_level
from hanabira.core.practice.question import Picture, Question, foretell, order_six, right, value_step, which, white_or_not

FROM_PICTURES: dict[str, Callable[[Picture, np.random.Generator, float], Question | None]] = {
    "value-step": value_step, "which": which, "order-six": order_six, "white-or-not": white_or_not,
}  # fmt: skip
FIRST_LEVEL = 1.0
MOST_TRIES = 12


class Round:
    """Questions one after the other. ``now`` gives the time that answers carry, so that a round can be played again exactly."""

    def __init__(
        self, drill: str, pictures: Sequence[Picture], seed: int, kit: Kit | None = None, paper: Paper | None = None, level: float = FIRST_LEVEL,
        now: Callable[[], datetime.datetime] = datetime.datetime.now,
    ) -> None:  # fmt: skip
        self.drill, self.pictures, self.kit, self.paper = drill, tuple(pictures), kit, paper
        self.level, self.now = level, now
        self.answers: list[Answer] = []
        self._rng = np.random.default_rng([seed, 41])
        self.picture: Picture | None = None
        self.question: Question | None = None
        self._asked: set[str] = set()

    def ask(self) -> Question:
        """The next question. Raises `Fault` where no picture has anything to ask about."""
        for _ in range(MOST_TRIES):
            found, picture = self._made()
            if found is not None and found.key not in self._asked:
                self.question, self.picture = found, picture
                self._asked.add(found.key)
                return found
        raise Fault("There is nothing in these pictures to ask this about.", do="Choose another drill, or add a photo with more fur in it.")

    def _made(self) -> tuple[Question | None, Picture | None]:
        if self.drill == "foretell":
            if self.kit is None or self.paper is None:
                raise Fault("Foretelling needs a kit.", do="Open a commission first.")
            return foretell(self.kit, self.paper, self._rng, self.level), None
        if self.drill not in FROM_PICTURES:
            raise Fault(f"There is no drill “{self.drill}”.", do=f"Use one of {', '.join([*FROM_PICTURES, 'foretell'])}.")
        if not self.pictures:
            raise Fault("There is no picture to ask about.", do="Add a photo first.")
        picture = self.pictures[int(self._rng.integers(len(self.pictures)))]
        return FROM_PICTURES[self.drill](picture, self._rng, self.level), picture

    def answer(self, given: float | int | Sequence[int], neutral: bool = False, counts: bool = True) -> Answer:
        """Take an answer to the question that stands; one on ``neutral`` does not change how hard the next one is, one that does not count changes nothing."""
        q = self.question
        assert q is not None, "nothing was asked"
        good = right(q, given)
        value = q.kind == "value"
        a = Answer(
            q.drill, self.now().isoformat(timespec="seconds"), good, q.level, q.key, float(q.truth) / 10 if value else None,  # type: ignore[arg-type]
            float(given) / 10 if value else None, q.lift, neutral,  # type: ignore[arg-type]
        )  # fmt: skip
        if not counts:
            return a
        self.answers.append(a)
        if not neutral:
            self.level = next_level(self.level, good)
        return a


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
        else:
            said = q.labs[:, 0] / 10 + rng.normal(0, learner.noise, len(q.labs))
            round_.answer(tuple(int(v) for v in np.argsort(said, kind="stable")))
    return round_.answers
