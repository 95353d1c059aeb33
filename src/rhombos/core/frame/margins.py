"""Every stress of a design against its rating and the house's limit, the tightest first."""

from __future__ import annotations

from collections.abc import Iterable

from rhombos.core.frame.report import BlockReport, Margin
from rhombos.core.units.quantities import fmt


def margins(blocks: Iterable[BlockReport]) -> tuple[Margin, ...]:
    """Every figure that has a rating, over all blocks."""
    found = [
        Margin(
            block=b.key,
            where=b.title,
            address=f.address,
            title=f.title,
            text=f.text,
            rating=f.rating_text or "",
            stress=f.stress,
            house=f.house,
            left=(left := 1 - f.stress / f.house),
            left_text=fmt(left, "%", 2),
            severity=f.severity,
            point=f.point or "",
        )
        for b in blocks
        for f in b.figures
        if f.stress is not None and f.house
    ]
    return tuple(sorted(found, key=lambda m: (m.left, m.address, m.title)))
