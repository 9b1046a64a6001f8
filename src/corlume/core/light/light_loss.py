"""Light loss: what age, cooling, reflectors and cover glass leave of a lamp's light.

Factors are our own estimates after common practice, no source: a T5 tube is changed after a year, a halide lamp
after about 3,650 hours, both because they fade; an uncooled tube runs hot and gives less; glass with salt on it
costs a fifth. A meter knows better.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from corlume.core.errors import FieldError, Rules
from corlume.core.light.technology import TECHNOLOGIES, TechnologyKey, Wears


@dataclass(frozen=True, slots=True)
class Question:
    """One cause of loss: the technologies it concerns, and its answers as key, words and factor [-]."""

    key: str
    label: str
    of: tuple[Wears, ...]
    answers: tuple[tuple[str, str, float], ...]


QUESTIONS = (
    Question("tube_age", "Tubes are", ("tube",), (("new", "new", 1.0), ("half", "half a year old", 0.93),
             ("year", "a year old", 0.85), ("older", "older than a year", 0.75))),
    Question("cooling", "Tubes run", ("tube",), (("cooled", "cooled by a fan", 1.0), ("still", "in still air", 0.92))),
    Question("reflector", "Reflectors", ("tube",), (("own", "one for each, bright", 1.0),
             ("dull", "shared, or dull", 0.85), ("none", "none", 0.6))),
    Question("arc_age", "The lamp is", ("arc",), (("new", "new", 1.0), ("year", "a year old, 1,800 h", 0.85),
             ("two", "two years old, 3,650 h", 0.7))),
    Question("led_age", "The LEDs are", ("led",), (("new", "new", 1.0), ("three", "three years old", 0.95),
             ("eight", "eight years old", 0.85))),
    Question("glass", "Cover glass or lenses", ("tube", "arc", "led"), (("none", "as it came, clean", 1.0),
             ("clear", "a clear cover in front, clean", 0.92), ("salt", "salt or dust on it", 0.82))),
)  # fmt: skip


def questions(technology: TechnologyKey) -> list[Question]:
    """Causes of loss for a technology."""
    return [question for question in QUESTIONS if TECHNOLOGIES[technology].wears in question.of]


def light_loss_factor(technology: TechnologyKey, answers: Mapping[str, str]) -> float:
    """Light loss factor (LLF): share of the light that remains [-], the product of all factors; unanswered questions
    count as new.

    Raises ``InvalidInput`` for an answer that is not offered.
    """
    rules, share = Rules(), 1.0
    rules.errors += wear_errors(technology, answers)
    rules.finish()
    for question in questions(technology):
        factors = {key: factor for key, _, factor in question.answers}
        share *= factors[answers.get(question.key, question.answers[0][0])]
    return share


def wear_errors(technology: TechnologyKey, answers: Mapping[str, str]) -> list[FieldError]:
    """Find unknown answers, by the field ``wear``."""
    rules = Rules()
    offered = {question.key: question for question in questions(technology)}
    for key, answer in answers.items():
        rules.that(key in offered, "wear", f"asks nothing of this kind of light by the name of {key}")
        if key in offered:
            keys = [one for one, *_ in offered[key].answers]
            rules.that(answer in keys, "wear", f"has no answer {answer} to: {offered[key].label}")
    return rules.errors
