"""The auxiliary output as every route has it: made of the source behind the input bank, beside whatever follows."""

from __future__ import annotations

from collections.abc import Iterator

from rhombos.core.blocks import auxiliary_output as block
from rhombos.core.blocks import auxiliary_report
from rhombos.core.blocks.heat import Cooled
from rhombos.core.circuits.step_down import STEP_DOWN
from rhombos.core.frame.inventory import Item, small
from rhombos.core.frame.requirement import Requirement
from rhombos.core.frame.sizing import Sizing
from rhombos.core.frame.stage import Making, StageOf
from rhombos.core.parts import Mosfet
from rhombos.core.routes.cooled import cooled

LEAST = 0.9
"""Share of the lowest source that it may be at most: it only steps down."""


def _cooled(at: Sizing) -> Cooled:
    device = at.shelf.get(Mosfet, at.builds[block.KEY].switch)
    return cooled(at, block.KEY, block.TITLE, device, ("conduction", "switching", "diode_loss"), ("peak_voltage",))


def _requirements(at: Sizing) -> Iterator[Requirement]:
    """Terminals for what is fed."""
    asked = block.asked_of(at.brief)
    yield Requirement(
        block.KEY,
        "terminal",
        "Terminals of the auxiliary output",
        "connector",
        "X1",
        least={"i_rating": at.builds[block.KEY].limit, "v_rating": asked.voltage},
        exact={"form": "screw terminal"},
    )


def _small(at: Sizing) -> Iterator[Item]:
    """The fuse before it, and the thyristor across its output."""
    build = at.builds[block.KEY]
    yield from small("F1", "fuse", "fuse before the auxiliary output", build.fuse, "A")
    if build.guard == block.CROWBAR:
        yield Item("D2", "thyristor with its zener across the auxiliary output", "", 1, 0.0, value="", fields=("guard",))


STAGE = StageOf(
    block.KEY,
    block.TITLE,
    block.AuxiliaryOutputBuild,
    block.parts,
    lambda sheet, at: auxiliary_report.report(sheet, at.brief),
    requirements=_requirements,
    ending=True,
    cooled=_cooled,
    making=lambda at: Making("some practice", ("a step-down converter of its own for the auxiliary output",)),
    sheet=18,
    small=_small,
    circuit=lambda words: STEP_DOWN,
)
