"""What turns the output down where a bridge's index or width does it; a link has its own span, in its controller's divider."""

from __future__ import annotations

from rhombos.core.blocks import setting as block
from rhombos.core.circuits import beside
from rhombos.core.design.pins import Fields
from rhombos.core.frame.report import BlockReport
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.stage import AuxiliaryOf
from rhombos.core.frame.worksheet import Worksheet


def _wanted(at: Sizing) -> bool:
    output = at.brief.output
    return output.down_to is not None and at.route.turned_by.get(output.waveform) == "modulation"


def _ends(at: Sizing) -> tuple[float, float]:
    """The highest and the lowest setting, V."""
    output = at.brief.output
    assert output.down_to is not None
    return output.voltage, output.down_to


def _propose(at: Sizing, pins: Fields) -> block.SettingBuild:
    """A span as wide as the brief asks."""
    return block.propose(*_ends(at), pins, at.rules)


def _assess(at: Sizing, worksheet: Worksheet) -> block.SettingState:
    """Where its lower end lies."""
    return block.assess(_ends(at)[0], at.builds[block.KEY], at.rules, worksheet)


def _report(sheet: block.Sheet, at: Sizing) -> BlockReport:
    return block.report(sheet, *_ends(at))


STAGE = AuxiliaryOf(
    block.KEY, block.TITLE, block.SettingBuild, lambda build, shelf: (), _report, propose=_propose, assess=_assess,
    sheet=17, circuit=lambda words: beside.SETTING,
    small=lambda at: block.parts(at.builds[block.KEY]), wanted=_wanted)  # fmt: skip
