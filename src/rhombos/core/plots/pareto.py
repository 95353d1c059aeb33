"""Loss against cost of every route, mass as size: which are beaten in all three by another."""

from __future__ import annotations

import math

from rhombos.core.benches.compare import Comparison
from rhombos.core.plots.model import Chart, Dot, Scale, about

SMALLEST, LARGEST = 8.0, 24.0


def pareto(comparison: Comparison) -> Chart:
    """One mark a route, numbered as ranked; those no other beats in loss, mass and cost together stand out."""
    rows = [r for r in comparison.rows if not r.out]
    if not rows:
        return Chart(key="pareto", title="Loss, cost, mass", remark="No route can be built for this brief.")
    cost, loss = Scale("1", 1.0), Scale("W", max(r.lost for r in rows))
    lightest, heaviest = min(r.mass for r in rows), max(r.mass for r in rows)
    spread = math.log(heaviest / lightest) or 1.0
    dots = tuple(
        Dot(
            x=cost(r.cost),
            y=loss(r.lost),
            label=str(n),
            role="here" if r.pareto else "faint",
            size=SMALLEST + (LARGEST - SMALLEST) * math.log(r.mass / lightest) / spread,
        )
        for n, r in enumerate(rows, 1)
    )
    (cheap, dear), (little, much) = about(r.cost for r in rows), about(r.lost for r in rows)
    return Chart(
        key="pareto",
        title="Loss, cost, mass",
        x=cost.axis("cost of the parts", low=cheap, high=dear),
        y=loss.axis("lost at full power", low=little, high=much),
        dots=dots,
        remark="Numbered as ranked; larger marks are heavier. Copper: no other is better in all three.",
    )
