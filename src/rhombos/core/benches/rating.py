"""What a finished design may be rated for: the power at which its weakest stage reaches a house limit, the source flat or
charging, whichever is harder, at the brief's maximum ambient."""

from __future__ import annotations

from dataclasses import replace

from pydantic import BaseModel, ConfigDict

from rhombos.core.frame.points import LASTING, SURGING, Point, operating_points
from rhombos.core.frame.solve import Worked, report_blocks
from rhombos.core.frame.worksheet import Worksheet
from rhombos.core.routes import SHARED_BUILDS
from rhombos.core.units.quantities import fmt

LEAST, MOST = 0.05, 3.0
STEPS = 9
HELD = 0.94
"""Share of the power asked that must reach the socket: below it the output has sagged."""
UNHELD = ("square", "HF")
"""Waves that nothing holds: they follow the source."""


class Rating(BaseModel):
    """Continuous power, W; which block sets it, by which figure; and the same in words."""

    model_config = ConfigDict(frozen=True)

    power: float
    share: float
    block: str
    figure: str
    text: str


def rating(worked: Worked) -> Rating:
    """The power at which the first stress meets its house limit, everything built as it is.

    Surge points are left where they are asked; the steady ones are scaled together. Found by bisection to 1 %.
    """
    low, high = LEAST, MOST
    met = _over(worked, MOST)
    if met is None:
        return _told(worked, MOST, "", "")
    for _ in range(STEPS):
        middle = (low * high) ** 0.5
        found = _over(worked, middle)
        if found is None:
            low = middle
        else:
            high, met = middle, found
    return _told(worked, low, *met)


def _told(worked: Worked, share: float, block: str, figure: str) -> Rating:
    power = share * worked.brief.continuous
    if not block:
        text = f"More than {fmt(power, 'W')}: nothing reaches a limit up to {share:g} times what is asked."
    elif share <= LEAST * 1.01:
        text = f"Less than {fmt(power, 'W', 2)}: {figure.lower()} of the {block.lower()} is beyond its limit already."
    else:
        text = f"{fmt(power, 'W')}: then {figure.lower()} of the {block.lower()} meets its house limit."
    return Rating(power=power, share=share, block=block, figure=figure, text=text)


def _over(worked: Worked, share: float) -> tuple[str, str] | None:
    """Which figure of which block is beyond its house limit at a share of the power asked; None where all hold."""
    points: dict[str, Point] = {k: p.at(share) if k in LASTING else p for k, p in operating_points(worked.brief).items()}
    keys = [k for k in points if k not in SURGING]
    settled = {
        **worked.settled,
        **worked.route.converge_all(
            worked.builds,
            worked.brief,
            worked.shelf,
            worked.rules,
            worksheets={k: Worksheet() for k in keys} if worked.brief.crest_power else None,  # marched, as the sizing was
            start=worked.settled,
            tolerance=1e-3,
            points={k: points[k] for k in keys},
        ),
    }
    settled = {k: replace(s, states={**worked.settled[k].states, **s.states}) for k, s in settled.items()}
    lost = worked.route.infeasible({k: settled[k] for k in keys})
    if lost:
        return "Source", "the power that is left at its terminals"
    if worked.brief.output.waveform not in UNHELD and any(settled[k].flow["load"] < HELD * points[k].power for k in keys):
        return "Transformer", "the voltage it gives the socket"
    blocks, _ = report_blocks(replace(worked, settled=settled))
    # what lies beside every path is set for the power that is asked; it limits none
    worst = [
        (f.stress / f.house, b.title, f.title)
        for b in blocks
        if b.key not in SHARED_BUILDS
        for f in b.figures
        if f.stress is not None and f.house and f.point not in _surge_labels(points)
    ]
    stress, block, figure = max(worst)
    return (block, figure) if stress > 1 + 1e-6 else None


def _surge_labels(points: dict[str, Point]) -> set[str]:
    return {points[k].label for k in SURGING if k in points}
