"""What feeds a design: a battery, a DC rail or the mains, each with figures and findings of its own, and one state to what it
feeds."""

from __future__ import annotations

import math
from types import ModuleType

from rhombos.core.blocks.source import battery, mains, rail
from rhombos.core.blocks.source.state import KEY, Given, Sheet, SourceBuild, SourceState
from rhombos.core.book import source as book
from rhombos.core.design.brief import Brief
from rhombos.core.frame.inventory import Item
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.parts import Shelf

__all__ = ["KEY", "TITLE", "SourceBuild", "SourceState", "assess", "parts", "report"]

TITLE = "Source"
_KINDS: dict[str, ModuleType] = {"battery": battery, "DC rail": rail, "mains": mains}


def assess(
    emf: float,
    power: float,
    brief: Brief,
    worksheet: Worksheet,
    pulsation: float = 1.0,
    crest: float = 1.0,
    steady: float = 0.0,
) -> SourceState:
    """The source giving a power at its terminals.

    `pulsation` is the mean square of the stage's current over its squared mean, `crest` its peak over its mean, `steady` the
    part of the power, W, that is drawn beside it without a swing.
    """
    share = 1 - min(1.0, steady / power) if power > 0 else 1.0
    pulsation, crest = 1 + (pulsation - 1) * share**2, 1 + (crest - 1) * share
    given: Given = _KINDS[brief.source.kind].assess(emf, power, brief, worksheet, pulsation)
    rms = given.current * math.sqrt(pulsation)
    return SourceState(
        emf=emf,
        rms=rms,
        peak=given.current * crest,
        power=power,
        internal_loss=worksheet.work("source.internal_loss", book.ohmic_loss, I_rms=rms, R=given.resistance),
        **given._asdict(),
    )


def parts(build: SourceBuild, shelf: Shelf) -> tuple[Item, ...]:
    """Nothing: the source is there already."""
    return ()


def report(sheet: Sheet, brief: Brief) -> BlockReport:
    """The source's figures; one that cannot give the power is the first thing to know."""
    kind = _KINDS[brief.source.kind]
    sheet.title = kind.TITLE
    told: BlockReport = kind.report(sheet, brief)
    return told
