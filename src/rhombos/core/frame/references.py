"""Reference designators: which part is meant, on paper, on the board and on screen.

A letter for what the part is, the number of its stage's sheet, and a number on that sheet: Q301 is the first transistor of
sheet 3. Both numbers belong to the part's role and to nothing else, so that a reference never moves when another part comes,
goes or changes. Parts alike in one role are told apart behind a full stop: Q301.1 to Q301.4.
"""

from __future__ import annotations

import re
from collections.abc import Iterable

LETTERS = {
    "C": "capacitor",
    "D": "diode, zener",
    "F": "fuse",
    "HS": "heat-sink",
    "K": "relay, contactor",
    "L": "inductor",
    "M": "fan",
    "P": "pad",
    "Q": "transistor",
    "R": "resistor",
    "RP": "trimmer",
    "RT": "thermistor",
    "RV": "surge suppressor",
    "T": "transformer",
    "U": "integrated circuit, opto-coupler",
    "X": "terminal, lug, socket",
}
"""What each letter stands for."""
_ON_SHEET = re.compile(r"([A-Z]+)([1-9]\d?)")


def designator(sheet: int, ref: str) -> str:
    """A part's reference in the whole design, from the number of its stage's sheet and its reference there.

    Raises: ValueError where that is no letter of the list with a number from 1 to 99.
    """
    found = _ON_SHEET.fullmatch(ref)
    if not found or found[1] not in LETTERS:
        raise ValueError(f"‘{ref}’ is no reference: one of {', '.join(LETTERS)} and a number from 1 to 99")
    return f"{found[1]}{sheet}{int(found[2]):02d}"


def several(reference: str, count: int) -> str:
    """How so many parts alike are called: ``Q301.1…4``."""
    return reference if count == 1 else f"{reference}.1…{count}"


def legend(references: Iterable[str]) -> tuple[tuple[str, str], ...]:
    """The letters that some references begin with, in order, with what each stands for."""
    used = {reference.rstrip("0123456789.…") for reference in references}
    return tuple((letter, said) for letter, said in LETTERS.items() if letter in used)
